/** The cutting table: brown paper with the pieces in chalk, in the stage beside the figure. */
import { Box3, BoxGeometry, CanvasTexture, Group, Mesh, MeshBasicMaterial, MeshStandardMaterial, Plane, PlaneGeometry, type Ray, SRGBColorSpace, Vector3 } from "three";
import type { SeamReading } from "../../api/client";
import { type Meant, placeAt, type Spot, type Table } from "../../domain/sewing";

export interface ShownTable {
  table: Table;
  seams: readonly SeamReading[];
  /** What the pointer is over, and what is chosen. */
  lit: Meant | null;
  chosen: Meant | null;
  /** The seam that is lit, by its number. */
  seam: number | null;
  /** A line that is being drawn on a piece, mm. */
  line: { piece: string; points: readonly Spot[] } | null;
}

const TILT = 0.62; // radians that the table leans towards the viewer
const FRONT = 0.62; // m, height of its front edge
const ASIDE = 0.28; // m between the table and the figure
const PX = 0.72; // pixels of the paper to a mm
const MOST = 4096;
const INK = { paper: "#c3a678", grid: "rgb(120 92 52 / 0.22)", cloth: "rgb(233 222 196 / 0.34)", chalk: "#fbf7ea", grain: "rgb(251 247 234 / 0.8)", seam: "#2d4687", wrong: "#a8324a", lit: "rgb(255 235 170 / 0.55)", name: "rgb(58 44 22 / 0.85)" };

export class PatternTable {
  readonly group = new Group();
  private readonly canvas = document.createElement("canvas");
  private paper: Mesh | null = null;
  private shown: ShownTable | null = null;
  private size: Spot = [0, 0];

  constructor() {
    this.group.visible = false;
  }

  /** Show a pattern beside a box, or nothing. */
  show(shown: ShownTable | null, beside: Box3): void {
    this.shown = shown;
    this.group.visible = shown !== null;
    if (shown === null) return;
    const { width, height } = shown.table;
    if (this.paper === null || this.size[0] !== width || this.size[1] !== height) this.build(width, height);
    this.group.position.set(beside.min.x - ASIDE - width / 2000, Math.max(0, beside.min.y) + FRONT + (Math.sin(TILT) * height) / 2000, (beside.min.z + beside.max.z) / 2);
    this.group.updateMatrixWorld(true);
    this.draw(shown);
  }

  /** The place of the table under a ray, mm; null beside it. */
  at(ray: Ray): Spot | null {
    if (this.paper === null || !this.group.visible) return null;
    const facing = new Vector3(0, 0, 1).applyQuaternion(this.paper.getWorldQuaternion(this.paper.quaternion.clone()));
    const middle = this.paper.getWorldPosition(new Vector3());
    const hit = ray.intersectPlane(new Plane().setFromNormalAndCoplanarPoint(facing, middle), new Vector3());
    if (hit === null || ray.direction.dot(facing) > 0) return null;
    const own = this.paper.worldToLocal(hit);
    const place: Spot = [own.x * 1000 + this.size[0] / 2, own.y * 1000 + this.size[1] / 2];
    const room = 40;
    return place[0] < -room || place[1] < -room || place[0] > this.size[0] + room || place[1] > this.size[1] + room ? null : place;
  }

  /** What it takes up, m. */
  box(): Box3 {
    return this.group.visible ? new Box3().setFromObject(this.group) : new Box3();
  }

  private build(width: number, height: number): void {
    for (const child of [...this.group.children]) {
      this.group.remove(child);
      if (child instanceof Mesh) (child.geometry as PlaneGeometry).dispose();
    }
    this.size = [width, height];
    const fine = Math.min(PX, MOST / width, MOST / height);
    [this.canvas.width, this.canvas.height] = [Math.round(width * fine), Math.round(height * fine)];
    const map = new CanvasTexture(this.canvas);
    map.colorSpace = SRGBColorSpace;
    map.anisotropy = 8;
    this.paper = new Mesh(new PlaneGeometry(width / 1000, height / 1000), new MeshBasicMaterial({ map }));
    const board = new Mesh(new BoxGeometry(width / 1000 + 0.03, height / 1000 + 0.03, 0.028), new MeshStandardMaterial({ color: 0x8a6a3c, roughness: 0.8 }));
    board.position.z = -0.016;
    board.castShadow = board.receiveShadow = true;
    const leaning = new Group();
    leaning.rotation.x = -(Math.PI / 2 - TILT);
    leaning.add(this.paper, board);
    const wood = new MeshStandardMaterial({ color: 0x6f5430, roughness: 0.85 });
    for (const side of [-1, 1]) {
      for (const end of [-1, 1]) {
        const x = (side * (width - 160)) / 2000;
        const z = (end * (Math.cos(TILT) * height - 160)) / 2000;
        const top = -(Math.tan(TILT) * z) - 0.05;
        const tall = Math.max(0.1, FRONT + (Math.sin(TILT) * height) / 2000 + top);
        const leg = new Mesh(new BoxGeometry(0.045, tall, 0.045), wood);
        leg.position.set(x, top - tall / 2, z);
        leg.castShadow = true;
        this.group.add(leg);
      }
    }
    this.group.add(leaning);
  }

