/** The cast on the stage: one mesh a member, which moves, is shaded by values, or has places lit. */
import { Box3, Color, Mesh, MeshLambertMaterial, Ray, type Raycaster, type Scene, SRGBColorSpace, Vector3 } from "three";
import { toCreasedNormals } from "three/examples/jsm/utils/BufferGeometryUtils.js";
import { ramp } from "../domain/ramp";
import { boxOf, Surface } from "./surface";

const CREASE = 0.6; // rad between faces from which their edge is drawn sharp
const SEEN_THROUGH = 0.14; // opacity of what stands in the way
const MARKED = "#C04A3E"; // times a body's own tone
const BODY = { character: "#b7aa97", prop: "#8a8378", "set piece": "#a3a09a" } as const;

export type BodyKind = keyof typeof BODY;

interface Body {
  surface: Surface;
  kind: BodyKind;
  mesh: Mesh<Surface["geometry"], MeshLambertMaterial>;
  /** Around a set piece, which stands; null for all else. */
  box: Box3 | null;
}

export class Bodies {
  private readonly known = new Map<string, Body>();

  constructor(
    private readonly scene: Scene,
    private readonly changed: () => void,
  ) {}

  /** `place`: where it stands in the cast, which gives set pieces their tone. */
  put(name: string, kind: BodyKind, place: number, triangles: Uint32Array, rest: Float32Array): void {
    this.drop(name);
    const surface = new Surface(triangles, rest);
    // What was built with edges keeps them; a body is smooth all over.
    const geometry = kind === "set piece" ? toCreasedNormals(surface.geometry, CREASE) : surface.geometry;
    // Set pieces stand on each other: tones apart keep their edges apart.
    const tone = kind === "set piece" ? 0.78 + 0.17 * (place % 3) : 1;
    const colour = new Color(BODY[kind]).multiplyScalar(tone);
    const mesh = new Mesh(geometry, new MeshLambertMaterial({ color: colour, vertexColors: kind !== "set piece" }));
    mesh.castShadow = kind !== "set piece" || heightOf(rest) > 0.05;
    mesh.receiveShadow = true;
    this.known.set(name, { surface, kind, mesh, box: kind === "set piece" ? boxOf(rest) : null });
    this.scene.add(mesh);
    this.changed();
  }

  /** Whether the points (n x y z, m) were news. */
  move(name: string, positions: Float32Array): boolean {
    const body = this.known.get(name);
    if (body?.surface.show(positions) !== true) return false;
    if (body.box !== null) {
      // With edges of its own it has each corner of each triangle once.
      const corners = body.surface.geometry.getIndex();
      const drawn = body.mesh.geometry.getAttribute("position");
      for (let k = 0; corners !== null && k < drawn.count; k += 1) {
        const v = 3 * corners.getX(k);
        drawn.setXYZ(k, positions[v] as number, positions[v + 1] as number, positions[v + 2] as number);
      }
      drawn.needsUpdate = true;
      body.mesh.geometry.computeBoundingSphere();
      body.box = boxOf(positions);
    }
    this.changed();
    return true;
  }

  /** Take a body out of sight, or bring it back. */
  show(name: string, visible: boolean): void {
    const body = this.known.get(name);
    if (body === undefined || body.mesh.visible === visible) return;
    body.mesh.visible = visible;
    this.changed();
  }

  /** Every body in sight: where its points are, and its triangles. */
  shapes(): { points: Float32Array; triangles: Uint32Array }[] {
    return [...this.known.values()].filter(({ mesh }) => mesh.visible).map(({ surface }) => ({ points: surface.points, triangles: surface.corners }));
  }

  /** Where a ray first meets a body that is in sight. */
  at(raycaster: Raycaster): { name: string; place: [number, number, number]; facing: [number, number, number] } | null {
    let nearest: { name: string; place: [number, number, number]; facing: [number, number, number]; away: number } | null = null;
    for (const [name, { mesh }] of this.known) {
      if (!mesh.visible) continue;
      const [first] = raycaster.intersectObject(mesh, false);
      if (first?.face == null || (nearest !== null && first.distance > nearest.away)) continue;
      nearest = { name, place: first.point.toArray(), facing: first.face.normal.toArray(), away: first.distance };
    }
    return nearest;
  }

  /** Show a quantity per vertex on a body, from `low`, undyed, to `high`. */
  shade(name: string, values: Float32Array, low: number, high: number): void {
    const body = this.known.get(name);
    if (body?.surface.count !== values.length) return;
    body.mesh.material.color.set("#ffffff");
    const colour = new Color();
    body.surface.colour((vertex, out, at) => {
      colour.setRGB(...ramp(((values[vertex] as number) - low) / (high - low)), SRGBColorSpace).toArray(out, at);
    });
    this.changed();
  }

  /** Light some triangles of a body, or none. */
  mark(name: string, triangles: Uint32Array | null): void {
    const surface = this.known.get(name)?.surface;
    if (surface === undefined) return;
    const lit = new Set(triangles === null ? [] : surface.verticesOf(triangles));
    const colour = new Color(MARKED);
    surface.colour(
      lit.size === 0
        ? null
        : (vertex, out, at) => {
            if (lit.has(vertex)) colour.toArray(out, at);
            else out.fill(1, at, at + 3);
          },
    );
    this.changed();
  }

  drop(name: string): void {
    const body = this.known.get(name);
    if (body === undefined) return;
    this.scene.remove(body.mesh);
    body.mesh.material.dispose();
    body.surface.dispose();
    this.known.delete(name);
    this.changed();
  }

  /** Let set pieces that stand between the eye and the middle of what matters be seen through. */
  clearSight(eye: Vector3, middle: Vector3): void {
    const away = middle.distanceTo(eye);
    const ray = new Ray(eye, middle.clone().sub(eye).normalize());
    for (const { mesh, box } of this.known.values()) {
      if (box === null) continue;
      const met = ray.intersectBox(box, new Vector3());
      const between = !box.containsPoint(middle) && met !== null && met.distanceTo(eye) < away;
      if (mesh.material.transparent === between) continue;
      mesh.material.transparent = between;
      mesh.material.opacity = between ? SEEN_THROUGH : 1;
      mesh.material.depthWrite = !between;
      mesh.material.needsUpdate = true;
    }
  }

  names(): string[] {
    return [...this.known.keys()];
  }

  isCharacter(name: string): boolean {
    return this.known.get(name)?.kind === "character";
  }

  /** Around all bodies, or those of one kind; empty without any. */
  box(kind?: BodyKind): Box3 {
    const box = new Box3();
    for (const body of this.known.values()) if (kind === undefined || body.kind === kind) box.union(boxOf(body.surface.points));
    return box;
  }

  has(kind: BodyKind): boolean {
    return [...this.known.values()].some((body) => body.kind === kind);
  }
}

function heightOf(rest: Float32Array): number {
  const box = boxOf(rest);
  return box.max.y - Math.max(0, box.min.y);
}
