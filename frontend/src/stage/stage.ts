/** The stage: renderer, camera, light, body and one cloth per pane. Knows nothing of React or the API. */
import {
  Box3,
  Color,
  Group,
  Mesh,
  MeshLambertMaterial,
  MOUSE,
  PerspectiveCamera,
  Raycaster,
  Scene,
  SRGBColorSpace,
  Vector2,
  Vector3,
  WebGLRenderer,
} from "three";
import { OrbitControls } from "three/examples/jsm/controls/OrbitControls.js";
import { toCreasedNormals } from "three/examples/jsm/utils/BufferGeometryUtils.js";
import { ramp } from "../domain/ramp";
import type { Look, View } from "../state/room";
import { Borders } from "./borders";
import { HandleMark, type Knob } from "./handleMark";
import { applyChalk, applyLook, clothMaterial, type Tones } from "./clothMaterial";
import { BrushRing } from "./brushRing";
import { DrawnLine, type Ends } from "./drawnLine";
import { Daylight } from "./lights";
import { silhouette } from "./silhouette";
import { Surface } from "./surface";

const DIRECTIONS: Record<View, Vector3> = {
  front: new Vector3(0, 0.08, 1),
  back: new Vector3(0, 0.08, -1),
  "three-quarter": new Vector3(0.62, 0.16, 0.78),
  side: new Vector3(1, 0.08, 0),
};
// One tone pair a garment, in dressing order; all our own dyes.
export const DYES: readonly Tones[] = [
  { outside: "#8fa0c8", inside: "#c0785f" },
  { outside: "#d9cfa6", inside: "#6f8f83" },
  { outside: "#a3ab8e", inside: "#7d6a86" },
];
const CREASE = 0.6; // rad between faces from which their edge is drawn sharp
const FURTHEST = 25; // m, of the camera from an ordinary scene
const MARKED = "#C04A3E"; // times a body's own tone
const BODY = { character: "#b7aa97", prop: "#8a8378", "set piece": "#a3a09a" } as const;

export interface Ray {
  origin: [number, number, number];
  direction: [number, number, number];
}

export interface ClothHit {
  place: [number, number, number];
  facing: [number, number, number];
  corners: [number, number, number];
}

interface Cloth {
  surface: Surface;
  mesh: Mesh<Surface["geometry"], MeshLambertMaterial>;
  tones: Tones;
  pane: number;
}

export class Stage {
  readonly borders = new Borders();
  private readonly handle = new HandleMark();
  private readonly ring = new BrushRing();
  private readonly drawnLine = new DrawnLine();
  private readonly renderer: WebGLRenderer;
  private readonly scene = new Scene();
  private readonly camera = new PerspectiveCamera(32, 1, 0.02, 60);
  private readonly controls: OrbitControls;
  private readonly light: Daylight;
  private readonly bodies = new Map<string, { surface: Surface; kind: keyof typeof BODY }>();
  private readonly cloths = new Map<string, Cloth>();
  private readonly person: Group = silhouette();
  private readonly raycaster = new Raycaster();
  private panes = 1;
  private look: Look = "cloth";
  private dirty = true;
  private running = true;

  constructor(canvas: HTMLCanvasElement, background: string) {
    this.renderer = new WebGLRenderer({ canvas, antialias: true });
    this.renderer.outputColorSpace = SRGBColorSpace;
    this.renderer.setPixelRatio(Math.min(2, window.devicePixelRatio));
    this.setBackground(background);
    this.light = new Daylight(this.scene, this.renderer);
    this.controls = new OrbitControls(this.camera, canvas);
    this.controls.enableDamping = false;
    this.controls.minDistance = 0.15;
    this.controls.maxDistance = FURTHEST;
    this.controls.addEventListener("change", () => {
      this.wake();
    });
    this.person.visible = false;
    this.scene.add(this.person, this.borders.group, this.handle.group, this.ring.line, this.drawnLine.line);
    const draw = () => {
      if (!this.running) return;
      if (this.dirty) this.draw();
      requestAnimationFrame(draw);
    };
    requestAnimationFrame(draw);
  }

  /** Draw again at the next opportunity. */
  wake(): void {
    this.dirty = true;
  }

  setBackground(colour: string): void {
    this.scene.background = new Color(colour);
    this.wake();
  }

  resize(width: number, height: number): void {
    this.renderer.setSize(width, height, false);
    this.wake();
  }

