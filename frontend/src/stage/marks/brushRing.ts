/** The ring of a brush, lying on the cloth under the pointer. */
import { BufferGeometry, Line, LineBasicMaterial, Vector3 } from "three";
import type { ClothHit } from "../picking";

const SIDES = 72;
const ABOVE = 0.002; // m off the cloth

export class BrushRing {
  readonly line: Line;

  constructor() {
    const circle = Array.from({ length: SIDES + 1 }, (_, k) => {
      const angle = (2 * Math.PI * k) / SIDES;
      return new Vector3(Math.cos(angle), Math.sin(angle), 0);
    });
    this.line = new Line(new BufferGeometry().setFromPoints(circle), new LineBasicMaterial({ color: "#b4532a", depthTest: false }));
    this.line.renderOrder = 3;
    this.line.visible = false;
  }

  show(at: ClothHit | null, radius: number): void {
    this.line.visible = at !== null;
    if (at === null) return;
    const facing = new Vector3(...at.facing);
    this.line.position.set(...at.place).addScaledVector(facing, ABOVE);
    this.line.quaternion.setFromUnitVectors(new Vector3(0, 0, 1), facing.normalize());
    this.line.scale.setScalar(radius);
  }
}
