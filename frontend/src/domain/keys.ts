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

/** On only from one frame to another: off a frame before and a frame after. */
export function onBetween(from: number | null, until: number | null): Keyed {
  if (from === null && until === null) return 1;
  const keys: [number, number][] = [];
  if (from !== null) keys.push([from - 1, 0], [from, 1]);
  if (until !== null) keys.push([until, 1], [until + 1, 0]);
  return fromKeys(keys);
}

/** The span that `onBetween` makes; null when the keys say more than a span can. */
export function spanOf(value: Keyed): { from: number | null; until: number | null } | null {
  if (value === 1) return { from: null, until: null };
  const keys = keysOf(value);
  const rises = keys.findIndex(([, here], at) => here === 1 && keys[at - 1]?.[1] === 0);
  const falls = keys.findIndex(([, here], at) => here === 0 && keys[at - 1]?.[1] === 1);
  const from = rises < 0 ? null : (keys[rises]?.[0] ?? null);
  const until = falls < 0 ? null : (keys[falls - 1]?.[0] ?? null);
  return JSON.stringify(onBetween(from, until)) === JSON.stringify(value) ? { from, until } : null;
}
