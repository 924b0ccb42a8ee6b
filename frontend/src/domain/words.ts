/** Figures and states in words. */
import type { Reading, Take } from "../api/client";

export function mm(metres: number): string {
  const value = metres * 1000;
  return `${value < 10 ? value.toFixed(1) : Math.round(value).toLocaleString("en")}\u00a0mm`;
}

export function metres(value: number): string {
  return `${value.toFixed(2)}\u00a0m`;
}

export function percent(share: number): string {
  return `${(share * 100).toFixed(1)}\u00a0%`;
}

export function bytes(count: number): string {
  if (count < 1e6) return `${Math.max(1, Math.round(count / 1e3))}\u00a0kB`;
  return count < 1e9 ? `${(count / 1e6).toFixed(1)}\u00a0MB` : `${(count / 1e9).toFixed(1)}\u00a0GB`;
}

export function span(seconds: number): string {
  if (seconds < 90) return `${Math.max(0, Math.round(seconds))}\u00a0s`;
  if (seconds < 5400) return `${Math.round(seconds / 60)}\u00a0min`;
  return `${(seconds / 3600).toFixed(1)}\u00a0h`;
}

export function count(number: number, one: string, many = `${one}s`): string {
  return `${number.toLocaleString("en")} ${number === 1 ? one : many}`;
}

export function when(iso: string): string {
  const date = new Date(iso);
  const today = new Date().toDateString() === date.toDateString();
  const time = date.toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit" });
  return today ? `today ${time}` : `${date.toLocaleDateString("en-GB", { day: "numeric", month: "short" })} ${time}`;
}

export const patienceSaid: Record<string, string> = {
  "first-look": "First look",
  working: "Working",
  final: "Final",
};

/** A take's state in words, as the list and the thread show it. */
export function takeState(take: Take): string {
  const share = `${Math.floor((100 * take.done) / Math.max(1, take.total))}\u00a0%`;
  switch (take.state) {
    case "waiting":
      return "waiting for a worker";
    case "running":
      if (take.stopping) return `stopping at ${share}`;
      return take.phase === "simulating" ? `running, ${share}` : take.phase;
    case "stopped":
      return `stopped at ${share}`;
    case "failed":
      return take.origin === "brought in" ? "could not be brought in" : "could not be run";
    case "finished":
      return "finished";
  }
}

/** Frames with faults over all garments of a take, in words; empty when there are none. */
export function faultsOf(take: Take): string {
  const sum = (key: "in_the_body" | "through_itself" | "through_another" | "pinched" | "overstretched") =>
    take.garments.reduce((total, garment) => total + garment[key], 0);
  const said = [
    [sum("in_the_body"), "inside a collider"],
    [sum("through_itself"), "through itself"],
    [sum("through_another"), "through another garment"],
    [sum("pinched"), "pinched"],
    [sum("overstretched"), "overstretched"],
  ] as const;
  return said
    .filter(([frames]) => frames > 0)
    .map(([frames, what]) => `${what} in ${count(frames, "frame")}`)
    .join(", ");
}

/** How far most of a take's cloth stretches, and the worst edge of all, where and when; "" before any frame. */
export function stretchSaid(take: Take): string {
  const [worst] = take.garments.filter((one) => one.worst_edge !== null).sort((a, b) => (b.worst_edge ?? 0) - (a.worst_edge ?? 0));
  if (worst === undefined) return "";
  const most = Math.max(...take.garments.map((one) => one.worst_stretch ?? 0));
  const where = worst.worst_edge_near ? `, nearest to ${worst.worst_edge_near}` : "";
  return `99 in 100 edges stretch at most ${percent(most)}; the worst edge ${percent(worst.worst_edge ?? 0)}, in frame ${worst.worst_edge_frame}${where}`;
}

/** What shows through of bodies that an understudy stands in for, or that have parts left out: a line each. */
export function bodiesSaid(take: Take): { said: string; bad: boolean }[] {
  const names = [...new Set(take.garments.flatMap((one) => one.bodies))];
  if (names.length === 0) return [];
  const bodies = names.join(" and the ");
  const most = (values: (number | null)[]) => area(Math.max(...values.map((value) => value ?? 0)));
  const frames = Math.max(...take.garments.map((one) => one.body_shows));
  const apart = Math.max(...take.garments.map((one) => one.left_out_shows));
  const through = `the full ${bodies} shows through in ${count(frames, "frame")}, up to ${most(take.garments.map((one) => one.body_shows_area))} of cloth`;
  const leftOut = `parts left out by choice show through in ${count(apart, "frame")}, up to ${most(take.garments.map((one) => one.left_out_area))}`;
  return [
    frames === 0 ? { said: `nothing of the full ${bodies} shows through`, bad: false } : { said: through, bad: true },
    ...(apart === 0 ? [] : [{ said: leftOut, bad: false }]),
  ];
}

/** A member that its run-in throws into the shot. */
export function jerkSaid({ of, frame, step, own }: Reading["pulse"]["jerks"][number]): string {
  return `${of} is jerked into the shot at ${frame}: by ${step.toFixed(1)}\u00a0m/s from one frame to the next, in the shot by ${own.toFixed(1)} at most`;
}

/** Square metres as cloth is spoken of. */
export function area(squareMetres: number): string {
  return `${(squareMetres * 1e4).toFixed(1)}\u00a0cm²`;
}

/** A number with its sign, as a difference is said. */
export function signed(value: number): string {
  const figure = Math.abs(value).toFixed(2);
  return Number(figure) === 0 ? figure : `${value < 0 ? "−" : "+"}${figure}`;
}

/** The text with its first letter large. */
export function capital(text: string): string {
  return text.charAt(0).toUpperCase() + text.slice(1);
}
