/** A line that is being drawn from one place to another, seen through everything. */
import { CylinderGeometry, Mesh, MeshBasicMaterial, Vector3 } from "three";

export type Ends = readonly [readonly [number, number, number], readonly [number, number, number]];

const THICK = 0.002; // m
const UP = new Vector3(0, 1, 0);

export class DrawnLine {
  readonly line: Mesh;

  constructor() {
    this.line = new Mesh(new CylinderGeometry(THICK, THICK, 1, 6), new MeshBasicMaterial({ color: "#b4532a", depthTest: false, transparent: true }));
    this.line.renderOrder = 3;
    this.line.visible = false;
  }

  show(ends: Ends | null): void {
    this.line.visible = ends !== null;
    if (ends === null) return;
    const [from, to] = ends.map((place) => new Vector3(...place)) as [Vector3, Vector3];
    const way = to.clone().sub(from);
    this.line.position.copy(from).addScaledVector(way, 0.5);
    this.line.scale.set(1, Math.max(way.length(), 1e-6), 1);
    this.line.quaternion.setFromUnitVectors(UP, way.normalize());
  }
}
