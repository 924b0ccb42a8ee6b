/** A grown human of 1.75 m as a flat outline with a measure beside it, to compare heights with. */
import {
  BufferGeometry,
  DoubleSide,
  Float32BufferAttribute,
  Group,
  LineBasicMaterial,
  LineSegments,
  Mesh,
  MeshBasicMaterial,
  Shape,
  ShapeGeometry,
} from "three";
import { HUMAN_OUTLINE, STATURE } from "../../domain/stature";

export function silhouette(): Group {
  const shape = new Shape();
  HUMAN_OUTLINE.forEach(([x, y], index) => {
    if (index === 0) shape.moveTo(x * STATURE, y * STATURE);
    else shape.lineTo(x * STATURE, y * STATURE);
  });
  const fill = new MeshBasicMaterial({ color: "#4d5560", transparent: true, opacity: 0.3, side: DoubleSide, depthWrite: false });
  const group = new Group();
  group.add(new Mesh(new ShapeGeometry(shape), fill));
  const marks: number[] = [0.3, 0, 0, 0.3, STATURE, 0];
  for (let height = 0; height <= STATURE + 1e-6; height += 0.25) {
    marks.push(0.3, height, 0, 0.3 + (Math.round(height * 4) % 4 === 0 ? 0.07 : 0.04), height, 0);
  }
  const measure = new BufferGeometry();
  measure.setAttribute("position", new Float32BufferAttribute(marks, 3));
  group.add(new LineSegments(measure, new LineBasicMaterial({ color: "#1f2d3a" })));
  return group;
}
