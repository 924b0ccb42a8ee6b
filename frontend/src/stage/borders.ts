/** Border loops and held vertices, drawn over the garment: a thick line, and markers that read without colour. */
import {
  BufferGeometry,
  CanvasTexture,
  Float32BufferAttribute,
  Group,
  Points,
  PointsMaterial,
} from "three";
import { Line2 } from "three/examples/jsm/lines/Line2.js";
import { LineGeometry } from "three/examples/jsm/lines/LineGeometry.js";
import { LineMaterial } from "three/examples/jsm/lines/LineMaterial.js";

export class Borders {
  readonly group = new Group();
  private readonly held = marks(crossStitch);
  private readonly chosen = marks(ring);
  private lines: Line2[] = [];

  constructor() {
    this.group.add(this.held, this.chosen);
  }

  /** Draw `loops` of vertices of `points`; the one at `lit` is thick and solid, the others thin and dashed. */
  showLoops(points: Float32Array, loops: readonly Uint32Array[], lit: number | null): void {
    for (const line of this.lines) {
      this.group.remove(line);
      line.geometry.dispose();
      line.material.dispose();
    }
    this.lines = loops.map((loop, index) => {
      const line = new Line2(new LineGeometry(), lineMaterial(index === lit));
      line.geometry.setPositions(closed(points, loop));
      line.computeLineDistances();
      line.renderOrder = 2;
      this.group.add(line);
      return line;
    });
  }

  /** Mark vertices of `points`: a cross stitch where they are held, a ring where they would be. */
  showMarks(points: Float32Array, held: Uint32Array, chosen: Uint32Array): void {
    place(this.held, points, held);
    place(this.chosen, points, chosen);
  }
}

function marks(draw: (pen: CanvasRenderingContext2D) => void): Points<BufferGeometry, PointsMaterial> {
  const material = new PointsMaterial({ size: 12, sizeAttenuation: false, map: drawn(draw), transparent: true, depthTest: false });
  const points = new Points(new BufferGeometry(), material);
  points.renderOrder = 3;
  points.frustumCulled = false;
  points.visible = false;
  return points;
}

function place(marked: Points, points: Float32Array, vertices: Uint32Array): void {
  const places = new Float32Array(3 * vertices.length);
  vertices.forEach((vertex, index) => {
    places.set(points.subarray(3 * vertex, 3 * vertex + 3), 3 * index);
  });
  marked.geometry.setAttribute("position", new Float32BufferAttribute(places, 3));
  marked.visible = vertices.length > 0;
}

function closed(points: Float32Array, loop: Uint32Array): number[] {
  const out: number[] = [];
  for (const vertex of [...loop, loop[0] ?? 0]) out.push(...points.subarray(3 * vertex, 3 * vertex + 3));
  return out;
}

function lineMaterial(lit: boolean): LineMaterial {
  return new LineMaterial({
    color: lit ? 0x1e2f57 : 0x34508c,
    linewidth: lit ? 6 : 2,
    dashed: !lit,
    dashSize: 0.02,
    gapSize: 0.012,
    depthTest: !lit,
  });
}

/** A small picture on a canvas of its own, drawn in calico and then, thinner, in ink. */
function drawn(draw: (pen: CanvasRenderingContext2D) => void): CanvasTexture {
  const canvas = document.createElement("canvas");
  canvas.width = canvas.height = 32;
  const pen = canvas.getContext("2d");
  if (pen !== null) {
    pen.lineCap = "round";
    for (const [colour, width] of [
      ["#f3eee2", 10],
      ["#1e2f57", 4.5],
    ] as const) {
      pen.strokeStyle = colour;
      pen.lineWidth = width;
      pen.beginPath();
      draw(pen);
      pen.stroke();
    }
  }
  return new CanvasTexture(canvas);
}

function crossStitch(pen: CanvasRenderingContext2D): void {
  pen.moveTo(8, 8);
  pen.lineTo(24, 24);
  pen.moveTo(24, 8);
  pen.lineTo(8, 24);
}

function ring(pen: CanvasRenderingContext2D): void {
  pen.arc(16, 16, 8, 0, 2 * Math.PI);
}
