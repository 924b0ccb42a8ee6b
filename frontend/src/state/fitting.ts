/** The live fitting: one socket to its process, the newest of what it says, and what is asked of it. */
import { create } from "zustand";
import { type Message, type Place, read, type Refused, type Told, VERSION } from "../domain/fitting";
import { notify } from "./room";

/** What the hands do on the Drape bench. */
export type Hand = "pull" | "hem" | "park" | "smooth" | "clear" | "turn";

export interface FittingState {
  /** Whether a socket is wanted, is being opened, has a fitting, or has ended. */
  line: "none" | "opening" | "open" | "ended";
  told: Told | null;
  /** Why the fitting could not be opened, or ended. */
  refused: Refused | null;
  hand: Hand;
  reach: number;
  mirrored: boolean;
  /** Clearance in mm that the brush gives. */
  clearance: number;
  /** Whether cloth is coloured by how it moves. */
  moving: boolean;
  /** How the garment that was sewn last came out, in words. */
  sewn: { shot: number; garment: string; said: string } | null;
  /** Takes a small picture of the stage; null while there is none. */
  picture: (() => Promise<Blob | null>) | null;
  set(change: Partial<Omit<FittingState, "set">>): void;
}

export const useFitting = create<FittingState>((set) => ({
  line: "none",
  told: null,
  refused: null,
  hand: "pull",
  reach: 60,
  mirrored: false,
  clearance: 2,
  moving: false,
  sewn: null,
  picture: null,
  set,
}));

export interface Watcher {
  positions(values: Float32Array, told: Told): void;
  piece(name: string, values: Float32Array): void;
  parked(bits: Uint8Array): void;
}

export type Command = Record<string, unknown> & { do: string };
export interface OpenAsk {
  shot: number;
  revision: number;
  fitting?: string;
  over?: boolean;
  anew?: boolean;
  carry?: boolean;
  sew?: string;
}

const PAGE = Math.random().toString(36).slice(2); // so that this window is not in its own way when it comes back
let socket: WebSocket | null = null;
const watchers = new Set<Watcher>();
let newest: Float32Array | null = null;
let bits: Uint8Array | null = null;

/** Hear of positions as they come, of the newest at once. */
export function watch(watcher: Watcher): () => void {
  watchers.add(watcher);
  const { told } = useFitting.getState();
  if (newest !== null && told !== null) watcher.positions(newest, told);
  if (bits !== null) watcher.parked(bits);
  return () => {
    watchers.delete(watcher);
  };
}

/** Open a shot's fitting, or go on with it as it is now; over the socket that is there, or a new one. */
export function openFitting(ask: OpenAsk): void {
  const command = { do: "open", version: VERSION, page: PAGE, ...ask };
  useFitting.getState().set({ line: "opening", refused: null });
  if (socket?.readyState === WebSocket.OPEN) {
    socket.send(JSON.stringify(command));
    return;
  }
  socket?.close();
  const line = new WebSocket(`${location.protocol === "https:" ? "wss" : "ws"}://${location.host}/api/fitting`);
  socket = line;
  line.binaryType = "arraybuffer";
  line.onopen = () => {
    line.send(JSON.stringify(command));
  };
  line.onmessage = ({ data }: MessageEvent<ArrayBuffer>) => {
    const message = socket === line ? read(data) : null;
    if (message !== null) hear(message);
  };
  line.onclose = ({ reason }) => {
    if (socket !== line) return;
    socket = null;
    const { refused } = useFitting.getState();
    const lost = { what: reason === "" ? "the connection to the fitting was lost" : reason, where: "", remedy: "Open it again: it goes on from where it was, a second ago at most", do: "" };
    useFitting.getState().set({ line: "ended", refused: refused ?? lost });
  };
}

/** Leave the fitting: it pauses, and is kept. */
export function leaveFitting(): void {
  const line = socket;
  socket = newest = bits = null;
  line?.close();
  useFitting.getState().set({ line: "none", told: null, refused: null });
}

/** Ask something of the fitting; nothing without one. */
export function tell(command: Command): void {
  if (socket?.readyState === WebSocket.OPEN) socket.send(JSON.stringify(command));
}

function hear(message: Message): void {
  const state = useFitting.getState();
  switch (message.kind) {
    case "told":
      if (message.told === null) {
        state.set({ line: "opening" });
        break;
      }
      state.set({ told: message.told, line: "open", refused: null });
      if (message.told.lost !== undefined) notify(message.told.lost.join("; "));
      break;
    case "sewn":
      if (!message.fault) {
        if (state.told !== null) state.set({ sewn: { shot: state.told.shot, garment: message.garment, said: message.said } });
        notify(`${message.garment}: ${message.said}`);
      }
      leaveFitting();
      break;
    case "positions":
      newest = message.values;
      if (state.told !== null) for (const watcher of watchers) watcher.positions(message.values, state.told);
      break;
    case "piece": {
      const name = state.told?.members[message.index];
      if (name !== undefined) for (const watcher of watchers) watcher.piece(name, message.values);
      break;
    }
    case "parked":
      bits = message.bits;
      for (const watcher of watchers) watcher.parked(message.bits);
      break;
    case "refused":
      // Another window has the fitting, or none could be opened: without one there is nothing to go on with.
      if (message.refused.do === "over" || (state.line === "opening" && state.told === null)) state.set({ refused: message.refused, line: "ended", told: null });
      else notify([message.refused.what, message.refused.where].filter((word) => word !== "").join(", "), message.refused.remedy, true);
  }
}

/** Draw what is held to a place, no more often than a screen shows it. */
let drawing: { to: Place; asked: boolean } | null = null;
export function drawTo(to: Place): void {
  if (drawing !== null) {
    drawing.to = to;
    return;
  }
  drawing = { to, asked: true };
  tell({ do: "draw", to });
  window.setTimeout(() => {
    const last = drawing;
    drawing = null;
    if (last !== null && last.to !== to) tell({ do: "draw", to: last.to });
  }, 25);
}