  private draw({ table, seams, lit, chosen, seam: litSeam, line: drawn }: ShownTable): void {
    const pen = this.canvas.getContext("2d");
    if (pen === null) return;
    const { width, height } = this.canvas;
    const scale = width / this.size[0];
    const to = ([x, y]: Spot): Spot => [x * scale, height - y * scale];
    pen.setTransform(1, 0, 0, 1, 0, 0);
    pen.fillStyle = INK.paper;
    pen.fillRect(0, 0, width, height);
    pen.strokeStyle = INK.grid;
    pen.lineWidth = 1;
    pen.beginPath();
    for (let x = 0; x < this.size[0]; x += 100) {
      pen.moveTo(x * scale, 0);
      pen.lineTo(x * scale, height);
    }
    for (let y = 0; y < this.size[1]; y += 100) {
      pen.moveTo(0, height - y * scale);
      pen.lineTo(width, height - y * scale);
    }
    pen.stroke();
    const lines = new Map<string, Spot[]>();
    const middles = new Map<string, Spot>();
    for (const { piece, by } of table.lying) {
      const moved = (point: Spot): Spot => [point[0] + by[0], point[1] + by[1]];
      const ring = piece.edges.flatMap((edge) => edge.line_mm.slice(0, -1).map(moved));
      for (const edge of piece.edges) lines.set(`${piece.name}\n${edge.name}`, edge.line_mm.map(moved));
      const xs = ring.map(([x]) => x);
      const ys = ring.map(([, y]) => y);
      const middle: Spot = [(Math.min(...xs) + Math.max(...xs)) / 2, (Math.min(...ys) + Math.max(...ys)) / 2];
      middles.set(piece.name, middle);
      const whole = (lit?.kind === "piece" && lit.piece === piece.name) || (chosen?.kind === "piece" && chosen.piece === piece.name);
      path(pen, ring.map(to), true);
      pen.fillStyle = whole ? INK.lit : INK.cloth;
      pen.fill();
      pen.strokeStyle = INK.chalk;
      pen.lineWidth = 3;
      pen.lineJoin = "round";
      pen.stroke();
      grain(pen, to(middle), piece.grain, Math.min(90, (Math.max(...ys) - Math.min(...ys)) / 4) * scale);
      pen.fillStyle = INK.name;
      pen.font = `600 ${Math.round(26 * Math.max(0.7, scale / PX))}px 'IBM Plex Sans', sans-serif`;
      pen.textAlign = "center";
      pen.textBaseline = "top";
      const small = Math.max(...ys) - Math.min(...ys) < 90;
      const label = to([middle[0], small ? Math.min(...ys) - 8 : middle[1] - 14]);
      pen.fillText(piece.name, label[0], label[1] + (small ? 0 : 10));
      for (const line of piece.lines) {
        path(pen, line.points_mm.map((point) => to(moved(point))), false);
        pen.lineWidth = 1.5;
        pen.stroke();
      }
      for (const notch of piece.notches) {
        const line = lines.get(`${piece.name}\n${notch.run}`);
        const length = piece.edges.find((edge) => edge.name === notch.run)?.length_mm ?? 1;
        if (line !== undefined) dot(pen, to(placeAt(line, notch.along_mm / length)), 5, INK.chalk);
      }
    }
    for (const one of seams) {
      const tone = one.warning === "" ? INK.seam : INK.wrong;
      for (const side of [one.one, one.other]) {
        const edges = side.map(([piece, run]) => ({ line: lines.get(`${piece}\n${run}`) ?? [], middle: middles.get(piece) ?? ([0, 0] as Spot) }));
        for (const { line } of edges) {
          path(pen, line.map(to), false);
          pen.strokeStyle = tone;
          pen.lineWidth = one.number === litSeam ? 9 : 5;
          pen.setLineDash(one.basted ? [3, 11] : [10, 8]);
          pen.stroke();
          pen.setLineDash([]);
        }
        const first = edges[0];
        if (first === undefined || first.line.length < 2) continue;
        const place = placeAt(first.line, 0.5);
        const inward: Spot = [first.middle[0] - place[0], first.middle[1] - place[1]];
        const size = Math.max(1, Math.hypot(...inward));
        const at = to([place[0] + (26 * inward[0]) / size, place[1] + (26 * inward[1]) / size]);
        dot(pen, at, 17, one.number === litSeam ? "#ffe9a8" : "rgb(250 247 239 / 0.92)");
        pen.fillStyle = tone;
        pen.font = "600 22px 'IBM Plex Mono', monospace";
        pen.textAlign = "center";
        pen.textBaseline = "middle";
        pen.fillText(String(one.number), at[0], at[1] + 1);
        if (one.number === litSeam) arrow(pen, first.line.map(to), tone);
      }
    }
    for (const meant of [chosen, lit]) {
      if (meant?.kind !== "edge") continue;
      path(pen, (lines.get(`${meant.piece}\n${meant.run}`) ?? []).map(to), false);
      pen.strokeStyle = "#ffe9a8";
      pen.lineWidth = 7;
      pen.stroke();
    }
    for (const { piece, by } of table.lying) {
      const near = [lit, chosen].some((meant) => meant?.piece === piece.name);
      for (const run of piece.runs) {
        for (const [at, point] of run.points_mm.entries()) {
          const on = [lit, chosen].some((meant) => meant?.kind === "point" && meant.piece === piece.name && meant.run === run.name && meant.at === at);
          const place = to([point[0] + by[0], point[1] + by[1]]);
          if (on) dot(pen, place, 12, "#ffe9a8");
          dot(pen, place, on ? 8 : near ? 7 : at === 0 ? 5 : 3.5, at === 0 ? INK.chalk : "#e9dfc2");
        }
      }
    }
    const under = table.lying.find(({ piece }) => piece.name === drawn?.piece);
    if (drawn !== null && under !== undefined) {
      const places = drawn.points.map(([x, y]) => to([x + under.by[0], y + under.by[1]]));
      path(pen, places, false);
      pen.strokeStyle = "#ffe9a8";
      pen.lineWidth = 4;
      pen.stroke();
      for (const place of places) dot(pen, place, 6, "#ffe9a8");
    }
    const map = (this.paper?.material as MeshBasicMaterial | undefined)?.map;
    if (map != null) map.needsUpdate = true;
  }

