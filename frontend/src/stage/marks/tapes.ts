/** Tape measures round a figure and lines along hems: ribbons with a label, which can be pressed and drawn along. */
import { BufferAttribute, BufferGeometry, CanvasTexture, DoubleSide, Group, Mesh, MeshBasicMaterial, type PerspectiveCamera, Plane, type Ray, RepeatWrapping, Sprite, SpriteMaterial, SRGBColorSpace, Vector3 } from "three";

export interface ShownTape {
  name: string;
  /** Corners of a closed line, m. */
  points: readonly (readonly number[])[];
  label: string;
  /** A measure with marks at each cm, or the line of a hem. */
  measure: boolean;
  /** Whether it can be drawn along. */
  moves: boolean;
}

/** How far something was drawn, m: upwards, and away from the middle of its tape. */
export interface Drawn {
  up: number;
  out: number;
}

const HALF = 0.0065; // m, half of a ribbon's width
const NEAR = 0.03; // of half the picture's height, within which a press takes a ribbon
const LABEL = 0.068; // of half the picture's height
const MARKS = 0.05; // m of tape that its picture shows

interface Ribbon {
  tape: ShownTape;
  corners: Vector3[];
  label: Sprite;
}

export class Tapes {
  readonly group = new Group();
  private ribbons: Ribbon[] = [];
  private readonly pictures = { measure: measured(), hem: stitched() };
  private lit: string | null = null;

  /** Put these ribbons in place of all others. */
  show(tapes: readonly ShownTape[]): void {
    for (const child of [...this.group.children]) {
      this.group.remove(child);
      if (child instanceof Mesh) {
        (child.geometry as BufferGeometry).dispose();
        (child.material as MeshBasicMaterial).dispose();
      } else if (child instanceof Sprite) {
        child.material.map?.dispose();
        child.material.dispose();
      }
    }
    this.ribbons = tapes.map((tape) => {
      const corners = tape.points.map((place) => new Vector3(place[0], place[1], place[2]));
      const geometry = ribbon(corners);
      const map = tape.measure ? this.pictures.measure : this.pictures.hem;
      for (const [through, opacity] of [
        [false, 1],
        [true, 0.28],
      ] as const) {
        const material = new MeshBasicMaterial({ map, side: DoubleSide, transparent: true, opacity, depthTest: !through, depthWrite: false, color: tape.name === this.lit ? 0xffe9b0 : 0xffffff });
        const mesh = new Mesh(geometry, material);
        mesh.renderOrder = through ? 3 : 4;
        this.group.add(mesh);
      }
      const label = written(tape.label, tape.moves);
      this.group.add(label);
      return { tape, corners, label };
    });
  }

  /** Light the ribbon of a name; says whether that is new. */
  light(name: string | null): boolean {
    if (name === this.lit) return false;
    this.lit = name;
    this.show(this.ribbons.map(({ tape }) => tape));
    return true;
  }

  /** Put each label where its ribbon ends to the right, as the eye sees it. */
  face(eye: PerspectiveCamera): void {
    const right = new Vector3().setFromMatrixColumn(eye.matrixWorld, 0);
    const taken: number[] = [];
    for (const { corners, label } of [...this.ribbons].sort((a, b) => (b.corners[0]?.y ?? 0) - (a.corners[0]?.y ?? 0))) {
      const [first, ...others] = corners;
      if (first === undefined) continue;
      const end = others.reduce((best, one) => (one.dot(right) > best.dot(right) ? one : best), first);
      label.position.copy(end).addScaledVector(right, 0.012);
      const height = LABEL * label.position.distanceTo(eye.position) * Math.tan((eye.fov * Math.PI) / 360);
      // From above downwards, each below those that would lie under it.
      for (const y of taken) if (Math.abs(y - label.position.y) < 1.12 * height) label.position.y = y - 1.12 * height;
      taken.push(label.position.y);
      const { width, height: high } = label.material.map?.image as HTMLCanvasElement;
      label.scale.set((height * width) / high, height, 1);
    }
  }

  /** The ribbon that can be drawn along under a place of the picture, x and y from -1 to 1, and where on it. */
  at(x: number, y: number, eye: PerspectiveCamera): { name: string; place: Vector3 } | null {
    let best: { name: string; place: Vector3; off: number } | null = null;
    for (const { tape, corners } of this.ribbons) {
      if (!tape.moves) continue;
      for (const [k, corner] of corners.entries()) {
        const after = corners[(k + 1) % corners.length] ?? corner;
        for (const share of [0, 0.5]) {
          const place = corner.clone().lerp(after, share);
          const seen = place.clone().project(eye);
          const off = Math.hypot((seen.x - x) * eye.aspect, seen.y - y) + 0.01 * seen.z;
          if (seen.z < 1 && off < NEAR + 0.01 * seen.z && (best === null || off < best.off)) best = { name: tape.name, place, off };
        }
      }
    }
    return best === null ? null : { name: best.name, place: best.place };
  }

