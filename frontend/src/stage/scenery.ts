/** What stands on the stage, fetched as it is wanted: bodies, garments as made, takes frame by frame. */
import { floats, part } from "../api/client";
import type { Look, Staged } from "../state/room";
import { type Description, type Member, READY, type Worn } from "./description";
import { cut, FrameShelf } from "./frameShelf";
import { type Drawn, Shades } from "./shades";
import type { Stage } from "./stage";
import { AGAIN, Things } from "./things";

export interface Told {
  failed(error: unknown): void;
  /** Everything stands there for the first time, or is of quite another size. */
  placed(): void;
  /** What is on the stage now: the last frame of which everything has come. */
  shown(staged: Staged | null): void;
}

export class Scenery {
  private description: Description | null = null;
  private readonly bodies: Things<Member & { place: number }>;
  private readonly cloths: Things<Worn>;
  private readonly shades: Shades;
  private frame = 0;
  private shown: Staged | null = null;
  private again: number | undefined;
  private placed = false;
  private framedSize = 1;

  constructor(
    private readonly stage: Stage,
    private readonly told: Told,
  ) {
    this.bodies = new Things(this.arrived, told.failed);
    this.cloths = new Things(this.arrived, told.failed);
    this.shades = new Shades(stage, {
      failed: told.failed,
      arrived: (frame) => {
        if (this.shown?.frame === frame) this.show(this.frame);
      },
    });
  }

  /** Put on the stage what is described, and take the rest off, once all of it has come. */
  set(description: Description): void {
    const before = this.description;
    if (before !== null && before.shot !== description.shot) {
      // Another shot's things are no last whole frame of this one.
      this.placed = false;
      this.clear();
    }
    this.description = description;
    const base = `/api/shots/${description.shot}/revisions/${description.revision}`;
    this.setBodies(description, base);
    this.setCloths(description);
    this.show(this.frame);
  }

  setLook(look: Look): void {
    this.shades.setLook(look);
    this.chalk();
    this.show(this.frame);
  }

  /** Move everything to a frame. While anything of it is on its way all stays as it was: the last whole frame. */
  show(frame: number): void {
    this.frame = frame;
    window.clearTimeout(this.again);
    const description = this.description;
    if (description === null) return;
    if (!this.has(frame)) {
      this.again = window.setTimeout(this.arrived, AGAIN);
      this.told.shown(this.shown);
      return;
    }
    this.takeOff();
    this.putOn(description);
    for (const [name, { shelf }] of this.bodies.entries()) {
      const positions = shelf?.get(frame, description.last);
      if (positions) this.stage.moveBody(name, positions);
    }
    for (const [key, { what: worn, shelf }] of this.cloths.entries()) {
      const inside = within(worn, frame);
      this.stage.cloths.show(key, inside);
      const positions = inside ? shelf?.get(frame, worn.last) : null;
      if (positions) this.stage.cloths.move(key, positions);
      if (inside) this.shades.cloth(key, worn, frame);
    }
    const takes = description.worn.flatMap(({ take, pane }) => (take === null || pane === READY ? [] : [take]));
    if (this.shown?.frame !== frame || this.shown.takes.join() !== takes.join()) this.shown = { frame, takes };
    this.shades.mark(frame);
    this.told.shown(this.shown);
    this.settle();
  }

  /** Whether everything that stands at a frame has arrived; what has not is asked for. */
  has(frame: number): boolean {
    const description = this.description;
    if (description === null) return false;
    const bodies = this.bodies.entries().every(([, { mesh, shelf }]) => mesh !== null && (shelf === null || shelf.has(frame)));
    const cloths = this.cloths
      .entries()
      .every(([, { mesh, shelf, what }]) => what.pane === READY || (mesh !== null && (shelf === null || !within(what, frame) || shelf.has(frame))));
    if (!bodies || !cloths) this.ask(frame, description);
    else this.askReady(frame);
    return bodies && cloths;
  }

  /** Show values of maps on these garments, on others none. */
  setChalk(drawn: Drawn): void {
    this.shades.setDrawn(drawn);
    this.chalk();
  }

  /** Light the places of a member that are marked at each frame, of nobody without a name. */
  setMarks(member: string | null, marks: Map<number, Uint32Array> | null): void {
    this.shades.setMarks(member, marks);
    this.shades.mark(this.shown?.frame ?? this.frame);
  }

  /** The stage's name of a garment as made; null when it does not stand there. */
  madeKey(garment: string): string | null {
    const there = this.stage.cloths.keys();
    return this.cloths.entries().find(([key, { what }]) => what.take === null && what.garment === garment && there.includes(key))?.[0] ?? null;
  }

  /** Garments that stand as made: by name, their name on the stage. */
  made(): Map<string, string> {
    const there = this.stage.cloths.keys();
    return new Map(this.cloths.entries().flatMap(([key, { what }]): [string, string][] => (what.take === null && there.includes(key) ? [[what.garment, key]] : [])));
  }

  /** Garments of the take in the last pane: by name, their name on the stage. */
  wornKeys(): Map<string, string> {
    const there = this.stage.cloths.keys();
    const worn = [...this.cloths.entries()].filter(([key, { what }]) => what.pane !== READY && there.includes(key));
    return new Map(worn.map(([key, { what }]) => [what.garment, key]));
  }

