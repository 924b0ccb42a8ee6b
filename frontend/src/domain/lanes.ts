/** Every value of a shot that has keys, for the tape's lane of keys. */
import type { ColliderRecord, HoldRecord, ShotDocument, WindRecord } from "../api/client";
import { changeCollider, changeGarment, changeWind, type Edit } from "./edits";
import { changeHold } from "./holds";
import type { Keyed } from "./keys";

export interface Lane {
  id: string;
  /** "grip of waistband" */
  name: string;
  unit: string;
  low: number;
  high: number;
  value: { frames: number[]; values: number[] };
  put(document: ShotDocument, value: Keyed, said: string): Edit;
  /** The hold or the cast member it belongs to, and which of its values it is. */
  hold?: string;
  member?: string;
  keyed?: string;
}

type Owner = Pick<Lane, "hold" | "member" | "keyed">;

/** Lanes of all keyed values, in the order of the benches that set them. */
export function lanesOf(document: ShotDocument): Lane[] {
  const out: Lane[] = [];
  const add = (id: string, name: string, unit: string, value: Keyed, reach: [number, number] | null, put: Lane["put"], owner: Owner = {}) => {
    if (typeof value === "number") return;
    const [low, high] = reach ?? [Math.min(0, ...value.values), Math.max(...value.values, 1e-9)];
    out.push({ id, name, unit, low, high, value, put, ...owner });
  };
  for (const member of document.cast ?? []) {
    const collider = member.collider;
    if (collider === null) continue;
    const put = (key: keyof ColliderRecord) => (doc: ShotDocument, value: Keyed, said: string) => changeCollider(doc, member.name, { [key]: value }, said);
    const of = `of the ${member.name}`;
    add(`${member.name} clearance`, `clearance ${of}`, "mm", collider.clearance_mm, null, put("clearance_mm"), { member: member.name, keyed: "clearance_mm" });
    add(`${member.name} thickness`, `thickness ${of}`, "mm", collider.thickness_mm, null, put("thickness_mm"), { member: member.name, keyed: "thickness_mm" });
    add(`${member.name} friction`, `friction ${of}`, "", collider.friction, null, put("friction"));
    add(`${member.name} on`, `${member.name} keeps cloth off`, "", collider.on, [0, 1], put("on"));
  }
  for (const garment of document.garments) {
    for (const hold of garment.holds) addHoldLanes(garment.name, hold, add);
    if (garment.filling !== null) {
      const put: Lane["put"] = (doc, amount, said) => {
        const filling = doc.garments.find((one) => one.name === garment.name)?.filling ?? null;
        return changeGarment(doc, garment.name, { filling: filling === null ? null : { ...filling, amount } }, said);
      };
      add(`${garment.name} filling`, `filling of the ${garment.name}`, garment.filling.by === "pressure" ? "Pa" : "", garment.filling.amount, null, put);
    }
  }
  for (const wind of document.forces?.winds ?? []) {
    const put = (key: keyof WindRecord) => (doc: ShotDocument, value: Keyed) => changeWind(doc, wind.name, (here) => ({ ...here, [key]: value }));
    add(`${wind.name} strength`, `strength of the ${wind.name}`, "m/s", wind.strength, null, put("strength"));
    add(`${wind.name} heading`, `heading of the ${wind.name}`, "°", wind.heading, null, put("heading"));
  }
  add("effort", "least substeps", "a frame", document.least_substeps ?? 1, null, (doc, value, said) => ({ document: { ...doc, least_substeps: value }, said }));
  add("time", "time for the cloth", "s per s", document.time_stretch ?? 1, null, (doc, value, said) => ({ document: { ...doc, time_stretch: value }, said }));
  return out;
}

type Add = (id: string, name: string, unit: string, value: Keyed, reach: [number, number] | null, put: Lane["put"], owner?: Owner) => void;

function addHoldLanes(garment: string, hold: HoldRecord, add: Add): void {
  const put = (change: (hold: HoldRecord, value: Keyed) => Partial<HoldRecord>): Lane["put"] => {
    return (doc, value, said) => {
      const here = doc.garments.find((one) => one.name === garment)?.holds.find((one) => one.name === hold.name) ?? hold;
      return changeHold(doc, garment, hold.name, change(here, value), said);
    };
  };
  const id = `${garment} ${hold.name}`;
  add(`${id} grip`, `grip of ${hold.name}`, "", hold.grip, [0, 1], put((_, grip) => ({ grip })), { hold: hold.name, keyed: "grip" });
  add(`${id} on`, `${hold.name} holds`, "", hold.on, [0, 1], put((_, on) => ({ on })), { hold: hold.name });
  const how = hold.how;
  if (how.kind === "elastic") {
    const change = ({ how: now }: HoldRecord, factor: Keyed): Partial<HoldRecord> => (now.kind === "elastic" ? { how: { ...now, factor } } : {});
    add(`${id} factor`, `length of ${hold.name}`, "", how.factor, [0, 1], put(change), { hold: hold.name });
  }
  if (how.kind !== "handle") return;
  for (const [at, axis] of (["x", "y", "z"] as const).entries()) {
    for (const [key, unit] of [["place", "m"], ["turn", "°"]] as const) {
      const change = ({ how: now }: HoldRecord, value: Keyed): Partial<HoldRecord> => {
        if (now.kind !== "handle") return {};
        const [x, y, z] = now[key].map((one, index) => (index === at ? value : one)) as [Keyed, Keyed, Keyed];
        return { how: { ...now, [key]: [x, y, z] } };
      };
      const value = how[key][at] ?? 0;
      const reach: [number, number] | null = typeof value === "number" ? null : [Math.min(...value.values), Math.max(...value.values) + 1e-6];
      add(`${id} ${key} ${axis}`, `${hold.name}, ${key} ${axis}`, unit, value, reach, put(change), { hold: hold.name, keyed: `${key}.${at}` });
    }
  }
  const scaled = ({ how: now }: HoldRecord, scale: Keyed): Partial<HoldRecord> => (now.kind === "handle" ? { how: { ...now, scale } } : {});
  add(`${id} scale`, `scale of ${hold.name}`, "", how.scale, null, put(scaled), { hold: hold.name });
}
