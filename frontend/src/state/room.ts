/** What the person at this page is doing: the bench, the frame, the look. The shot itself lives on the server. */
import { create } from "zustand";
import type { Choice } from "../api/client";
import type { Brush } from "../domain/chalk";
import type { Apart } from "../domain/merge";
import type { Bench } from "../domain/thread";

export type Look = "cloth" | "threads" | "map" | "stretch" | "closeness" | "inside";
export type View = "front" | "back" | "three-quarter" | "side" | "table" | "table and figure";
export type Theme = "daylight" | "dimmed";

/** A whole frame on the stage, and the takes whose cloth it shows; none where garments stand as they were made. */
export interface Staged {
  frame: number;
  takes: readonly number[];
}

/** One edit that met another window's: what was meant, each value in both versions, and making it after all. */
export interface Clash {
  said: string;
  apart: readonly Apart[];
  again(): void;
}

export interface Room {
  shot: number | null;
  bench: Bench;
  frame: number;
  /** What stands on the stage: the last frame of which everything has come, null for none yet. */
  staged: Staged | null;
  playing: boolean;
  /** Whether the stage goes along with a running take, to each new frame. */
  follow: boolean;
  loop: [number, number] | null;
  look: Look;
  view: View;
  /** Rises with every press on a view card, so that pressing the same one again turns back to it. */
  viewPressed: number;
  /** Takes on the stage, one to three, left first; without any the garments stand as they were made. */
  shown: number[];
  garment: string | null;
  /** The cast member whose understudy stands on the stage in its place. */
  understudy: string | null;
  /** What was just put in the shot, to be brought into view. */
  placed: string | null;
  /** The cast member whose cuts into itself are lit. */
  cutting: string | null;
  litBorder: number | null;
  /** The cast member whose faces are drawn around, so that cloth passes them. */
  leavingOut: string | null;
  /** What is chosen of the garment at hand, to be held. */
  chosen: Choice | null;
  /** How a press and drag on the stage chooses. */
  tool: "border" | "lasso" | "box";
  /** Whether only what is seen is chosen, or the far side and the inside too. */
  facing: boolean;
  /** What is wrong with a garment's mesh and lit alone, by its kind; null for all of it. */
  ailment: string | null;
  /** The hold that is looked at. */
  hold: string | null;
  /** The map that is drawn on, and with what. */
  chalk: string | null;
  brush: Brush;
  /** The map that is taken away from it to see the difference. */
  less: string | null;
  /** Whether a line is drawn on the cloth, and the values at its start and its end. */
  line: readonly [number, number] | null;
  /** The take on the Mend bench, which opens from the Takes bench; null when it is closed. */
  mending: number | null;
  /** Whose keys the tape shows. */
  lane: string | null;
  theme: Theme;
  sheet: boolean;
  notice: { text: string; remedy: string; bad: boolean } | null;
  /** What another window changed while it was being changed here. */
  clash: Clash | null;
  set(change: Partial<Omit<Room, "set">>): void;
}

function rememberedTheme(): Theme {
  try {
    return window.localStorage.getItem("theme") === "dimmed" ? "dimmed" : "daylight";
  } catch {
    return "daylight";
  }
}

export const useRoom = create<Room>((set) => ({
  shot: null,
  bench: "cast",
  frame: 0,
  staged: null,
  playing: false,
  follow: false,
  loop: null,
  look: "cloth",
  view: "three-quarter",
  viewPressed: 0,
  shown: [],
  garment: null,
  understudy: null,
  placed: null,
  cutting: null,
  litBorder: null,
  leavingOut: null,
  chosen: null,
  tool: "border",
  facing: true,
  ailment: null,
  hold: null,
  chalk: null,
  brush: { radius_mm: 40, strength: 1, softness: 0.5, mode: "add", amount: 1, through: false, mirrored: false },
  less: null,
  line: null,
  mending: null,
  lane: null,
  theme: rememberedTheme(),
  sheet: false,
  notice: null,
  clash: null,
  set,
}));

/** Tell the person something, with what to do about it. */
export function notify(text: string, remedy = "", bad = false): void {
  useRoom.getState().set({ notice: { text, remedy, bad } });
}