  /** Put garments that stand as made back to where they were made, and every body where it is at this frame. */
  putBack(): void {
    for (const [key, { what, mesh }] of this.cloths.entries()) if (what.take === null && mesh !== null) this.stage.cloths.move(key, mesh.rest);
    for (const [name, { mesh }] of this.bodies.entries()) {
      this.stage.bodies.show(name, true);
      if (mesh !== null) this.stage.bodies.move(name, mesh.rest);
    }
    this.show(this.frame);
  }

  private ask(frame: number, description: Description): void {
    for (const [, { shelf }] of this.bodies.entries()) shelf?.get(frame, description.last);
    for (const [, { what, shelf }] of this.cloths.entries()) if (within(what, frame)) shelf?.get(frame, what.last);
  }

  /** What is only kept ready is asked for once everything that is shown has come. */
  private askReady(frame: number): void {
    for (const [, { what, shelf }] of this.cloths.entries()) if (what.pane === READY && within(what, frame)) shelf?.get(frame, what.last);
  }

  private readonly arrived = () => {
    this.show(this.frame);
  };

  private clear(): void {
    this.bodies.clear();
    this.cloths.clear();
    this.takeOff();
    this.shown = null;
  }

  /** Take off the stage what is not described any more. */
  private takeOff(): void {
    for (const name of this.stage.bodies.names()) if (!this.bodies.has(name)) this.stage.bodies.drop(name);
    for (const key of this.stage.cloths.keys()) if (!this.cloths.has(key)) this.stage.cloths.drop(key);
  }

  /** Put what has come onto the stage, in place of an older one of the same name. */
  private putOn(description: Description): void {
    const panes = 1 + Math.max(0, ...description.worn.map((worn) => worn.pane));
    if (this.stage.setPanes(panes)) this.placed = false;
    for (const [name, body] of this.bodies.entries()) {
      if (body.on || body.mesh === null) continue;
      this.stage.bodies.put(name, body.what.kind, body.what.place, body.mesh.triangles, body.mesh.rest);
      body.on = true;
      if (body.what.shade !== undefined) this.shades.body(name, body.what.shade);
    }
    let put = false;
    for (const [key, cloth] of this.cloths.entries()) {
      if (cloth.on || cloth.mesh === null) continue;
      this.stage.cloths.put(key, cloth.what.dye, cloth.what.pane, cloth.mesh.triangles, cloth.mesh.rest);
      cloth.on = put = true;
    }
    if (put) this.chalk();
  }

  private setBodies(description: Description, base: string): void {
    const wanted = new Map(description.members.map((member, place) => [member.name, { ...member, place }]));
    this.bodies.keepOnly(wanted, () => base);
    for (const [name, member] of wanted) {
      if (this.bodies.has(name)) continue;
      const at = `${base}/cast/${part(name)}`;
      const from = async (first: number, last: number) => {
        const got = await floats(`${at}/positions/${first}/${last}`);
        return cut(got.values, got.shape, first);
      };
      this.bodies.fetch(name, base, member, member.moves ? new FrameShelf(from, this.arrived) : null, at);
    }
  }

  private setCloths(description: Description): void {
    const baseOf = (worn: Worn) => `/api/shots/${description.shot}/revisions/${worn.revision}`;
    const keyOf = (worn: Worn) => (worn.take === null ? `made ${worn.pane} ${worn.garment}` : `${worn.take}.${worn.version ?? 0} ${worn.garment}`);
    const wanted = new Map(description.worn.map((worn) => [keyOf(worn), worn]));
    this.cloths.keepOnly(wanted, baseOf);
    for (const [key, worn] of wanted) {
      const known = this.cloths.get(key);
      if (known !== undefined) {
        if (known.what.pane !== worn.pane) this.stage.cloths.setPane(key, worn.pane);
        known.what = worn;
        continue;
      }
      const from = async (first: number, last: number) => {
        const got = await floats(`/api/takes/${worn.take}/garments/${part(worn.garment)}/positions/${first}/${last}`);
        return cut(got.values, got.shape, got.firstFrame);
      };
      const shelf = worn.take === null ? null : new FrameShelf(from, this.arrived);
      const base = baseOf(worn);
      this.cloths.fetch(key, base, worn, shelf, `${base}/garments/${part(worn.garment)}`);
    }
  }

  private chalk(): void {
    this.shades.chalk(this.cloths.entries().flatMap(([key, { what, on }]) => (on ? [[key, what.garment] as const] : [])));
  }

  /** When everything described stands there for the first time, or is of quite another size, turn to it. */
  private settle(): void {
    if (this.bodies.size + this.cloths.size === 0) return;
    // Something of quite another size, as when a unit was wrong or has been put right, is turned to anew.
    const size = this.stage.subjectSize();
    const grown = size / this.framedSize;
    if (this.placed && grown < 3 && grown > 1 / 3) return;
    this.placed = true;
    this.framedSize = size;
    this.told.placed();
  }
}

function within(worn: Worn, frame: number): boolean {
  return frame >= worn.first && frame <= worn.last;
}
