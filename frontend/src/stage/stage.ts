/** The stage: renderer, camera, light, the cast, and one cloth per pane. Knows nothing of React or the API. */
import { Box3, Color, type Group, Scene, SRGBColorSpace, Vector2, Vector3, WebGLRenderer } from "three";
import type { View } from "../state/room";
import { Bodies } from "./bodies";
import { StageCamera } from "./camera";
import { Cloths } from "./cloths";
import { Daylight } from "./lights";
import { Borders } from "./marks/borders";
import { BrushRing } from "./marks/brushRing";
import { DrawnLine, type Ends } from "./marks/drawnLine";
import { Faulty } from "./marks/faulty";
import { HandleMark, type Knob } from "./marks/handleMark";
import { HandMarks, type ShownPin, type ShownThread } from "./marks/hands";
import { silhouette } from "./marks/silhouette";
import { PatternTable, type ShownTable } from "./marks/table";
import { type Drawn, type ShownTape, Tapes } from "./marks/tapes";
import { axesOf, cut, type Section } from "./section";
import type { ClothHit, Ray } from "./picking";

export class Stage {
  readonly bodies: Bodies;
  readonly cloths: Cloths;
  readonly camera: StageCamera;
  readonly borders = new Borders();
  private readonly handle = new HandleMark();
  private readonly ring = new BrushRing();
  private readonly drawnLine = new DrawnLine();
  private readonly tapes = new Tapes();
  private readonly table = new PatternTable();
  private readonly faulty = new Faulty();
  private readonly piece = new Faulty(0xffd97a);
  private readonly hands = new HandMarks();
  private readonly renderer: WebGLRenderer;
  private readonly scene = new Scene();
  private readonly light: Daylight;
  private readonly person: Group = silhouette();
  private card: View = "three-quarter";
  private panes = 1;
  private dirty = true;
  private shadowsStale = true;
  private running = true;

