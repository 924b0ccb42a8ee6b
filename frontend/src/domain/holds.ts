/** What holds cloth: kinds of holds, how firmly, and the edits that make and change them. */
import type { BorderReading, Choice, HoldRecord, How, HowKind, HowOf, Pop, Shot, ShotDocument } from "../api/client";
import { changeGarment, type Edit, holdsOf } from "./edits";
import { type Keyed, keysOf, respanned, type Span, spread } from "./keys";
import { count } from "./words";

export type Kind = How["kind"];

/** Each kind of hold: its name, what it does, and the mark it has on the stage. */
export const KINDS: readonly { kind: Kind; name: string; does: string }[] = [
  { kind: "follows", name: "Follow the worn shape", does: "goes with the body as it is worn" },
  { kind: "sticks", name: "Stick where it lies near", does: "sticks to the nearest place within a reach" },
  { kind: "stitched", name: "Stitch to cloth", does: "is drawn to another garment" },
  { kind: "handle", name: "Carry on a handle", does: "goes where a handle is keyed to go" },
  { kind: "tether", name: "Tether", does: "is free up to a length" },
  { kind: "elastic", name: "Elastic", does: "is drawn together along its edges" },
];

export const PLAIN_CHOICE: Choice = { group: null, border: null, vertices: null, named: null, row: 0, rings: 0, fade: 0, grips: null, whole: false };

/** A hold as it is when it is made: `to` is a cast member, or a garment for a stitch; `middle` of its vertices. */
export function newHold(kind: Kind, name: string, choose: Choice, to: string, middle: readonly number[]): HoldRecord {
  const soft = kind === "sticks" || kind === "stitched" || kind === "tether";
  return { name, choose, how: newHow(kind, to, middle), grip: soft ? 0.9 : 1, on: 1, ease_in: 6 };
}

function newHow(kind: Kind, to: string, middle: readonly number[]): How {
  switch (kind) {
    case "follows":
      return { kind, to };
    case "sticks":
      return { kind, to, reach_mm: 20, slides: null };
    case "stitched":
      return { kind, to, choose: null, gap_mm: 0, reach_mm: 20 };
    case "handle": {
      const [x = 0, y = 0, z = 0] = middle.map((value) => Math.round(value * 1000) / 1000);
      return { kind, place: [x, y, z], turn: [0, 0, 0], scale: 1, reach_mm: null, carried_by: null };
    }
    case "tether":
      return { kind, to, length_mm: 50 };
    case "elastic":
      return { kind, factor: 0.8, tension: 10 };
  }
}

export function addHold(document: ShotDocument, garment: string, hold: HoldRecord): Edit {
  return changeGarment(document, garment, { holds: [...holdsOf(document, garment), hold] }, `held by ${hold.name}`);
}

export function changeHold(document: ShotDocument, garment: string, name: string, change: Partial<HoldRecord>, said: string): Edit {
  const holds = holdsOf(document, garment).map((hold) => (hold.name === name ? { ...hold, ...change } : hold));
  return changeGarment(document, garment, { holds }, `${name} ${said}`);
}

/** Move one end of the span over which a hold holds. */
export function respanHold(document: ShotDocument, garment: string, name: string, end: Partial<Span>): Edit {
  const before = holdsOf(document, garment).find((one) => one.name === name);
  if (before === undefined) return { document, said: "" };
  const { on, said } = respanned(before.on, end, "holds");
  return changeHold(document, garment, name, { on }, said);
}

/** Change what only one kind of hold has, from how the shot has it now; nothing for a hold of another kind. */
export function changeHow<Kind extends HowKind>(
  document: ShotDocument,
  garment: string,
  name: string,
  kind: Kind,
  change: (how: HowOf<Kind>) => Partial<HowOf<Kind>>,
  said: string,
): Edit {
  const hold = holdsOf(document, garment).find((one) => one.name === name);
  if (hold?.how.kind !== kind) return { document, said: "" };
  const how = hold.how as HowOf<Kind>;
  return changeHold(document, garment, name, { how: { ...how, ...change(how) } }, said);
}

export function removeHold(document: ShotDocument, garment: string, name: string): Edit {
  const holds = holdsOf(document, garment).filter((hold) => hold.name !== name);
  return changeGarment(document, garment, { holds }, `let go of ${name}`);
}

/** Keep a choice under a name, in place of one that has it already. */
export function keepChoice(document: ShotDocument, garment: string, name: string, choose: Choice): Edit {
  const before = document.garments.find((one) => one.name === garment)?.choices ?? [];
  const choices = [...before.filter((one) => one.name !== name), { name, choose }];
  return changeGarment(document, garment, { choices }, `keeps the choice ${name}`);
}

export function dropChoice(document: ShotDocument, garment: string, name: string): Edit {
  const before = document.garments.find((one) => one.name === garment)?.choices ?? [];
  return changeGarment(document, garment, { choices: before.filter((one) => one.name !== name) }, `drops the choice ${name}`);
}

