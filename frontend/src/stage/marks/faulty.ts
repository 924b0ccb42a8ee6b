/** Triangles of a mesh, lit over everything: those that are wrong, or a piece that is meant. */
import { BufferAttribute, BufferGeometry, DoubleSide, Group, LineBasicMaterial, LineSegments, Mesh, MeshBasicMaterial } from "three";

export class Faulty {
  readonly group = new Group();
  private readonly faces: Mesh;
  private readonly lines = new LineSegments(new BufferGeometry(), new LineBasicMaterial({ color: 0x6b1f17, depthTest: false }));

  /** tone: of a piece, which is lit softly and without its edges; without one the triangles are wrong. */
  constructor(tone?: number) {
    this.faces = new Mesh(new BufferGeometry(), new MeshBasicMaterial({ color: tone ?? 0x9e3a2f, side: DoubleSide, transparent: true, opacity: tone === undefined ? 0.55 : 0.3, depthTest: false }));
    this.lines.visible = tone === undefined;
    this.faces.renderOrder = 3;
    this.lines.renderOrder = 4;
    this.faces.frustumCulled = this.lines.frustumCulled = false;
    this.group.add(this.faces, this.lines);
  }

  /** Light triangles, nine numbers each, m. */
  show(places: Float32Array): void {
    const sides = new Float32Array(2 * places.length);
    for (let at = 0; at < places.length; at += 9) {
      for (const [side, [a, b]] of [[0, 3], [3, 6], [6, 0]].entries()) {
        sides.set(places.subarray(at + (a ?? 0), at + (a ?? 0) + 3), 2 * at + 6 * side);
        sides.set(places.subarray(at + (b ?? 0), at + (b ?? 0) + 3), 2 * at + 6 * side + 3);
      }
    }
    this.faces.geometry.setAttribute("position", new BufferAttribute(places.slice(), 3));
    this.lines.geometry.setAttribute("position", new BufferAttribute(sides, 3));
    this.group.visible = places.length > 0;
  }
}