  constructor(canvas: HTMLCanvasElement, background: string) {
    const wake = () => {
      this.wake();
    };
    this.renderer = new WebGLRenderer({ canvas, antialias: true });
    this.renderer.outputColorSpace = SRGBColorSpace;
    this.renderer.setPixelRatio(Math.min(2, window.devicePixelRatio));
    this.setBackground(background);
    this.light = new Daylight(this.scene, this.renderer);
    const moved = () => {
      this.moved();
    };
    this.bodies = new Bodies(this.scene, moved);
    this.cloths = new Cloths(this.scene, moved);
    this.camera = new StageCamera(canvas, wake);
    this.person.visible = false;
    this.scene.add(this.person, this.borders.group, this.handle.group, this.ring.line, this.drawnLine.line, this.tapes.group, this.table.group, this.faulty.group, this.piece.group, this.hands.group);
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

  /** Something that casts a shadow is another, or elsewhere: draw the shadows again, too. */
  private moved(): void {
    this.shadowsStale = true;
    this.wake();
  }

  setBackground(colour: string): void {
    this.scene.background = new Color(colour);
    this.wake();
  }

  resize(width: number, height: number): void {
    this.renderer.setSize(width, height, false);
    this.camera.setAspect(this.paneAspect());
    this.wake();
  }

  /** Side by side when 2; says whether that is new. */
  setPanes(count: number): boolean {
    const changed = this.panes !== Math.max(1, count);
    this.panes = Math.max(1, count);
    this.camera.setAspect(this.paneAspect());
    this.moved();
    return changed;
  }

  moveBody(name: string, positions: Float32Array): void {
    if (this.bodies.move(name, positions) && this.bodies.isCharacter(name)) this.lightSubject();
  }

  /** Look from a card's direction at everything that matters: characters and cloth, else all. */
  view(card: View): void {
    this.card = card;
    const table = this.table.box();
    const box = card === "table" && !table.isEmpty() ? table : this.subject();
    if (card === "table and figure") box.union(table);
    this.camera.view(card, box);
    this.lightSubject();
    this.wake();
  }

  nudge(turn: number, tilt: number, nearer: number): void {
    this.camera.nudge(turn, tilt, nearer);
    this.wake();
  }

  /** The ray under a place on the canvas, in shares of its size from the upper left. */
  ray(x: number, y: number): Ray {
    return this.camera.aim((x * this.panes) % 1, y);
  }

  /** Where a place on the canvas meets a cloth, as it stands. */
  clothAt(key: string, x: number, y: number): ClothHit | null {
    this.ray(x, y);
    return this.cloths.at(key, this.camera.raycaster);
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

  /** Stand the handle at `place`, m, or nowhere. */
  showHandle(place: readonly number[] | null, size: number): void {
    this.handle.show(place, size);
    this.wake();
  }

  /** The knob of the handle under a place on the canvas. */
  knobAt(x: number, y: number): Knob | null {
    this.ray(x, y);
    return this.handle.knobAt(this.camera.raycaster.ray);
  }

  /** Where along or about a knob's axis a place on the canvas points. */
  handleReading(knob: Knob, x: number, y: number): number | null {
    this.ray(x, y);
    return this.handle.reading(knob, this.camera.raycaster.ray);
  }

  /** Lay these tapes in place of all others. */
  showTapes(tapes: readonly ShownTape[]): void {
    this.tapes.show(tapes);
    this.wake();
  }

  /** Lay a pattern on the table beside the figure, or put the table away. */
  showTable(shown: ShownTable | null): void {
    const box = this.bodies.box("character");
    const came = shown !== null && this.table.now === null;
    this.table.show(shown, box.isEmpty() ? this.subject(false) : box);
    if (came && (this.card === "table" || this.card === "table and figure")) this.view(this.card);
    this.moved();
  }

  /** The place of the table under a place on the canvas, mm. */
  tableAt(x: number, y: number): [number, number] | null {
    this.ray(x, y);
    const found = this.table.at(this.camera.raycaster.ray);
    return found === null ? null : [found[0], found[1]];
  }

  /** Light some triangles of a cloth, the first and how many, as it hangs; none without a cloth. */
  showPiece(key: string | null, [first, count]: readonly [number, number]): void {
    const mesh = key === null ? null : this.cloths.meshOf(key);
    const places = new Float32Array(mesh === null ? 0 : 9 * count);
    if (mesh !== null) {
      for (let corner = 0; corner < 3 * count; corner += 1) {
        const at = 3 * (mesh.triangles[3 * first + corner] ?? 0);
        places.set(mesh.points.subarray(at, at + 3), 3 * corner);
      }
    }
    this.piece.show(places);
    this.wake();
  }

  /** Light triangles that are wrong, nine numbers each, m. */
  showFaulty(places: Float32Array): void {
    this.faulty.show(places);
    this.wake();
  }

  /** Light the tape of a name. */
  lightTape(name: string | null): void {
    if (this.tapes.light(name)) this.wake();
  }

  /** The tape under a place on the canvas that can be drawn along, and where on it. */
  tapeAt(x: number, y: number): { name: string; place: Vector3 } | null {
    this.camera.eye.updateMatrixWorld();
    return this.tapes.at(2 * x - 1, 1 - 2 * y, this.camera.eye);
  }

  /** How far from a place of a tape a place on the canvas points, m. */
  tapeDrawn(name: string, from: Vector3, x: number, y: number): Drawn | null {
    this.ray(x, y);
    return this.tapes.drawn(name, from, this.camera.raycaster.ray, this.camera.eye);
  }

  /** Where a place on the canvas meets a body. */
  bodyAt(x: number, y: number): ReturnType<Bodies["at"]> {
    this.ray(x, y);
    return this.bodies.at(this.camera.raycaster);
  }

  /** The place under the pointer in the plane through `through` that faces the eye. */
  levelWith(through: readonly [number, number, number], x: number, y: number): [number, number, number] {
    const { origin, direction } = this.ray(x, y);
    const facing = this.camera.eye.getWorldDirection(new Vector3());
    const along = facing.dot(new Vector3(...through).sub(new Vector3(...origin))) / Math.max(1e-6, facing.dot(new Vector3(...direction)));
    return new Vector3(...origin).addScaledVector(new Vector3(...direction), along).toArray();
  }

  /** Where a place of the shot is seen, from -1 to 1 across and up. */
  seenAt(place: Vector3): Vector3 {
    this.camera.eye.updateMatrixWorld();
    return place.project(this.camera.eye);
  }

  showThreads(threads: readonly ShownThread[]): void {
    this.hands.showThreads(threads);
    this.wake();
  }

  showPins(pins: readonly ShownPin[]): void {
    this.hands.showPins(pins, this.camera.eye.position);
    this.wake();
  }

  /** The pin under a place on the canvas. */
  pinAt(x: number, y: number, pins: readonly ShownPin[]): number | null {
    return this.hands.pinAt(x, y, pins, this.camera.eye.position, (place) => this.seenAt(place));
  }

  /** Hatch the parked part of a cloth. */
  hatch(key: string, parked: readonly boolean[]): void {
    const shape = this.cloths.meshOf(key);
    this.hands.hatch(key, shape?.points ?? null, shape?.triangles ?? new Uint32Array(), parked);
    this.wake();
  }

  /** Take everything that hands do off the stage. */
  clearHands(): void {
    this.hands.clear();
    this.wake();
  }

  /** Come near a place from where a viewer sees its cloth, m. */
  flyTo(place: readonly [number, number, number], pane = 0): void {
    this.camera.flyTo(new Vector3(...place), this.cloths.facingAt(new Vector3(...place), pane));
    this.lightSubject();
    this.wake();
  }

  /** Where the level cut through a place, as the eye sees it, meets cloth and bodies. */
  section(place: readonly [number, number, number], radius: number, pane = 0): Section {
    const axes = axesOf(this.camera.eye);
    const at = new Vector3(...place);
    const all = (shapes: { points: Float32Array; triangles: Uint32Array }[]) => shapes.flatMap(({ points, triangles }) => cut(points, triangles, at, radius, axes));
    return { cloth: all(this.cloths.inPane(pane)), body: all(this.bodies.shapes()) };
  }

  showPerson(visible: boolean): void {
    this.person.visible = visible;
    const characters = this.bodies.box("character");
    const box = characters.isEmpty() ? this.subject() : characters;
    this.person.position.set(box.min.x - 0.3, Math.max(0, box.min.y), (box.min.z + box.max.z) / 2);
    this.wake();
  }

  /** Length in m across everything that matters, but for the person to measure by. */
  subjectSize(): number {
    return this.subject(false).getSize(new Vector3()).length();
  }

  /** The stage as a small JPEG, `width` px wide. */
  picture(width: number): Promise<Blob | null> {
    this.draw();
    const { canvas } = this.renderer.getContext();
    const small = document.createElement("canvas");
    small.width = width;
    small.height = Math.round((width * canvas.height) / Math.max(1, canvas.width));
    small.getContext("2d")?.drawImage(canvas as HTMLCanvasElement, 0, 0, small.width, small.height);
    return new Promise((done) => {
      small.toBlob(done, "image/jpeg", 0.82);
    });
  }

  dispose(): void {
    this.running = false;
    this.camera.dispose();
    for (const name of this.bodies.names()) this.bodies.drop(name);
    for (const key of this.cloths.keys()) this.cloths.drop(key);
    this.renderer.dispose();
  }

  private draw(): void {
    this.dirty = false;
    const size = this.renderer.getSize(new Vector2());
    this.renderer.setScissorTest(this.panes > 1);
    const width = size.x / this.panes;
    const toCamera = this.camera.eye.position.clone().sub(this.person.position);
    this.person.rotation.y = Math.atan2(toCamera.x, toCamera.z);
    this.tapes.face(this.camera.eye);
    this.bodies.clearSight(this.camera.eye.position, this.camera.middle);
    for (let pane = 0; pane < this.panes; pane += 1) {
      this.cloths.showPane(pane);
      this.renderer.setViewport(pane * width, 0, width, size.y);
      this.renderer.setScissor(pane * width, 0, width, size.y);
      // Each of two panes shows another cloth, and so other shadows.
      this.renderer.shadowMap.needsUpdate = this.shadowsStale || this.panes > 1;
      this.renderer.render(this.scene, this.camera.eye);
    }
    this.shadowsStale = false;
  }

  private paneAspect(): number {
    const size = this.renderer.getSize(new Vector2());
    return size.x / this.panes / Math.max(1, size.y);
  }

  private subject(withPerson = true): Box3 {
    const box = this.bodies.box("character").union(this.cloths.box());
    if (withPerson && this.person.visible) box.union(new Box3().setFromObject(this.person));
    if (!this.bodies.has("character")) box.union(this.bodies.box());
    return box.isEmpty() ? new Box3(new Vector3(-0.5, 0, -0.5), new Vector3(0.5, 1.8, 0.5)) : box;
  }

  private lightSubject(): void {
    const box = this.subject();
    const centre = box.getCenter(new Vector3());
    const size = box.getSize(new Vector3());
    this.light.showFloor(!this.bodies.has("set piece"));
    this.light.follow(centre.x, Math.min(0, box.min.y), centre.z, Math.max(0.9, 0.75 * size.length()));
    this.moved();
  }
}
