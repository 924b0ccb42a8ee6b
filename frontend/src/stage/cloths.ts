/** The garments on the stage, each in one pane: how they look, what is drawn on them, and where a ray meets them. */
import { Box3, Color, Mesh, type MeshLambertMaterial, type Raycaster, type Scene, SRGBColorSpace, Vector3 } from "three";
import { acceleratedRaycast, MeshBVH } from "three-mesh-bvh";
import { ramp } from "../domain/ramp";
import type { Look } from "../state/room";
import { applyChalk, applyLook, clothMaterial, type Tones } from "./clothMaterial";
import type { ClothHit } from "./picking";
import { boxOf, Surface } from "./surface";

const FACING = 0.05; // m around a place, whose normals say which way it faces

// One tone pair a garment, in dressing order; all our own dyes.
export const DYES: readonly Tones[] = [
  { outside: "#8fa0c8", inside: "#c0785f" },
  { outside: "#d9cfa6", inside: "#6f8f83" },
  { outside: "#a3ab8e", inside: "#7d6a86" },
];

interface Cloth {
  surface: Surface;
  mesh: Mesh<Surface["geometry"], MeshLambertMaterial>;
  tones: Tones;
  pane: number;
  visible: boolean;
  /** Whether it moved since rays were last asked of it. */
  moved: boolean;
}

export class Cloths {
  private readonly known = new Map<string, Cloth>();
  private look: Look = "cloth";

  constructor(
    private readonly scene: Scene,
    private readonly changed: () => void,
  ) {}

  put(key: string, dye: number, pane: number, triangles: Uint32Array, rest: Float32Array): void {
    this.drop(key);
    const tones = DYES[dye % DYES.length] as Tones;
    const surface = new Surface(triangles, rest);
    const mesh = new Mesh(surface.geometry, clothMaterial(tones));
    mesh.raycast = acceleratedRaycast;
    mesh.castShadow = true;
    mesh.receiveShadow = true;
    this.known.set(key, { surface, mesh, tones, pane, visible: true, moved: false });
    this.scene.add(mesh);
    applyLook(mesh.material, this.look, tones);
    this.changed();
  }

  move(key: string, positions: Float32Array): void {
    const cloth = this.known.get(key);
    if (cloth?.surface.show(positions) !== true) return;
    cloth.moved = true;
    this.changed();
  }

  /** Cloth that is not there at this frame is not drawn. */
  show(key: string, visible: boolean): void {
    const cloth = this.known.get(key);
    if (cloth === undefined || cloth.visible === visible) return;
    cloth.visible = visible;
    this.changed();
  }

  drop(key: string): void {
    const cloth = this.known.get(key);
    if (cloth === undefined) return;
    this.scene.remove(cloth.mesh);
    cloth.mesh.material.dispose();
    cloth.surface.dispose();
    this.known.delete(key);
    this.changed();
  }

  keys(): string[] {
    return [...this.known.keys()];
  }

  /** Stand a cloth in another pane. */
  setPane(key: string, pane: number): void {
    const cloth = this.known.get(key);
    if (cloth === undefined) return;
    cloth.pane = pane;
    this.changed();
  }

  /** Draw only what stands in a pane. */
  showPane(pane: number): void {
    for (const cloth of this.known.values()) cloth.mesh.visible = cloth.pane === pane && cloth.visible;
  }

  setLook(look: Look): void {
    this.look = look;
    for (const { mesh, tones, surface } of this.known.values()) {
      applyLook(mesh.material, look, tones);
      if (look !== "stretch" && look !== "closeness") surface.colour(null);
    }
    this.changed();
  }

  /** Colour a cloth by values: undyed at `low`, indigo at `high`. */
  shade(key: string, values: Float32Array, low: number, high: number): void {
    const cloth = this.known.get(key);
    if (cloth === undefined || values.length !== cloth.surface.count) return;
    const colour = new Color();
    cloth.surface.colour((vertex, out, at) => {
      const [r, g, b] = ramp(((values[vertex] as number) - low) / (high - low));
      colour.setRGB(r, g, b, SRGBColorSpace);
      out[at] = colour.r;
      out[at + 1] = colour.g;
      out[at + 2] = colour.b;
    });
    this.changed();
  }

  /** Show a map's values from `low` to `high` on a cloth, with lines of equal value; its own tones without any. */
  chalk(key: string, values: Float32Array | null, low = 0, high = 1): void {
    const cloth = this.known.get(key);
    if (cloth === undefined || (values !== null && values.length !== cloth.surface.count)) return;
    applyChalk(cloth.mesh.material, values !== null, cloth.tones);
    if (values === null) cloth.surface.colour(null);
    else {
      this.shade(key, values, low, high);
      cloth.surface.draw(values, low, high);
    }
    this.changed();
  }

  /** Where a ray first meets a cloth, as it stands. */
  at(key: string, raycaster: Raycaster): ClothHit | null {
    const cloth = this.known.get(key);
    if (cloth === undefined) return null;
    const { geometry } = cloth.surface;
    // The tree is made when the first ray comes, and follows the points when they have moved.
    if (geometry.boundsTree === undefined) geometry.boundsTree = new MeshBVH(geometry, { indirect: true });
    else if (cloth.moved) geometry.boundsTree.refit();
    cloth.moved = false;
    raycaster.firstHitOnly = true;
    const [first] = raycaster.intersectObject(cloth.mesh, false);
    if (first?.face == null) return null;
    const { a, b, c, normal } = first.face;
    return { place: first.point.toArray(), facing: normal.toArray(), corners: [a, b, c] };
  }

  /** Where the points of a cloth are now, x y z each, and its triangles. */
  meshOf(key: string): { points: Float32Array; triangles: Uint32Array } | null {
    const surface = this.known.get(key)?.surface;
    return surface === undefined ? null : { points: surface.points, triangles: surface.corners };
  }

  /** Every cloth of a pane: where its points are, and its triangles. */
  inPane(pane: number): { points: Float32Array; triangles: Uint32Array }[] {
    return [...this.known.values()].filter((cloth) => cloth.pane === pane && cloth.visible).map(({ surface }) => ({ points: surface.points, triangles: surface.corners }));
  }

  /** Which way the cloth of a pane faces about a place: outwards, the mean of its normals within a few centimetres. */
  facingAt(place: Vector3, pane: number): Vector3 {
    const out = new Vector3();
    const box = new Box3();
    for (const cloth of this.known.values()) {
      if (cloth.pane !== pane || !cloth.visible) continue;
      const { points } = cloth.surface;
      box.union(boxOf(points));
      const normals = cloth.surface.geometry.getAttribute("normal").array;
      for (let at = 0; at < points.length; at += 3) {
        const away = Math.hypot((points[at] as number) - place.x, (points[at + 1] as number) - place.y, (points[at + 2] as number) - place.z);
        if (away < FACING) out.add(new Vector3(normals[at], normals[at + 1], normals[at + 2]));
      }
    }
    if (out.length() > 1e-6) return out.normalize();
    return place.clone().sub(box.getCenter(new Vector3())).normalize();
  }

  /** Around all cloth that is there. */
  box(): Box3 {
    const box = new Box3();
    for (const { surface, visible, pane } of this.known.values()) if (visible && pane >= 0) box.union(boxOf(surface.points));
    return box;
  }
}
