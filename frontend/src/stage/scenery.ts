/** What stands on the stage, fetched as it is wanted: bodies, garments as made, takes frame by frame. */
import { floats, indices, part } from "../api/client";
import type { Look, Staged } from "../state/room";
import { cut, FrameShelf } from "./frameShelf";
import type { Stage } from "./stage";

export interface Member {
  name: string;
  kind: "character" | "prop" | "set piece";
  moves: boolean;
  /** Where values per vertex come from that are shown on it, and the value shown darkest. */
  shade?: { path: string; high: number };
}

/** One cloth of the stage: a garment, as made (take null) or as a take has it up to frame `last`. */
export interface Worn {
  garment: string;
  dye: number;
  pane: number;
  take: number | null;
  first: number;
  last: number;
}

export interface Description {
  shot: number;
  revision: number;
  first: number;
  last: number;
  members: Member[];
  worn: Worn[];
}

export interface Range {
  low: number;
  high: number;
}

export const RANGES: Record<"stretch" | "closeness", Range> = {
  stretch: { low: 0, high: 0.05 },
  closeness: { low: 0.02, high: 0 }, // near is dark
};

/** Values of maps by garment. */
export type Drawn = ReadonlyMap<string, Float32Array>;

export const NOTHING_DRAWN: Drawn = new Map();

/** A mesh that has arrived: corners of its triangles, and where its points stand at rest. */
interface Arrived {
  triangles: Uint32Array;
  rest: Float32Array;
}

/** One thing that is described: `mesh` null while it is on its way, `on` once it stands on the stage. */
interface Thing<T> {
  base: string;
  what: T;
  shelf: FrameShelf | null;
  mesh: Arrived | null;
  on: boolean;
}

const AGAIN = 1100; // ms after which what did not come is asked for again

export class Scenery {
  private description: Description | null = null;
  private readonly bodies = new Map<string, Thing<Member & { place: number }>>();
  private readonly cloths = new Map<string, Thing<Worn>>();
  private readonly values = new Map<string, Float32Array | null>();
  private look: Look = "cloth";
  private frame = 0;
  private shown: Staged | null = null;
  private again: number | undefined;
  private placed = false;
  private framedSize = 1;
  private drawn: Drawn = NOTHING_DRAWN;
  private readonly chalked = new Set<string>();
  private marks: { member: string | null; marks: Map<number, Uint32Array> | null } = { member: null, marks: null };

