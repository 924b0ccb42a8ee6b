/** A handle as it stands on the stage: per axis a square knob to move it along, and a round one to turn it about. */
import { BufferGeometry, CanvasTexture, Float32BufferAttribute, Group, LineBasicMaterial, LineSegments, Ray, Sprite, SpriteMaterial, Vector3 } from "three";

export const MOVE_STEP = 0.005; // m that a move snaps to
export const TURN_STEP = 5; // degrees that a turn snaps to
const KNOB = 0.03; // of the distance from the eye, how large a knob is drawn
const NEAR = 0.02; // share of the distance from the eye within which a press takes a knob
const AXES = [new Vector3(1, 0, 0), new Vector3(0, 1, 0), new Vector3(0, 0, 1)] as const;

/** A knob: which axis, and whether it moves along it or turns about it. */
export interface Knob {
  axis: 0 | 1 | 2;
  turns: boolean;
}

export class HandleMark {
  readonly group = new Group();
  private readonly knobs: { knob: Knob; sprite: Sprite }[] = [];
  private readonly arms = new LineSegments(new BufferGeometry(), new LineBasicMaterial({ color: 0x1e2f57, depthTest: false }));
  private readonly centre = new Vector3();
  private size = 0.1;

  constructor() {
    const ends: number[] = [];
    for (const [axis, way] of AXES.entries()) {
      ends.push(...way.clone().negate().toArray(), ...way.toArray());
      for (const turns of [false, true]) {
        const sprite = new Sprite(new SpriteMaterial({ map: drawn("xyz".charAt(axis), turns), depthTest: false, sizeAttenuation: false }));
        sprite.position.copy(way).multiplyScalar(turns ? -1 : 1);
        sprite.renderOrder = 5;
        this.knobs.push({ knob: { axis: axis as 0 | 1 | 2, turns }, sprite });
        this.group.add(sprite);
      }
    }
    this.arms.geometry.setAttribute("position", new Float32BufferAttribute(ends, 3));
    this.arms.renderOrder = 4;
    this.group.add(this.arms);
    this.group.visible = false;
  }

  /** Stand at `place`, m, with arms `size` m long; nowhere without one. */
  show(place: readonly number[] | null, size: number): void {
    this.group.visible = place !== null;
    if (place === null) return;
    this.centre.fromArray(place as number[]);
    this.size = size;
    this.group.position.copy(this.centre);
    this.group.scale.setScalar(size);
    for (const { sprite } of this.knobs) sprite.scale.setScalar(KNOB / size);
  }

  /** The knob that a ray passes closest to, if it passes near one. */
  knobAt(ray: Ray): Knob | null {
    if (!this.group.visible) return null;
    let best: { knob: Knob; off: number } | null = null;
    for (const { knob } of this.knobs) {
      const at = this.endOf(knob);
      const off = ray.distanceToPoint(at) / ray.origin.distanceTo(at);
      if (off < NEAR && (best === null || off < best.off)) best = { knob, off };
    }
    return best?.knob ?? null;
  }

  /** Where along a knob's axis, m of the shot, or about it, degrees, a ray points; null when it cannot be told. */
  reading(knob: Knob, ray: Ray): number | null {
    const axis = AXES[knob.axis];
    if (!knob.turns) {
      const across = ray.direction.clone().cross(axis);
      const square = across.lengthSq();
      if (square < 1e-4) return null;
      const away = this.centre.clone().sub(ray.origin);
      return this.centre.dot(axis) + away.cross(ray.direction).dot(across) / square;
    }
    const facing = ray.direction.dot(axis);
    if (Math.abs(facing) < 0.05) return null;
    const at = ray.origin.clone().addScaledVector(ray.direction, this.centre.clone().sub(ray.origin).dot(axis) / facing);
    at.sub(this.centre);
    const [u, v] = [AXES[((knob.axis + 1) % 3) as 0 | 1 | 2], AXES[((knob.axis + 2) % 3) as 0 | 1 | 2]];
    return (Math.atan2(at.dot(v), at.dot(u)) * 180) / Math.PI;
  }

  private endOf({ axis, turns }: Knob): Vector3 {
    return this.centre.clone().addScaledVector(AXES[axis], turns ? -this.size : this.size);
  }
}

function drawn(letter: string, round: boolean): CanvasTexture {
  const canvas = document.createElement("canvas");
  canvas.width = canvas.height = 64;
  const pen = canvas.getContext("2d");
  if (pen !== null) {
    pen.fillStyle = "#f3eee2";
    pen.strokeStyle = "#1e2f57";
    pen.lineWidth = 5;
    pen.beginPath();
    if (round) pen.arc(32, 32, 26, 0, 2 * Math.PI);
    else pen.rect(7, 7, 50, 50);
    pen.fill();
    pen.stroke();
    pen.fillStyle = "#1e2f57";
    pen.font = "600 32px 'IBM Plex Sans', sans-serif";
    pen.textAlign = "center";
    pen.textBaseline = "middle";
    pen.fillText(round ? `↻${letter}` : letter, 32, 34);
  }
  return new CanvasTexture(canvas);
}
