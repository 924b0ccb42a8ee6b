/** Values with keys over frames. */

export type Keyed = number | { frames: number[]; values: number[] };

/** Frame and value of each key; none for a constant. */
export function keysOf(value: Keyed): [number, number][] {
  if (typeof value === "number") return [];
  return value.frames.map((frame, at) => [frame, value.values[at] ?? 0]);
}

function fromKeys(keys: readonly (readonly [number, number])[]): Keyed {
  const sorted = [...keys].sort((a, b) => a[0] - b[0]);
  return { frames: sorted.map(([frame]) => frame), values: sorted.map(([, value]) => value) };
}

/** With a key at a frame, in place of one that stands there. */
export function withKey(value: Keyed, frame: number, here: number): Keyed {
  return fromKeys([...keysOf(value).filter(([at]) => at !== frame), [frame, here]]);
}

/** Without the key at a frame; the last key gone leaves its value as a constant. */
export function withoutKey(value: Keyed, frame: number): Keyed {
  const keys = keysOf(value);
  const left = keys.filter(([at]) => at !== frame);
  return left.length > 0 ? fromKeys(left) : (keys[0]?.[1] ?? 0);
}

/** With the keys of a change moved apart, from `from` to where they should be. */
export function spread(value: Keyed, from: readonly [number, number], to: readonly [number, number]): Keyed {
  if (typeof value === "number") return value;
  return { ...value, frames: value.frames.map((frame) => (frame === from[0] ? to[0] : frame === from[1] ? to[1] : frame)) };
}

/** On only from one frame to another: off a frame before and a frame after. */
export function onBetween(from: number | null, until: number | null): Keyed {
  if (from === null && until === null) return 1;
  const keys: [number, number][] = [];
  if (from !== null) keys.push([from - 1, 0], [from, 1]);
  if (until !== null) keys.push([until, 1], [until + 1, 0]);
  return fromKeys(keys);
}

/** The first and the last frame at which something is on; null: from the start, to the end. */
export interface Span {
  from: number | null;
  until: number | null;
}

/** The span that `onBetween` makes; null when the keys say more than a span can. */
export function spanOf(value: Keyed): Span | null {
  if (value === 1) return { from: null, until: null };
  const keys = keysOf(value);
  const rises = keys.findIndex(([, here], at) => here === 1 && keys[at - 1]?.[1] === 0);
  const falls = keys.findIndex(([, here], at) => here === 0 && keys[at - 1]?.[1] === 1);
  const from = rises < 0 ? null : (keys[rises]?.[0] ?? null);
  const until = falls < 0 ? null : (keys[falls - 1]?.[0] ?? null);
  return JSON.stringify(onBetween(from, until)) === JSON.stringify(value) ? { from, until } : null;
}

/** With one end of the span moved, and what is said of it: "keeps cloth off from 1010 until 1080". Keys that say more than a span can stay. */
export function respanned(value: Keyed, end: Partial<Span>, does: string): { on: Keyed; said: string } {
  const before = spanOf(value);
  if (before === null) return { on: value, said: "" };
  const { from, until } = { ...before, ...end };
  const ends = [from === null ? "" : ` from ${from}`, until === null ? "" : ` until ${until}`].join("");
  return { on: onBetween(from, until), said: ends === "" ? `always ${does}` : does + ends };
}

/** The value at a frame: smooth and monotone between keys, as the engine has it (F. N. Fritsch and J. Butland, 1984). */
export function valueAt(value: Keyed, frame: number): number {
  if (typeof value === "number") return value;
  const { frames, values } = value;
  const last = frames.length - 1;
  const at = (list: readonly number[], index: number) => list[index] ?? 0;
  if (last === 0 || frame <= at(frames, 0)) return at(values, 0);
  if (frame >= at(frames, last)) return at(values, last);
  const step = (index: number) => at(frames, index + 1) - at(frames, index);
  const rise = (index: number) => (at(values, index + 1) - at(values, index)) / step(index);
  const slope = (index: number): number => {
    if (last === 1) return rise(0);
    if (index === 0) return ofEnd(step(0), step(1), rise(0), rise(1));
    if (index === last) return ofEnd(step(last - 1), step(last - 2), rise(last - 1), rise(last - 2));
    const [before, after] = [rise(index - 1), rise(index)];
    if (before * after <= 0) return 0;
    const [w1, w2] = [2 * step(index) + step(index - 1), step(index) + 2 * step(index - 1)];
    return (w1 + w2) / (w1 / before + w2 / after);
  };
  const index = frames.findIndex((_, here) => here < last && frame < at(frames, here + 1));
  const t = (frame - at(frames, index)) / step(index);
  const [t2, t3] = [t * t, t * t * t];
  return (
    at(values, index) * (2 * t3 - 3 * t2 + 1) +
    at(values, index + 1) * (3 * t2 - 2 * t3) +
    step(index) * (slope(index) * (t3 - 2 * t2 + t) + slope(index + 1) * (t3 - t2))
  );
}

function ofEnd(near: number, next: number, here: number, there: number): number {
  const slope = ((2 * near + next) * here - near * there) / (near + next);
  if (slope * here <= 0) return 0;
  return here * there <= 0 && Math.abs(slope) > 3 * Math.abs(here) ? 3 * here : slope;
}