  constructor(
    private readonly stage: Stage,
    private readonly told: { failed(error: unknown): void; placed(): void; shown(staged: Staged | null): void },
  ) {}

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
    this.setCloths(description, base);
    this.show(this.frame);
  }

  setLook(look: Look): void {
    this.look = look;
    this.stage.setLook(look);
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
    for (const [name, { shelf }] of this.bodies) {
      const positions = shelf?.get(frame, description.last);
      if (positions) this.stage.moveBody(name, positions);
    }
    for (const [key, { what: worn, shelf }] of this.cloths) {
      const inside = within(worn, frame);
      this.stage.showCloth(key, inside);
      const positions = inside ? shelf?.get(frame, worn.last) : null;
      if (positions) this.stage.moveCloth(key, positions);
      if (inside) this.shade(key, worn, frame);
    }
    const takes = description.worn.flatMap(({ take }) => (take === null ? [] : [take]));
    if (this.shown?.frame !== frame || this.shown.takes.join() !== takes.join()) this.shown = { frame, takes };
    if (this.marks.member !== null) this.mark(this.marks.member);
    this.told.shown(this.shown);
    this.settle();
  }

  /** Whether everything that stands at a frame has arrived; what has not is asked for. */
  has(frame: number): boolean {
    const description = this.description;
    if (description === null) return false;
    const bodies = [...this.bodies.values()].every(({ mesh, shelf }) => mesh !== null && (shelf === null || shelf.has(frame)));
    const cloths = [...this.cloths.values()].every(
      ({ mesh, shelf, what }) => mesh !== null && (shelf === null || !within(what, frame) || shelf.has(frame)),
    );
    if (!bodies || !cloths) this.ask(frame, description);
    return bodies && cloths;
  }

  private ask(frame: number, description: Description): void {
    for (const { shelf } of this.bodies.values()) shelf?.get(frame, description.last);
    for (const { what, shelf } of this.cloths.values()) if (within(what, frame)) shelf?.get(frame, what.last);
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
    for (const name of this.stage.bodyNames()) if (!this.bodies.has(name)) this.stage.dropBody(name);
    for (const key of this.stage.clothKeys()) if (!this.cloths.has(key)) this.stage.dropCloth(key);
  }

  /** Put what has come onto the stage, in place of an older one of the same name. */
  private putOn(description: Description): void {
    const panes = 1 + Math.max(0, ...description.worn.map((worn) => worn.pane));
    if (this.stage.setPanes(panes)) this.placed = false;
    for (const [name, body] of this.bodies) {
      if (body.on || body.mesh === null) continue;
      this.stage.putBody(name, body.what.kind, body.what.place, body.mesh.triangles, body.mesh.rest);
      body.on = true;
      if (body.what.shade !== undefined) this.shadeBody(name, body.what.shade);
    }
    let put = false;
    for (const [key, cloth] of this.cloths) {
      if (cloth.on || cloth.mesh === null) continue;
      this.stage.putCloth(key, cloth.what.dye, cloth.what.pane, cloth.mesh.triangles, cloth.mesh.rest);
      cloth.on = put = true;
    }
    if (put) this.chalk();
  }

  private setBodies(description: Description, base: string): void {
    const wanted = new Map(description.members.map((member, place) => [member.name, { ...member, place }]));
    for (const [name, body] of this.bodies) if (!wanted.has(name) || body.base !== base) this.bodies.delete(name);
    for (const [name, member] of wanted) {
      if (this.bodies.has(name)) continue;
      const at = `${base}/cast/${part(name)}`;
      const from = async (first: number, last: number) => {
        const got = await floats(`${at}/positions/${first}/${last}`);
        return cut(got.values, got.shape, first);
      };
      this.fetch(this.bodies, name, { base, what: member, shelf: member.moves ? new FrameShelf(from, this.arrived) : null, mesh: null, on: false }, at);
    }
  }

  private setCloths(description: Description, base: string): void {
    const keyOf = (worn: Worn) => `${worn.take ?? "made"} ${worn.pane} ${worn.garment}`;
    const wanted = new Map(description.worn.map((worn) => [keyOf(worn), worn]));
    for (const [key, cloth] of this.cloths) if (!wanted.has(key) || cloth.base !== base) this.cloths.delete(key);
    for (const [key, worn] of wanted) {
      const known = this.cloths.get(key);
      if (known !== undefined) {
        known.what = worn;
        continue;
      }
      const from = async (first: number, last: number) => {
        const got = await floats(`/api/takes/${worn.take}/garments/${part(worn.garment)}/positions/${first}/${last}`);
        return cut(got.values, got.shape, got.firstFrame);
      };
      const shelf = worn.take === null ? null : new FrameShelf(from, this.arrived);
      this.fetch(this.cloths, key, { base, what: worn, shelf, mesh: null, on: false }, `${base}/garments/${part(worn.garment)}`);
    }
  }

  /** Keep a thing under its name and fetch its mesh; what cannot be read is told once, and tried again. */
  private fetch<T>(things: Map<string, Thing<T>>, name: string, thing: Thing<T>, at: string): void {
    things.set(name, thing);
    let told = false;
    const attempt = () => {
      if (things.get(name) !== thing) return;
      Promise.all([indices(`${at}/mesh/triangles`), floats(`${at}/mesh/rest`)])
        .then(([triangles, rest]) => {
          thing.mesh = { triangles, rest: rest.values };
          if (things.get(name) === thing) this.arrived();
        })
        .catch((error: unknown) => {
          if (things.get(name) !== thing) return;
          if (!told) this.told.failed(error);
          told = true;
          window.setTimeout(attempt, 3 * AGAIN);
        });
    };
    attempt();
  }

  /** Show values of maps from 0 to 1 on these garments, on others none. */
  setChalk(drawn: Drawn): void {
    this.drawn = drawn;
    this.chalk();
  }

  /** The stage's name of a garment as made; null when it does not stand there. */
  madeKey(garment: string): string | null {
    const there = this.stage.clothKeys();
    return [...this.cloths].find(([key, { what }]) => what.take === null && what.garment === garment && there.includes(key))?.[0] ?? null;
  }

  private chalk(): void {
    for (const [key, { what, on }] of this.cloths) {
      if (!on) continue;
      const values = this.drawn.get(what.garment) ?? null;
      // What never had a map keeps the shades of its own look.
      if (values !== null) this.chalked.add(key);
      else if (!this.chalked.delete(key)) continue;
      this.stage.chalk(key, values);
    }
  }

  /** Light the places of a member that are marked at each frame, of nobody without a name. */
  setMarks(member: string | null, marks: Map<number, Uint32Array> | null): void {
    const before = this.marks.member;
    this.marks = { member, marks };
    if (before !== null && before !== member) this.stage.markBody(before, null);
    if (member !== null) this.mark(member);
  }

  private mark(name: string): void {
    if (this.marks.member === name) this.stage.markBody(name, this.marks.marks?.get(this.shown?.frame ?? this.frame) ?? null);
  }

  private shadeBody(name: string, { path, high }: { path: string; high: number }): void {
    floats(path)
      .then(({ values }) => {
        this.stage.shadeBody(name, values, 0, high);
      })
      .catch(this.told.failed);
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

  private shade(key: string, worn: Worn, frame: number): void {
    const look = this.look;
    if (look !== "stretch" && look !== "closeness") return;
    if (worn.take === null) return;
    const name = `${look} ${worn.take} ${worn.garment} ${frame}`;
    const found = this.values.get(name);
    if (found) {
      this.stage.shade(key, found, RANGES[look].low, RANGES[look].high);
      return;
    }
    if (found === null) return; // on its way
    this.values.set(name, null);
    floats(`/api/takes/${worn.take}/garments/${part(worn.garment)}/look/${look}/${frame}`)
      .then(({ values }) => {
        this.values.set(name, values);
        if (this.shown?.frame === frame) this.show(this.frame);
      })
      .catch(() => {
        this.values.delete(name);
      });
  }
}

function within(worn: Worn, frame: number): boolean {
  return frame >= worn.first && frame <= worn.last;
}
