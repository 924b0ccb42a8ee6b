/** The camera: where it looks from, how it is turned, and which ray lies under a place on the canvas. */
import { type Box3, MOUSE, PerspectiveCamera, Raycaster, Vector2, Vector3 } from "three";
import { OrbitControls } from "three/examples/jsm/controls/OrbitControls.js";
import type { View } from "../state/room";
import type { Ray } from "./picking";

const DIRECTIONS: Record<View, Vector3> = {
  front: new Vector3(0, 0.08, 1),
  back: new Vector3(0, 0.08, -1),
  "three-quarter": new Vector3(0.62, 0.16, 0.78),
  side: new Vector3(1, 0.08, 0),
  table: new Vector3(0, 0.8, 0.62),
  "table and figure": new Vector3(0.05, 0.3, 0.95),
};
const ROOM = 1.36; // picture's height for the subject's: the looks and views stand above it
const LOWER = 0.06; // of half the subject's height, by which it stands below the middle
const NEAR_PLACE = 0.75; // m, from which a place of the cloth is looked at
const FURTHEST = 25; // m, of the camera from an ordinary scene

export class StageCamera {
  readonly eye = new PerspectiveCamera(32, 1, 0.02, 60);
  readonly raycaster = new Raycaster();
  private readonly controls: OrbitControls;

  constructor(canvas: HTMLCanvasElement, changed: () => void) {
    this.controls = new OrbitControls(this.eye, canvas);
    this.controls.enableDamping = false;
    this.controls.minDistance = 0.15;
    this.controls.maxDistance = FURTHEST;
    this.controls.addEventListener("change", changed);
  }

  /** The place that it turns about. */
  get middle(): Vector3 {
    return this.controls.target;
  }

  /** Width over height of one pane. */
  setAspect(aspect: number): void {
    this.eye.aspect = aspect;
    this.eye.updateProjectionMatrix();
  }

  /** Look from a card's direction at all of a box. */
  view(card: View, box: Box3): void {
    const centre = box.getCenter(new Vector3());
    const size = box.getSize(new Vector3());
    const across = 0.5 * Math.hypot(size.x, size.z);
    const half = Math.max(size.y / 2, (0.9 * across) / Math.min(1.25, this.eye.aspect));
    const room = card === "table and figure" ? 0.8 * ROOM : ROOM; // a table lies flat: it is seen shorter than it is deep
    const distance = (half * room) / Math.tan((this.eye.fov * Math.PI) / 360) + 0.3 * across;
    this.controls.maxDistance = Math.max(FURTHEST, 3 * distance);
    centre.y += LOWER * half;
    this.controls.target.copy(centre);
    this.eye.position.copy(centre).addScaledVector(DIRECTIONS[card].clone().normalize(), distance);
    this.eye.near = distance / 100;
    this.eye.far = distance * 12 + 10;
    this.eye.updateProjectionMatrix();
    this.controls.update();
  }

  /** Look at a place from the way its surface faces, near enough to see a hand's breadth around it. */
  flyTo(place: Vector3, facing: Vector3): void {
    const way = facing.clone().setY(Math.max(-0.3, Math.min(0.6, facing.y))).normalize();
    if (way.lengthSq() < 0.5) way.copy(this.eye.position).sub(place).normalize();
    this.controls.target.copy(place);
    this.eye.position.copy(place).addScaledVector(way, NEAR_PLACE);
    this.eye.near = 0.01;
    this.eye.updateProjectionMatrix();
    this.controls.update();
  }

  /** Turn by angles (radians) or come nearer by a factor, from the keyboard. */
  nudge(turn: number, tilt: number, nearer: number): void {
    const offset = this.eye.position.clone().sub(this.controls.target);
    offset.applyAxisAngle(new Vector3(0, 1, 0), turn);
    const across = new Vector3(0, 1, 0).cross(offset).normalize();
    offset.applyAxisAngle(across, tilt).multiplyScalar(nearer);
    this.eye.position.copy(this.controls.target).add(offset);
    this.controls.update();
  }

  /** Point the raycaster through a place of a pane, in shares of its size from the upper left. */
  aim(x: number, y: number): Ray {
    this.eye.updateMatrixWorld();
    this.raycaster.setFromCamera(new Vector2(2 * x - 1, 1 - 2 * y), this.eye);
    const { origin, direction } = this.raycaster.ray;
    return { origin: origin.toArray(), direction: direction.toArray() };
  }

  /** Where it is and how it projects, as the desk wants it to know what was drawn around. */
  projection(): { projection: number[]; eye: [number, number, number] } {
    this.eye.updateMatrixWorld();
    const projection = this.eye.projectionMatrix.clone().multiply(this.eye.matrixWorldInverse);
    return { projection: projection.toArray(), eye: this.eye.position.toArray() };
  }

  /** Whether dragging turns the camera; where it draws, the other buttons still do. */
  turnByDragging(turns: boolean): void {
    this.controls.mouseButtons = { LEFT: turns ? MOUSE.ROTATE : null, MIDDLE: MOUSE.DOLLY, RIGHT: turns ? MOUSE.PAN : MOUSE.ROTATE };
  }

  dispose(): void {
    this.controls.dispose();
  }
}
