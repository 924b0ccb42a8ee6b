/** What hands do on the stage: the thread from the pointer to the cloth, dressmaker's pins, hatching on parked cloth. */
import { BufferGeometry, CanvasTexture, CylinderGeometry, Float32BufferAttribute, Group, LineBasicMaterial, LineSegments, Mesh, MeshBasicMaterial, QuadraticBezierCurve3, SphereGeometry, Sprite, SpriteMaterial, SRGBColorSpace, TubeGeometry, Vector3 } from "three";

type Place = readonly [number, number, number];

export interface ShownThread {
  from: Place;
  to: Place;
  /** From 1, it holds, to 0, it slips freely. */
  firm: number;
}

export interface ShownPin {
  number: number;
  at: Place;
  cloth: Place;
  onBody: boolean;
}

const THREAD = "#a63d2f"; // madder: a thread under tension
const HATCH = "#2d4f96";
const HEADS = ["#e3b23c", "#2f7d6d", "#b4532a", "#5a4a86"] as const;
const THICK = 0.003; // m, of a thread that holds
const SAG = 0.12; // of its length, how far a thread hangs through
const OUT = 0.06; // m that a pin stands out of the cloth
export const HATCHED = 0.022; // m between two lines of hatching
const ABOVE = 0.0025; // m, hatching off the cloth

export class HandMarks {
  readonly group = new Group();
  private readonly threads = new Group();
  private readonly pins = new Group();
  private readonly hatching = new Map<string, LineSegments>();

  constructor() {
    this.group.add(this.threads, this.pins);
  }

  showThreads(threads: readonly ShownThread[]): void {
    this.empty(this.threads);
    for (const { from, to, firm } of threads) {
      const [a, b] = [new Vector3(...from), new Vector3(...to)];
      const middle = a.clone().add(b).multiplyScalar(0.5);
      middle.y -= SAG * a.distanceTo(b) * firm;
      const way = new QuadraticBezierCurve3(a, middle, b);
      const tube = new TubeGeometry(way, 24, THICK * (0.6 + 0.4 * firm), 6);
      const thread = new Mesh(tube, new MeshBasicMaterial({ color: THREAD, depthTest: false, transparent: true, opacity: 0.75 + 0.25 * firm }));
      const knot = new Mesh(new SphereGeometry(0.008, 16, 12), new MeshBasicMaterial({ color: THREAD, depthTest: false, transparent: true }));
      knot.position.copy(b);
      thread.renderOrder = knot.renderOrder = 4;
      this.threads.add(thread, knot);
    }
  }

  /** Pins stand out of the cloth towards `eye`, so that their heads are seen. */
  showPins(pins: readonly ShownPin[], eye: Vector3): void {
    this.empty(this.pins);
    for (const pin of pins) {
      const cloth = new Vector3(...pin.cloth);
      const way = outOf(cloth, eye);
      const top = cloth.clone().addScaledVector(way, OUT);
      const needle = new Mesh(new CylinderGeometry(0.0014, 0.0009, OUT, 6), new MeshBasicMaterial({ color: "#1f2630", depthTest: false, transparent: true }));
      needle.position.copy(cloth).addScaledVector(way, OUT / 2);
      needle.quaternion.setFromUnitVectors(new Vector3(0, 1, 0), way);
      const head = numbered(pin.number, HEADS[(pin.number - 1) % HEADS.length] ?? HEADS[0], pin.onBody);
      head.position.copy(top);
      needle.renderOrder = 4;
      this.pins.add(needle, head);
    }
  }

  /** The pin whose head is within reach of a ray's place on the screen. */
  pinAt(x: number, y: number, pins: readonly ShownPin[], eye: Vector3, project: (place: Vector3) => Vector3): number | null {
    let nearest: number | null = null;
    let least = 0.03;
    for (const pin of pins) {
      const cloth = new Vector3(...pin.cloth);
      const seen = project(cloth.clone().addScaledVector(outOf(cloth, eye), OUT));
      const away = Math.hypot(seen.x - (2 * x - 1), seen.y - (1 - 2 * y));
      if (away < least) [least, nearest] = [away, pin.number];
    }
    return nearest;
  }