  /** Side by side when 2; says whether that is new. */
  setPanes(count: number): boolean {
    const changed = this.panes !== Math.max(1, count);
    this.panes = Math.max(1, count);
    this.wake();
    return changed;
  }

  /** `place`: where it stands in the cast, which gives set pieces their tone. */
  putBody(name: string, kind: keyof typeof BODY, place: number, triangles: Uint32Array, rest: Float32Array): void {
    this.dropBody(name);
    const surface = new Surface(triangles, rest);
    // What was built with edges keeps them; a body is smooth all over.
    const geometry = kind === "set piece" ? toCreasedNormals(surface.geometry, CREASE) : surface.geometry;
    // Set pieces stand on each other: tones apart keep their edges apart.
    const tone = kind === "set piece" ? 0.78 + 0.17 * (place % 3) : 1;
    const colour = new Color(BODY[kind]).multiplyScalar(tone);
    const mesh = new Mesh(geometry, new MeshLambertMaterial({ color: colour, vertexColors: kind !== "set piece" }));
    mesh.name = `body ${name}`;
    mesh.castShadow = kind !== "set piece" || surfaceHeight(rest) > 0.05;
    mesh.receiveShadow = true;
    this.bodies.set(name, { surface, kind });
    this.scene.add(mesh);
    this.wake();
  }

  moveBody(name: string, positions: Float32Array): void {
    if (this.bodies.get(name)?.surface.show(positions)) {
      if (this.bodies.get(name)?.kind === "character") this.lightCharacter();
      this.wake();
    }
  }

  /** Show a quantity per vertex on a body, from `low`, undyed, to `high`. */
  shadeBody(name: string, values: Float32Array, low: number, high: number): void {
    const surface = this.bodies.get(name)?.surface;
    if (surface?.count !== values.length) return;
    const mesh = this.scene.getObjectByName(`body ${name}`) as Mesh | undefined;
    if (mesh !== undefined) (mesh.material as MeshLambertMaterial).color.set("#ffffff");
    const colour = new Color();
    surface.colour((vertex, out, at) => {
      colour.setRGB(...ramp(((values[vertex] as number) - low) / (high - low)), SRGBColorSpace).toArray(out, at);
    });
    this.wake();
  }

  /** Light some triangles of a body, or none. */
  markBody(name: string, triangles: Uint32Array | null): void {
    const surface = this.bodies.get(name)?.surface;
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
    this.wake();
  }

  dropBody(name: string): void {
    this.drop(`body ${name}`);
    this.bodies.get(name)?.surface.dispose();
    this.bodies.delete(name);
  }

  bodyNames(): string[] {
    return [...this.bodies.keys()];
  }

  putCloth(key: string, dye: number, pane: number, triangles: Uint32Array, rest: Float32Array): void {
    this.dropCloth(key);
    const tones = DYES[dye % DYES.length] as Tones;
    const surface = new Surface(triangles, rest);
    const mesh = new Mesh(surface.geometry, clothMaterial(tones));
    mesh.name = `cloth ${key}`;
    mesh.castShadow = true;
    mesh.receiveShadow = true;
    this.cloths.set(key, { surface, mesh, tones, pane });
    this.scene.add(mesh);
    applyLook(mesh.material, this.look, tones);
    this.wake();
  }

  moveCloth(key: string, positions: Float32Array): void {
    if (this.cloths.get(key)?.surface.show(positions)) this.wake();
  }

  /** Cloth that is not there at this frame is not drawn. */
  showCloth(key: string, visible: boolean): void {
    const cloth = this.cloths.get(key);
    if (cloth === undefined || cloth.mesh.userData.absent === !visible) return;
    cloth.mesh.userData.absent = !visible;
    this.wake();
  }

  dropCloth(key: string): void {
    this.drop(`cloth ${key}`);
    this.cloths.get(key)?.surface.dispose();
    this.cloths.delete(key);
  }

  clothKeys(): string[] {
    return [...this.cloths.keys()];
  }

  setLook(look: Look): void {
    this.look = look;
    for (const { mesh, tones, surface } of this.cloths.values()) {
      applyLook(mesh.material, look, tones);
      if (look !== "stretch" && look !== "closeness") surface.colour(null);
    }
    this.wake();
  }

