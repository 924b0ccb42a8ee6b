/** Border loops and held vertices, drawn over the garment: a thick line, and markers that read without colour. */
import {
  BufferGeometry,
  CanvasTexture,
  Float32BufferAttribute,
  Group,
  LineBasicMaterial,
  LineSegments,
  Points,
  PointsMaterial,
} from "three";
import { Line2 } from "three/examples/jsm/lines/Line2.js";
import { LineGeometry } from "three/examples/jsm/lines/LineGeometry.js";
import { LineMaterial } from "three/examples/jsm/lines/LineMaterial.js";
import type { Kind } from "../../domain/holds";

export class Borders {
  readonly group = new Group();
  private readonly held: Record<Kind, ReturnType<typeof marks>> = {
    follows: marks(crossStitch),
    sticks: marks(dot),
    stitched: marks(stitch),
    handle: marks(square),
    tether: marks(plumb),
    elastic: marks(wave),
  };
  private readonly chosen = marks(ring);
  private readonly links = new LineSegments(new BufferGeometry(), new LineBasicMaterial({ color: 0x1e2f57, depthTest: false }));
  private lines: Line2[] = [];

  constructor() {
    this.links.renderOrder = 2;
    this.links.frustumCulled = false;
    this.group.add(...Object.values(this.held), this.chosen, this.links);
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

  /** Mark vertices of `points` that are held, each kind of hold by a mark of its own shape. */
  showHeld(points: Float32Array, holds: readonly { kind: Kind; vertices: Uint32Array }[]): void {
    for (const kind of Object.keys(this.held) as Kind[]) {
      const vertices = holds.filter((hold) => hold.kind === kind).flatMap((hold) => [...hold.vertices]);
      place(this.held[kind], points, Uint32Array.from(vertices));
    }
  }

  /** Ring the vertices of `points` that are chosen. */
  showChosen(points: Float32Array, chosen: Uint32Array): void {
    place(this.chosen, points, chosen);
  }

  /** Lines from cloth to what holds it, pairs of points one after the other. */
  showLinks(ends: Float32Array): void {
    this.links.geometry.setAttribute("position", new Float32BufferAttribute(ends, 3));
    this.links.visible = ends.length > 0;
  }
}

const CROWDED = 200; // marks, from where on they are drawn smaller

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
  (marked.material as PointsMaterial).size = vertices.length > CROWDED ? 8 : 12;
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

function dot(pen: CanvasRenderingContext2D): void {
  pen.arc(16, 16, 3, 0, 2 * Math.PI);
}

function stitch(pen: CanvasRenderingContext2D): void {
  pen.moveTo(7, 16);
  pen.lineTo(25, 16);
}

function square(pen: CanvasRenderingContext2D): void {
  pen.rect(9, 9, 14, 14);
}

function plumb(pen: CanvasRenderingContext2D): void {
  pen.moveTo(16, 6);
  pen.lineTo(16, 20);
  pen.moveTo(11, 20);
  pen.lineTo(16, 27);
  pen.lineTo(21, 20);
  pen.lineTo(11, 20);
}

function wave(pen: CanvasRenderingContext2D): void {
  pen.moveTo(5, 20);
  pen.lineTo(11, 11);
  pen.lineTo(17, 20);
  pen.lineTo(23, 11);
  pen.lineTo(27, 17);
}

function ring(pen: CanvasRenderingContext2D): void {
  pen.arc(16, 16, 8, 0, 2 * Math.PI);
}