  /** Hatch the triangles of a cloth whose corners are all parked; none without flags. */
  hatch(key: string, positions: Float32Array | null, triangles: Uint32Array, parked: readonly boolean[]): void {
    const before = this.hatching.get(key);
    if (before !== undefined) {
      this.group.remove(before);
      before.geometry.dispose();
      this.hatching.delete(key);
    }
    if (positions === null || !parked.includes(true)) return;
    const ends = hatched(positions, triangles, parked);
    const geometry = new BufferGeometry();
    geometry.setAttribute("position", new Float32BufferAttribute(ends, 3));
    const lines = new LineSegments(geometry, new LineBasicMaterial({ color: HATCH }));
    this.hatching.set(key, lines);
    this.group.add(lines);
  }

  clear(): void {
    this.empty(this.threads);
    this.empty(this.pins);
    for (const key of [...this.hatching.keys()]) this.hatch(key, null, new Uint32Array(), []);
  }

  private empty(group: Group): void {
    for (const child of [...group.children]) {
      group.remove(child);
      if (child instanceof Mesh) (child.geometry as BufferGeometry).dispose();
    }
  }
}

/** Which way a pin stands out of the cloth: towards the eye and up. */
function outOf(cloth: Vector3, eye: Vector3): Vector3 {
  return eye.clone().sub(cloth).normalize().add(new Vector3(0, 0.9, 0)).normalize();
}

/** Ends of the lines in which slanting planes meet parked triangles, six numbers a line, a little off the cloth. */
export function hatched(positions: Float32Array, triangles: Uint32Array, parked: readonly boolean[]): number[] {
  const out: number[] = [];
  const at = (vertex: number) => new Vector3(positions[3 * vertex], positions[3 * vertex + 1], positions[3 * vertex + 2]);
  const height = (p: Vector3) => (p.x + p.y + 0.35 * p.z) / HATCHED;
  for (let t = 0; t + 2 < triangles.length; t += 3) {
    const corners = [triangles[t] as number, triangles[t + 1] as number, triangles[t + 2] as number];
    if (!corners.every((vertex) => parked[vertex])) continue;
    const [a, b, c] = corners.map(at) as [Vector3, Vector3, Vector3];
    const normal = b.clone().sub(a).cross(c.clone().sub(a)).normalize();
    const heights = [a, b, c].map(height) as [number, number, number];
    for (let level = Math.ceil(Math.min(...heights)); level <= Math.max(...heights); level += 1) {
      const ends: Vector3[] = [];
      for (const [p, q, hp, hq] of [[a, b, heights[0], heights[1]], [b, c, heights[1], heights[2]], [c, a, heights[2], heights[0]]] as const) {
        if ((hp - level) * (hq - level) < 0) ends.push(p.clone().lerp(q, (level - hp) / (hq - hp)));
      }
      const [from, to] = ends;
      if (from === undefined || to === undefined) continue;
      // Both faces of the cloth are hatched: it is seen from inside too.
      for (const side of [ABOVE, -ABOVE]) out.push(...from.clone().addScaledVector(normal, side).toArray(), ...to.clone().addScaledVector(normal, side).toArray());
    }
  }
  return out;
}

/** A pin's head with its number; one in a body has a ring round it. */
function numbered(number: number, tone: string, onBody: boolean): Sprite {
  const size = 96;
  const canvas = document.createElement("canvas");
  canvas.width = canvas.height = size;
  const pen = canvas.getContext("2d");
  if (pen !== null) {
    const disc = (radius: number, colour: string) => {
      pen.fillStyle = colour;
      pen.beginPath();
      pen.arc(size / 2, size / 2, radius, 0, 2 * Math.PI);
      pen.fill();
    };
    disc(46, "#1f2630");
    if (onBody) disc(42, "#f6f1e4");
    disc(onBody ? 36 : 43, tone);
    pen.fillStyle = "#ffffff";
    pen.strokeStyle = "#1f2630";
    pen.lineWidth = 6;
    pen.font = "600 46px 'IBM Plex Sans', sans-serif";
    pen.textAlign = "center";
    pen.textBaseline = "middle";
    pen.strokeText(String(number), size / 2, size / 2 + 3);
    pen.fillText(String(number), size / 2, size / 2 + 3);
  }
  const map = new CanvasTexture(canvas);
  map.colorSpace = SRGBColorSpace;
  const sprite = new Sprite(new SpriteMaterial({ map, depthTest: false, sizeAttenuation: false }));
  sprite.scale.setScalar(0.019);
  sprite.renderOrder = 5;
  return sprite;
}