  /** How far from a place of a ribbon a ray points, in the plane that faces the eye. */
  drawn(name: string, from: Vector3, ray: Ray, eye: PerspectiveCamera): Drawn | null {
    const ahead = eye.getWorldDirection(new Vector3()).setY(0).normalize();
    const at = ray.intersectPlane(new Plane().setFromNormalAndCoplanarPoint(ahead, from), new Vector3());
    const corners = this.ribbons.find(({ tape }) => tape.name === name)?.corners;
    if (at === null || corners === undefined) return null;
    const middle = corners.reduce((sum, one) => sum.add(one), new Vector3()).divideScalar(corners.length);
    const right = new Vector3().setFromMatrixColumn(eye.matrixWorld, 0);
    const side = Math.sign(from.clone().sub(middle).dot(right)) || 1;
    return { up: at.y - from.y, out: side * at.clone().sub(from).dot(right) };
  }
}

function ribbon(corners: readonly Vector3[]): BufferGeometry {
  const count = corners.length + 1;
  const [points, places] = [new Float32Array(6 * count), new Float32Array(4 * count)];
  const index: number[] = [];
  let along = 0;
  for (let k = 0; k < count; k += 1) {
    const here = corners[k % corners.length] ?? new Vector3();
    if (k > 0) along += here.distanceTo(corners[k - 1] ?? here);
    points.set([here.x, here.y + HALF, here.z, here.x, here.y - HALF, here.z], 6 * k);
    places.set([along / MARKS, 1, along / MARKS, 0], 4 * k);
    if (k > 0) index.push(2 * k - 2, 2 * k - 1, 2 * k, 2 * k, 2 * k - 1, 2 * k + 1);
  }
  const geometry = new BufferGeometry();
  geometry.setAttribute("position", new BufferAttribute(points, 3));
  geometry.setAttribute("uv", new BufferAttribute(places, 2));
  geometry.setIndex(index);
  return geometry;
}

/** Five centimetres of a tape measure. */
function measured(): CanvasTexture {
  return picture(160, 42, (pen) => {
    pen.fillStyle = "#efe0ab";
    pen.fillRect(0, 0, 160, 42);
    pen.fillStyle = "#4a4225";
    for (let half = 0; half < 10; half += 1) pen.fillRect(16 * half, 0, half % 2 === 0 ? 3 : 2, half === 0 ? 42 : half % 2 === 0 ? 22 : 12);
  });
}

/** A hem's line: stitches on a light ground. */
function stitched(): CanvasTexture {
  return picture(160, 42, (pen) => {
    pen.fillStyle = "rgb(30 47 87 / 0.2)";
    pen.fillRect(0, 0, 160, 42);
    pen.fillStyle = "#1e2f57";
    for (let k = 0; k < 4; k += 1) pen.fillRect(40 * k + 4, 14, 24, 14);
  });
}

function picture(width: number, height: number, draw: (pen: CanvasRenderingContext2D) => void): CanvasTexture {
  const canvas = document.createElement("canvas");
  [canvas.width, canvas.height] = [width, height];
  const pen = canvas.getContext("2d");
  if (pen !== null) draw(pen);
  const map = new CanvasTexture(canvas);
  map.wrapS = RepeatWrapping;
  map.colorSpace = SRGBColorSpace;
  map.anisotropy = 4;
  return map;
}

function written(text: string, moves: boolean): Sprite {
  const canvas = document.createElement("canvas");
  const pen = canvas.getContext("2d");
  const font = "500 30px 'IBM Plex Mono', monospace";
  if (pen !== null) {
    pen.font = font;
    [canvas.width, canvas.height] = [Math.ceil(pen.measureText(text).width) + (moves ? 56 : 28), 52];
    pen.font = font;
    pen.fillStyle = "rgb(250 247 239 / 0.94)";
    pen.strokeStyle = "#1f2d3a";
    pen.lineWidth = 2;
    pen.beginPath();
    pen.roundRect(2, 2, canvas.width - 4, 48, 10);
    pen.fill();
    if (moves) pen.stroke();
    pen.fillStyle = "#1f2d3a";
    pen.textBaseline = "middle";
    pen.fillText(text, 14, 28);
    if (moves) pen.fillText("↕", canvas.width - 36, 27);
  }
  const map = new CanvasTexture(canvas);
  map.colorSpace = SRGBColorSpace;
  const label = new Sprite(new SpriteMaterial({ map, depthTest: false, transparent: true }));
  label.center.set(0, 0.5);
  label.renderOrder = 6;
  return label;
}
