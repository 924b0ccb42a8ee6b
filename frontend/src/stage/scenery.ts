/** What stands on the stage, fetched as it is wanted: bodies, garments as made, takes frame by frame. */
import { floats, indices, part } from "../api/client";
import type { Look } from "../state/room";
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

export class Scenery {
  private description: Description | null = null;
  private readonly bodies = new Map<string, { base: string; shelf: FrameShelf | null; there: boolean }>();
  private readonly cloths = new Map<string, { base: string; worn: Worn; shelf: FrameShelf | null; there: boolean }>();
  private readonly values = new Map<string, Float32Array | null>();
  private look: Look = "cloth";
  private frame = 0;
  private placed = false;
  private framedSize = 1;
  private drawn: Drawn = NOTHING_DRAWN;
  private readonly chalked = new Set<string>();
  private marks: { member: string | null; marks: Map<number, Uint32Array> | null } = { member: null, marks: null };

  constructor(
    private readonly stage: Stage,
    private readonly told: { failed(error: unknown): void; placed(): void },
  ) {}

  /** Put on the stage what is described, and take the rest off. */
  set(description: Description): void {
    const before = this.description;
    if (before !== null && before.shot !== description.shot) this.placed = false;
    this.description = description;
    const base = `/api/shots/${description.shot}/revisions/${description.revision}`;
    this.setBodies(description, base);
    this.setCloths(description, base);
    const panes = 1 + Math.max(0, ...description.worn.map((worn) => worn.pane));
    if (this.stage.setPanes(panes)) this.placed = false;
    this.settle();
  }

  setLook(look: Look): void {
    this.look = look;
    this.stage.setLook(look);
    this.chalk();
    this.show(this.frame);
  }

  /** Move everything to a frame; what has not arrived stays where it is. */
  show(frame: number): void {
    this.frame = frame;
    const description = this.description;
    if (description === null) return;
    for (const [name, body] of this.bodies) {
      const positions = body.shelf?.get(frame, description.last);
      if (positions && body.there) this.stage.moveBody(name, positions);
    }
    if (this.marks.member !== null) this.mark(this.marks.member);
    for (const [key, cloth] of this.cloths) {
      if (!cloth.there) continue;
      const inside = frame >= cloth.worn.first && frame <= cloth.worn.last;
      this.stage.showCloth(key, inside);
      const positions = inside ? cloth.shelf?.get(frame, cloth.worn.last) : null;
      if (positions) this.stage.moveCloth(key, positions);
      if (inside) this.shade(key, cloth.worn, frame);
    }
  }

  /** Whether everything that moves has arrived for a frame. */
  has(frame: number): boolean {
    const description = this.description;
    if (description === null) return false;
    const bodies = [...this.bodies.values()].every((body) => body.shelf === null || body.shelf.has(frame));
    const cloths = [...this.cloths.values()].every(
      ({ worn, shelf }) => shelf === null || frame < worn.first || frame > worn.last || shelf.has(frame),
    );
    if (!bodies || !cloths) this.ask(frame, description);
    return bodies && cloths;
  }

  private ask(frame: number, description: Description): void {
    for (const body of this.bodies.values()) body.shelf?.get(frame, description.last);
    for (const { worn, shelf } of this.cloths.values()) shelf?.get(frame, worn.last);
  }

  private readonly arrived = () => {
    this.show(this.frame);
  };

  private setBodies(description: Description, base: string): void {
    const wanted = new Map(description.members.map((member) => [member.name, member]));
    for (const [name, body] of this.bodies) {
      if (wanted.has(name) && body.base === base) continue;
      this.stage.dropBody(name);
      this.bodies.delete(name);
    }
    [...wanted.values()].forEach((member, place) => {
      if (!this.bodies.has(member.name)) this.addBody(member, place, base);
    });
  }

  private addBody(member: Member, place: number, base: string): void {
    const at = `${base}/cast/${part(member.name)}`;
    const shelf = member.moves
      ? new FrameShelf(async (first, last) => {
          const got = await floats(`${at}/positions/${first}/${last}`);
          return cut(got.values, got.shape, first);
        }, this.arrived)
      : null;
    const body = { base, shelf, there: false };
    this.bodies.set(member.name, body);
    void Promise.all([indices(`${at}/mesh/triangles`), floats(`${at}/mesh/rest`)])
      .then(([triangles, rest]) => {
        if (this.bodies.get(member.name) !== body) return;
        this.stage.putBody(member.name, member.kind, place, triangles, rest.values);
        body.there = true;
        this.mark(member.name);
        if (member.shade !== undefined) this.shadeBody(member.name, member.shade);
        this.settle();
      })
      .catch(this.told.failed);
  }

  private setCloths(description: Description, base: string): void {
    const keyOf = (worn: Worn) => `${worn.take ?? "made"} ${worn.pane} ${worn.garment}`;
    const wanted = new Map(description.worn.map((worn) => [keyOf(worn), worn]));
    for (const [key, cloth] of this.cloths) {
      if (wanted.has(key) && cloth.base === base) continue;
      // Of another revision it stays until the new one has come.
      if (!wanted.has(key)) this.stage.dropCloth(key);
      this.cloths.delete(key);
    }
    for (const [key, worn] of wanted) {
      const known = this.cloths.get(key);
      if (known === undefined) this.addCloth(key, worn, base);
      else known.worn = worn;
    }
  }

  private addCloth(key: string, worn: Worn, base: string): void {
    const at = `${base}/garments/${part(worn.garment)}`;
    const from = `/api/takes/${worn.take}/garments/${part(worn.garment)}/positions`;
    const shelf =
      worn.take === null
        ? null
        : new FrameShelf(async (first, last) => {
            const got = await floats(`${from}/${first}/${last}`);
            return cut(got.values, got.shape, got.firstFrame);
          }, this.arrived);
    const cloth = { base, worn, shelf, there: false };
    this.cloths.set(key, cloth);
    void Promise.all([indices(`${at}/mesh/triangles`), floats(`${at}/mesh/rest`)])
      .then(([triangles, rest]) => {
        if (this.cloths.get(key) !== cloth) return;
        this.stage.putCloth(key, worn.dye, worn.pane, triangles, rest.values);
        cloth.there = true;
        this.chalk();
        this.settle();
      })
      .catch((error: unknown) => {
        if (this.cloths.get(key) === cloth) this.stage.dropCloth(key);
        this.told.failed(error);
      });
  }

  /** Show values of maps from 0 to 1 on these garments, on others none. */
  setChalk(drawn: Drawn): void {
    this.drawn = drawn;
    this.chalk();
  }

  /** The stage's name of a garment as made; null when it does not stand there. */
  madeKey(garment: string): string | null {
    return [...this.cloths].find(([, { worn, there }]) => there && worn.take === null && worn.garment === garment)?.[0] ?? null;
  }

  private chalk(): void {
    for (const [key, { worn, there }] of this.cloths) {
      if (!there) continue;
      const values = this.drawn.get(worn.garment) ?? null;
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
    if (this.marks.member === name) this.stage.markBody(name, this.marks.marks?.get(this.frame) ?? null);
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
    this.show(this.frame);
    const things = [...this.bodies.values(), ...this.cloths.values()];
    if (things.length === 0 || !things.every((one) => one.there)) return;
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
        if (this.frame === frame) this.show(frame);
      })
      .catch(() => {
        this.values.delete(name);
      });
  }
}
