/** Chalk maps of a garment: what there is to draw, and edits of what was drawn. */
import type { GarmentRecord, MapRecord, MapRole, ShotDocument, StepRecord, StrokeRecord } from "../api/client";
import { changeGarment, type Edit } from "./edits";
import { choiceSaid } from "./holds";
import { count } from "./words";

export type Role = MapRecord["role"];
export type Brush = Omit<StrokeRecord, "hits">;

/** What a map is of; the house says what there is. */
export function roleOf(map: MapRecord, roles: readonly MapRole[]): MapRole {
  return roles.find((one) => one.role === map.role) ?? { role: map.role, name: map.role, does: map.role, span: [0, 1] };
}

export function spanOf(map: MapRecord, roles: readonly MapRole[]): readonly [number, number] {
  return map.span ?? (roleOf(map, roles).span as [number, number]);
}

/** What a value from 0 to 1 of a map stands for: in even ratios between ends above 0, else in even steps. */
export function means(map: MapRecord, roles: readonly MapRole[], value: number): number {
  const [low, high] = spanOf(map, roles);
  return low > 0 && high > 0 ? low * (high / low) ** value : low + (high - low) * value;
}

/** What a map's value stands for, in words: a grip, or times the fabric's own. */
export function meaning(map: MapRecord, stands: number): string {
  const figure = String(Number(stands.toPrecision(2)));
  return map.role === "hold" ? `grip ${figure}` : `${figure} times`;
}

export function mapsOf(document: ShotDocument, garment: string): MapRecord[] {
  return document.garments.find((one) => one.name === garment)?.maps ?? [];
}

function withMaps(document: ShotDocument, garment: string, maps: MapRecord[], said: string): Edit {
  const change: Partial<GarmentRecord> = { maps };
  return changeGarment(document, garment, change, said);
}

/** A new map, put to use; another of its role is put away. */
export function addMap(document: ShotDocument, garment: string, name: string, role: Role): Edit {
  const others = mapsOf(document, garment).map((map) => (map.role === role ? { ...map, in_use: false } : map));
  return withMaps(document, garment, [...others, { name, role, span: null, in_use: true, steps: [] }], `map ${name} begun`);
}

export function changeMap(document: ShotDocument, garment: string, name: string, change: Partial<MapRecord>, said: string): Edit {
  const maps = mapsOf(document, garment).map((map) => (map.name === name ? { ...map, ...change } : map));
  return withMaps(document, garment, maps, `map ${name} ${said}`);
}

/** Put a map to use, in place of another of its role, or away. */
export function putToUse(document: ShotDocument, garment: string, name: string, use: boolean): Edit {
  const maps = mapsOf(document, garment);
  const role = maps.find((map) => map.name === name)?.role;
  const next = maps.map((map) => (map.name === name ? { ...map, in_use: use } : use && map.role === role ? { ...map, in_use: false } : map));
  return withMaps(document, garment, next, `map ${name} ${use ? "put to use" : "put away"}`);
}

export function removeMap(document: ShotDocument, garment: string, name: string): Edit {
  return withMaps(document, garment, mapsOf(document, garment).filter((map) => map.name !== name), `map ${name} taken out`);
}

export function addStep(document: ShotDocument, garment: string, name: string, step: StepRecord): Edit {
  const steps = mapsOf(document, garment).find((map) => map.name === name)?.steps ?? [];
  return changeMap(document, garment, name, { steps: [...steps, step] }, stepSaid(step).toLowerCase());
}

export function removeStep(document: ShotDocument, garment: string, name: string, at: number): Edit {
  const steps = mapsOf(document, garment).find((map) => map.name === name)?.steps ?? [];
  return changeMap(document, garment, name, { steps: steps.filter((_, index) => index !== at) }, `without its step ${at + 1}`);
}

const MODES: Record<StrokeRecord["mode"], string> = { add: "Added", lift: "Lifted", set: "Set", blend: "Blended" };
const CHANGES = { invert: "Inverted", scale: "Scaled", clamp: "Clamped", smooth: "Smoothed" } as const;

/** A step in a few words. */
export function stepSaid(step: StepRecord): string {
  switch (step.kind) {
    case "stroke":
      return strokeSaid(step);
    case "fill":
      return `Filled with ${step.value}`;
    case "along":
      return `${step.values[0]} to ${step.values[1]} along a line`;
    case "from_choice":
      return `${step.values[0]} at ${choiceSaid(step.choose)}, ${step.values[1]} from ${step.reach_mm} mm on`;
    case "from_weights":
      return `Weights of ${step.joints.join(", ")} of the ${step.member}`;
    case "from_distance":
      return `${step.values[0]} at the ${step.member}, ${step.values[1]} from ${step.reach_mm} mm on`;
    case "from_garment":
      return `From ${step.map} of the ${step.garment} within ${step.reach_mm} mm`;
    case "from_file":
      return `From ${step.file}${step.named === null ? "" : `, ${step.named}`}`;
    case "change": {
      const { how, amount, other } = step;
      return how === "invert" ? CHANGES[how] : how === "clamp" ? `${CHANGES[how]} to ${amount} to ${other}` : `${CHANGES[how]} ${how === "smooth" ? `over ${amount} mm` : `by ${amount}`}`;
    }
    case "with_map":
      return `${{ multiply: "Times", least: "Least of it and", most: "Most of it and" }[step.how]} ${step.map}`;
    case "mirror":
      return `${step.side > 0 ? "Left" : "Right"} side copied to the other`;
    case "values":
      return `${count(step.values.length, "value")} brought in`;
  }
}

function strokeSaid(stroke: Brush): string {
  const ways = [...(stroke.mirrored ? ["mirrored"] : []), ...(stroke.through ? ["through"] : [])];
  return [`${MODES[stroke.mode]} ${stroke.amount}, ${stroke.radius_mm} mm`, ...ways].join(", ");
}

/** Of the difference of two maps: at how many vertices there is one, and the largest to either side. */
export function apartOf(values: Float32Array): { apart: number; least: number; most: number } {
  let [apart, least, most] = [0, 0, 0];
  for (const value of values) {
    if (Math.abs(value) > 1e-6) apart += 1;
    least = Math.min(least, value);
    most = Math.max(most, value);
  }
  return { apart, least, most };
}

/** Of a map's values: how many are exactly 0 and 1, and how many lie in each tenth. */
export function spreadOf(values: Float32Array): { none: number; full: number; tenths: number[] } {
  const tenths = new Array<number>(10).fill(0);
  let [none, full] = [0, 0];
  for (const value of values) {
    if (value === 0) none += 1;
    if (value === 1) full += 1;
    const at = Math.min(9, Math.floor(value * 10));
    tenths[at] = (tenths[at] ?? 0) + 1;
  }
  return { none, full, tenths };
}

/** The map that is drawn on: the one chosen, else the first. */
export function mapAtHand(maps: readonly MapRecord[], wanted: string | null): MapRecord | undefined {
  return maps.find((map) => map.name === wanted) ?? maps[0];
}

/** The map that it is compared with, if it is still there and another one. */
export function lessOf(maps: readonly MapRecord[], map: MapRecord | undefined, wanted: string | null): MapRecord | undefined {
  return maps.find((one) => one.name === wanted && one.name !== map?.name);
}