  /** Colour a cloth by values: undyed at `low`, indigo at `high`. */
  shade(key: string, values: Float32Array, low: number, high: number): void {
    const cloth = this.cloths.get(key);
    if (cloth === undefined || values.length !== cloth.surface.count) return;
    const colour = new Color();
    cloth.surface.colour((vertex, out, at) => {
      const [r, g, b] = ramp(((values[vertex] as number) - low) / (high - low));
      colour.setRGB(r, g, b, SRGBColorSpace);
      out[at] = colour.r;
      out[at + 1] = colour.g;
      out[at + 2] = colour.b;
    });
    this.wake();
  }

  /** Show a map's values on a cloth, with lines of equal value; its own tones again without any. */
  chalk(key: string, values: Float32Array | null): void {
    const cloth = this.cloths.get(key);
    if (cloth === undefined || (values !== null && values.length !== cloth.surface.count)) return;
    applyChalk(cloth.mesh.material, values !== null, cloth.tones);
    if (values === null) cloth.surface.colour(null);
    else {
      this.shade(key, values, 0, 1);
      cloth.surface.draw(values);
    }
    this.wake();
  }

  /** Where a place on the canvas meets a cloth, as it stands. */
  clothAt(key: string, x: number, y: number): ClothHit | null {
    const cloth = this.cloths.get(key);
    if (cloth === undefined) return null;
    this.ray(x, y);
    const [first] = this.raycaster.intersectObject(cloth.mesh, false);
    if (first?.face == null) return null;
    const { a, b, c, normal } = first.face;
    return { place: first.point.toArray(), facing: normal.toArray(), corners: [a, b, c] };
  }

  /** The brush's ring on the cloth, or none. */
  showRing(at: ClothHit | null, radius: number): void {
    this.ring.show(at, radius);
    this.wake();
  }

  /** A line between two places, or none. */
  showLine(ends: Ends | null): void {
    this.drawnLine.show(ends);
    this.wake();
  }

  showPerson(visible: boolean): void {
    this.person.visible = visible;
    const box = this.characterBox();
    this.person.position.set(box.min.x - 0.3, Math.max(0, box.min.y), (box.min.z + box.max.z) / 2);
    this.wake();
  }

  /** Length in m across everything that matters, but for the person to measure by. */
  subjectSize(): number {
    return this.subject(false).getSize(new Vector3()).length();
  }

  /** Look from a card's direction at everything that matters: characters and cloth, else all. */
  view(card: View): void {
    const box = this.subject();
    const centre = box.getCenter(new Vector3());
    const size = box.getSize(new Vector3());
    const across = 0.5 * Math.hypot(size.x, size.z);
    const half = Math.max(size.y / 2, (0.9 * across) / Math.min(1.25, this.paneAspect()));
    const distance = (half * 1.28) / Math.tan((this.camera.fov * Math.PI) / 360) + 0.3 * across;
    this.controls.maxDistance = Math.max(FURTHEST, 3 * distance);
    this.controls.target.copy(centre);
    this.camera.position.copy(centre).addScaledVector(DIRECTIONS[card].clone().normalize(), distance);
    this.camera.near = distance / 100;
    this.camera.far = distance * 12 + 10;
    this.controls.update();
    this.lightCharacter();
    this.wake();
  }

  /** Turn the camera by angles (radians) or move it nearer by a factor, from the keyboard. */
  nudge(turn: number, tilt: number, nearer: number): void {
    const offset = this.camera.position.clone().sub(this.controls.target);
    offset.applyAxisAngle(new Vector3(0, 1, 0), turn);
    const across = new Vector3(0, 1, 0).cross(offset).normalize();
    offset.applyAxisAngle(across, tilt).multiplyScalar(nearer);
    this.camera.position.copy(this.controls.target).add(offset);
    this.controls.update();
    this.wake();
  }

  /** The ray under a place on the canvas, in shares of its size from the upper left. */
  ray(x: number, y: number): Ray {
    const within = (x * this.panes) % 1;
    this.camera.aspect = this.paneAspect();
    this.camera.updateProjectionMatrix();
    this.raycaster.setFromCamera(new Vector2(2 * within - 1, 1 - 2 * y), this.camera);
    const { origin, direction } = this.raycaster.ray;
    return { origin: origin.toArray(), direction: direction.toArray() };
  }

  /** Stand the handle at `place`, m, or nowhere. */
  showHandle(place: readonly number[] | null, size: number): void {
    this.handle.show(place, size);
    this.wake();
  }

