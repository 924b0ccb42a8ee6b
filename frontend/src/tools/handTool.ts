/** Hands on cloth: a press takes hold, dragging draws, a key pins; brushes smooth, or keep cloth off a body. */
import type { Place } from "../domain/fitting";
import type { Hand } from "../state/fitting";
import type { Tool, Touch } from "./tool";

/** A place on a garment that stands in the fitting. */
export interface Spot {
  garment: string;
  place: Place;
  corners: [number, number, number];
  weights: [number, number, number];
}

export interface HandHost {
  spotAt(x: number, y: number): Spot | null;
  bodyAt(x: number, y: number): { name: string; place: Place } | null;
  pinAt(x: number, y: number): { number: number; cloth: Place } | null;
  /** The place under the pointer, as far from the eye as `through`. */
  levelWith(through: Place, x: number, y: number): Place;
  tell(command: Record<string, unknown> & { do: string }): void;
  drawTo(to: Place): void;
  /** What is drawn at once: the thread's end under the pointer, while the cloth follows; null for none. */
  thread(to: Place | null): void;
  /** The pointer is over cloth or a body, or beside both. */
  over(x: number, y: number): void;
  reached(mm: number): void;
}

type Going = { kind: "pull"; through: Place } | { kind: "pin"; number: number; through: Place } | { kind: "smooth" } | { kind: "clear"; name: string; places: Place[] };

const WHEEL = 0.9;
const APART = 0.012; // m between two places of a brush on a body

export class HandTool implements Tool {
  host: HandHost | null = null;
  hand: Hand = "pull";
  reach = 60;
  mirrored = false;
  clearance = 2;
  private going: Going | null = null;

  /** Dragging beside the cloth turns the camera. */
  get steady(): boolean {
    return this.going !== null;
  }

  press({ x, y }: Touch): boolean {
    const { host } = this;
    if (host === null || this.hand === "turn" || this.hand === "park") return false;
    if (this.hand === "clear") {
      const body = host.bodyAt(x, y);
      if (body === null) return false;
      this.going = { kind: "clear", name: body.name, places: [body.place] };
      return true;
    }
    const pin = host.pinAt(x, y);
    if (pin !== null) {
      this.going = { kind: "pin", number: pin.number, through: pin.cloth };
      return true;
    }
    const spot = host.spotAt(x, y);
    if (spot === null) return false;
    const { corners, weights } = spot;
    if (this.hand === "smooth") {
      this.going = { kind: "smooth" };
      host.tell({ do: "smooth", garment: spot.garment, spots: [{ corners, weights }], radius_mm: this.reach });
      return true;
    }
    this.going = { kind: "pull", through: spot.place };
    host.tell({ do: "pull", garment: spot.garment, corners, weights, reach_mm: this.reach, mirrored: this.mirrored, hem: this.hand === "hem" });
    host.thread(spot.place);
    return true;
  }

  move({ x, y }: Touch): void {
    const { host, going } = this;
    if (host === null) return;
    host.over(x, y);
    if (going === null) return;
    if (going.kind === "pull") {
      const to = host.levelWith(going.through, x, y);
      host.thread(to);
      host.drawTo(to);
    } else if (going.kind === "pin") host.thread(host.levelWith(going.through, x, y));
    else if (going.kind === "smooth") {
      const spot = host.spotAt(x, y);
      if (spot !== null) host.tell({ do: "smooth", garment: spot.garment, spots: [{ corners: spot.corners, weights: spot.weights }], radius_mm: this.reach });
    } else {
      const body = host.bodyAt(x, y);
      const last = going.places.at(-1);
      if (body?.name === going.name && (last === undefined || Math.hypot(...body.place.map((value, axis) => value - (last[axis] ?? 0))) > APART)) going.places.push(body.place);
    }
  }

  lift({ x, y }: Touch): void {
    const { host, going } = this;
    this.going = null;
    if (host === null || going === null) return;
    host.thread(null);
    if (going.kind === "pull") host.tell({ do: "let go" });
    else if (going.kind === "pin") host.tell({ do: "move pin", number: going.number, to: host.levelWith(going.through, x, y) });
    else if (going.kind === "smooth") host.tell({ do: "smoothed" });
    else host.tell({ do: "clearance", member: going.name, mm: this.clearance, places: going.places.slice(0, 500), radius_mm: this.reach });
  }

  cancel(): void {
    const { host, going } = this;
    this.going = null;
    host?.thread(null);
    if (going?.kind === "pull") host?.tell({ do: "let go" });
    if (going?.kind === "smooth") host?.tell({ do: "smoothed" });
  }

  wheel(by: number): boolean {
    if (this.going?.kind !== "pull" || this.host === null) return false;
    this.reach = Math.round(Math.min(500, Math.max(10, this.reach * (by > 0 ? WHEEL : 1 / WHEEL))));
    this.host.reached(this.reach);
    this.host.tell({ do: "reach", reach_mm: this.reach });
    return true;
  }

  key(key: string): boolean {
    if (this.going?.kind !== "pull" || this.host === null) return false;
    const on = { p: "space", b: "body" }[key.toLowerCase()];
    if (on === undefined) return false;
    this.host.tell({ do: "pin", on });
    this.going = null;
    this.host.thread(null);
    return true;
  }
}