/** Move the two keys of a change that is too quick to where it has the frames it needs. */
export function widen(document: ShotDocument, garment: string, pop: Pop): Edit {
  const hold = holdsOf(document, garment).find((one) => one.name === pop.hold);
  if (hold === undefined) return { document, said: "" };
  const moved = (value: Keyed) => spread(value, [pop.first, pop.last], pop.wider);
  const said = `changes over frames ${pop.wider[0]} to ${pop.wider[1]}`;
  if (pop.keyed === "grip") return changeHold(document, garment, pop.hold, { grip: moved(hold.grip) }, said);
  const axis = Number(pop.keyed.split(".")[1]);
  if (hold.how.kind !== "handle") return { document, said: "" };
  const [x, y, z] = hold.how.place.map((value, at) => (at === axis ? moved(value) : value)) as [Keyed, Keyed, Keyed];
  return changeHold(document, garment, pop.hold, { how: { ...hold.how, place: [x, y, z] } }, said);
}

/** What a hold holds on to, in a few words. */
export function holdSaid(hold: HoldRecord): string {
  if (hold.on === 0) return "switched off";
  const how = hold.how;
  switch (how.kind) {
    case "follows":
      return `${firm(hold.grip)} to the ${how.to} as worn`;
    case "sticks":
      return `sticks to the ${how.to} within ${how.reach_mm} mm, ${firm(hold.grip)}`;
    case "stitched":
      return `stitched to the ${how.to} within ${how.reach_mm} mm, ${firm(hold.grip)}`;
    case "handle":
      return `carried on a handle, ${firm(hold.grip)}`;
    case "tether":
      return `tethered ${how.to === null ? "to where it is" : `to the ${how.to}`} by ${how.length_mm} mm`;
    case "elastic":
      return `drawn to ${typeof how.factor === "number" ? `${Math.round(how.factor * 100)} %` : "a keyed share"} of its length`;
  }
}

function firm(grip: Keyed): string {
  if (typeof grip !== "number") return `grip keyed at ${count(keysOf(grip).length, "frame")}`;
  return grip >= 1 ? "welded" : grip <= 0 ? "loose" : `gives ${gives(grip)}`;
}

/** How far a garment sags on a grip under its own weight; see the shot file's documentation. */
export function gives(grip: number): string {
  if (grip <= 0) return "no hold at all";
  const millimetres = (10 * (1 - grip)) / grip;
  return `${millimetres < 1 ? millimetres.toFixed(2) : millimetres < 10 ? millimetres.toFixed(1) : Math.round(millimetres)}\u00a0mm`;
}

/** What is chosen, in words. */
export function choiceSaid(choose: Choice): string {
  const more = [];
  if (choose.rings !== 0) more.push(`${count(Math.abs(choose.rings), "row")} ${choose.rings > 0 ? "more" : "fewer"}`);
  if (choose.fade > 0) more.push(`fading over ${count(choose.fade, "row")}`);
  return [baseSaid(choose), ...more].join(", ");
}

function baseSaid(choose: Choice): string {
  const row = choose.row > 0 ? `row ${choose.row} from ` : "";
  if (choose.group) return `${row}the faces called ${choose.group}`;
  if (choose.border) return `${row}the ${choose.border} border`;
  if (choose.whole) return `${row}all of it`;
  if (choose.named) return `${row}${choose.named}`;
  return `${row}${count(choose.vertices?.length ?? 0, "vertex", "vertices")}`;
}

/** The border that a choice starts from, if it does. */
export function borderOf(choose: Choice | null, borders: readonly BorderReading[]): BorderReading | undefined {
  if (choose === null) return undefined;
  const base = (one: Choice) => JSON.stringify([one.group, one.border, one.vertices, one.named]);
  return borders.find((border) => base({ ...PLAIN_CHOICE, ...border.choose }) === base(choose));
}

/** Where on a garment a stitch can end: anywhere that is near, a border, what the garment keeps, or as it stands. */
export function endsOn(document: ShotDocument, garment: string, now: Choice | null): { name: string; choose: Choice | null }[] {
  const kept = document.garments.find((one) => one.name === garment)?.choices ?? [];
  const ends: { name: string; choose: Choice | null }[] = [
    { name: "anywhere near", choose: null },
    ...(["highest", "lowest", "longest"] as const).map((border) => ({ name: `the ${border} border`, choose: { ...PLAIN_CHOICE, border } })),
    ...kept.map((one) => ({ name: one.name, choose: { ...PLAIN_CHOICE, named: one.name } })),
  ];
  const known = now === null || ends.some((end) => end.choose !== null && choiceSaid(end.choose) === choiceSaid(now));
  return known ? ends : [...ends, { name: choiceSaid(now), choose: now }];
}

/** Whom a hold of a kind can hold on to. */
export function targetsOf(shot: Shot, garment: string, kind: Kind): string[] {
  if (kind === "stitched") return shot.document.garments.map((one) => one.name).filter((name) => name !== garment);
  if (kind === "handle" || kind === "elastic") return [];
  const cast = [...(shot.document.cast ?? [])].sort((a, b) => Number(b.kind === "character") - Number(a.kind === "character"));
  return [...cast.map((one) => one.name), ...(kind === "follows" ? [garment] : [])];
}