  /** What is shown now. */
  get now(): ShownTable | null {
    return this.shown;
  }
}

function path(pen: CanvasRenderingContext2D, points: readonly Spot[], closed: boolean): void {
  pen.beginPath();
  for (const [k, [x, y]] of points.entries()) {
    if (k === 0) pen.moveTo(x, y);
    else pen.lineTo(x, y);
  }
  if (closed) pen.closePath();
}

function dot(pen: CanvasRenderingContext2D, [x, y]: Spot, radius: number, fill: string): void {
  pen.beginPath();
  pen.arc(x, y, radius, 0, 2 * Math.PI);
  pen.fillStyle = fill;
  pen.fill();
}

/** A line along the warp with a head at its upper end. */
function grain(pen: CanvasRenderingContext2D, [x, y]: Spot, degrees: number, half: number): void {
  pen.save();
  pen.translate(x, y);
  pen.rotate((-degrees * Math.PI) / 180);
  pen.strokeStyle = INK.grain;
  pen.lineWidth = 2;
  pen.beginPath();
  pen.moveTo(0, half * 0.35);
  pen.lineTo(0, -half);
  pen.moveTo(-8, -half + 12);
  pen.lineTo(0, -half);
  pen.lineTo(8, -half + 12);
  pen.stroke();
  pen.restore();
}

/** Which way a side of a seam runs. */
function arrow(pen: CanvasRenderingContext2D, line: readonly Spot[], tone: string): void {
  const [a, b] = [placeAt(line, 0.72), placeAt(line, 0.78)];
  const way = Math.atan2(b[1] - a[1], b[0] - a[0]);
  pen.save();
  pen.translate(b[0], b[1]);
  pen.rotate(way);
  pen.beginPath();
  pen.moveTo(12, 0);
  pen.lineTo(-12, -12);
  pen.lineTo(-12, 12);
  pen.closePath();
  pen.fillStyle = tone;
  pen.fill();
  pen.restore();
}