  /** The knob of the handle under a place on the canvas. */
  knobAt(x: number, y: number): Knob | null {
    this.ray(x, y);
    return this.handle.knobAt(this.raycaster.ray);
  }

  /** Where along or about a knob's axis a place on the canvas points. */
  handleReading(knob: Knob, x: number, y: number): number | null {
    this.ray(x, y);
    return this.handle.reading(knob, this.raycaster.ray);
  }

  /** Where the camera is and how it projects, as the desk wants it to know what was drawn around. */
  eye(): { projection: number[]; eye: [number, number, number] } {
    this.camera.aspect = this.paneAspect();
    this.camera.updateProjectionMatrix();
    this.camera.updateMatrixWorld();
    const projection = this.camera.projectionMatrix.clone().multiply(this.camera.matrixWorldInverse);
    return { projection: projection.toArray(), eye: this.camera.position.toArray() };
  }

  /** Whether dragging turns the camera; where it draws, the other buttons still do. */
  turnByDragging(turns: boolean): void {
    this.controls.mouseButtons = { LEFT: turns ? MOUSE.ROTATE : null, MIDDLE: MOUSE.DOLLY, RIGHT: turns ? MOUSE.PAN : MOUSE.ROTATE };
  }

  dispose(): void {
    this.running = false;
    this.controls.dispose();
    for (const name of this.bodyNames()) this.dropBody(name);
    for (const key of this.clothKeys()) this.dropCloth(key);
    this.renderer.dispose();
  }

  private draw(): void {
    this.dirty = false;
    const size = this.renderer.getSize(new Vector2());
    this.camera.aspect = this.paneAspect();
    this.camera.updateProjectionMatrix();
    this.renderer.setScissorTest(this.panes > 1);
    const width = size.x / this.panes;
    const toCamera = this.camera.position.clone().sub(this.person.position);
    this.person.rotation.y = Math.atan2(toCamera.x, toCamera.z);
    for (let pane = 0; pane < this.panes; pane += 1) {
      for (const cloth of this.cloths.values()) {
        cloth.mesh.visible = cloth.pane === pane && cloth.mesh.userData.absent !== true;
      }
      this.renderer.setViewport(pane * width, 0, width, size.y);
      this.renderer.setScissor(pane * width, 0, width, size.y);
      this.renderer.render(this.scene, this.camera);
    }
  }

  private paneAspect(): number {
    const size = this.renderer.getSize(new Vector2());
    return size.x / this.panes / Math.max(1, size.y);
  }

  private drop(name: string): void {
    const found = this.scene.getObjectByName(name);
    if (found instanceof Mesh) {
      this.scene.remove(found);
      (found.material as MeshLambertMaterial).dispose();
    }
    this.wake();
  }

  private characterBox(): Box3 {
    const box = new Box3();
    for (const { surface, kind } of this.bodies.values()) {
      if (kind === "character") box.union(boxOf(surface.points));
    }
    return box.isEmpty() ? this.subject() : box;
  }

  private subject(withPerson = true): Box3 {
    const box = new Box3();
    for (const { surface, kind } of this.bodies.values()) {
      if (kind === "character") box.union(boxOf(surface.points));
    }
    for (const { surface, mesh } of this.cloths.values()) {
      if (mesh.userData.absent !== true) box.union(boxOf(surface.points));
    }
    if (withPerson && this.person.visible) box.union(new Box3().setFromObject(this.person));
    const peopled = [...this.bodies.values()].some((body) => body.kind === "character");
    if (!peopled) for (const { surface } of this.bodies.values()) box.union(boxOf(surface.points));
    return box.isEmpty() ? new Box3(new Vector3(-0.5, 0, -0.5), new Vector3(0.5, 1.8, 0.5)) : box;
  }

  private lightCharacter(): void {
    const box = this.subject();
    const centre = box.getCenter(new Vector3());
    const size = box.getSize(new Vector3());
    this.light.showFloor(![...this.bodies.values()].some((body) => body.kind === "set piece"));
    this.light.follow(centre.x, Math.min(0, box.min.y), centre.z, Math.max(0.9, 0.75 * size.length()));
  }
}

function boxOf(points: Float32Array): Box3 {
  return new Box3().setFromArray(points as unknown as number[]);
}

function surfaceHeight(rest: Float32Array): number {
  const box = boxOf(rest);
  return box.max.y - Math.max(0, box.min.y);
}
