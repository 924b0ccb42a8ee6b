/** Two changes of one thing put together. */

type Thing = Record<string, unknown>;

/**
 * What a page made of `base` (`mine`), put onto what has become of it meanwhile (`newest`): whatever mine left as it
 * was is taken from newest. Lists of named things go by name, lists as long as before by place; where both changed
 * the same, mine stays.
 */
export function merged<T>(base: T, mine: T, newest: T): T {
  if (same(base, newest)) return mine;
  if (same(base, mine)) return newest;
  if (isThing(base) && isThing(mine) && isThing(newest)) return ofThings(base, mine, newest) as T;
  if (!Array.isArray(base) || !Array.isArray(mine) || !Array.isArray(newest)) return mine;
  if ([base, mine, newest].every(isNamed)) return ofNamed(base as Named[], mine as Named[], newest as Named[]) as T;
  if (mine.length !== base.length || newest.length !== base.length) return mine;
  return mine.map((one, at) => merged<unknown>(base[at], one, newest[at])) as T;
}

/** One value that two changed: where, and what each made of it. */
export interface Apart {
  where: string;
  mine: unknown;
  theirs: unknown;
}

/**
 * Where `mine` and `theirs`, both made of `base`, changed the same value to different ones. It is the same walk as
 * `merged`, so that what is told here is what is lost there.
 */
export function apart(base: unknown, mine: unknown, theirs: unknown, where: readonly string[] = []): Apart[] {
  if (same(base, mine) || same(base, theirs) || same(mine, theirs)) return [];
  if (isThing(base) && isThing(mine) && isThing(theirs)) {
    const keys = [...new Set([...Object.keys(mine), ...Object.keys(theirs)])];
    return keys.flatMap((key) => apart(base[key], mine[key], theirs[key], [...where, key]));
  }
  if (Array.isArray(base) && Array.isArray(mine) && Array.isArray(theirs)) {
    if ([base, mine, theirs].every(isNamed)) {
      const [b, m, t] = [base, mine, theirs].map((all) => byName(all as Named[])) as [Map<string, Named>, Map<string, Named>, Map<string, Named>];
      return [...new Set([...m.keys(), ...t.keys()])].flatMap((name) => apart(b.get(name), m.get(name), t.get(name), [...where, name]));
    }
    if (mine.length === base.length && theirs.length === base.length) {
      return mine.flatMap((one, at) => apart(base[at], one, theirs[at], [...where, `${at + 1}`]));
    }
  }
  return [{ where: where.map(plain).join(", "), mine, theirs }];
}

/** A key of the document as one reads it: friction, clearance in mm. */
function plain(key: string): string {
  return key.replace(/_mm$/, " in mm").replaceAll("_", " ");
}

interface Named {
  name: string;
}

function ofThings(base: Thing, mine: Thing, newest: Thing): Thing {
  const keys = new Set([...Object.keys(newest), ...Object.keys(mine)]);
  return Object.fromEntries([...keys].map((key) => [key, merged(base[key], mine[key], newest[key])]));
}

/** In the order of the side that changed it, what only the other has at the end. */
function ofNamed(base: Named[], mine: Named[], newest: Named[]): Named[] {
  const before = byName(base);
  const here = byName(mine);
  const there = byName(newest);
  const moved = !same(base.map(nameOf), mine.map(nameOf));
  const names = new Set([...(moved ? mine : newest), ...newest, ...mine].map(nameOf));
  const kept = [...names].map((name) => merged(before.get(name), here.get(name), there.get(name)));
  return kept.filter((one) => one !== undefined);
}

const nameOf = ({ name }: Named) => name;
const byName = (all: Named[]) => new Map(all.map((one) => [one.name, one]));
const same = (one: unknown, other: unknown) => JSON.stringify(one) === JSON.stringify(other);
const isThing = (one: unknown): one is Thing => typeof one === "object" && one !== null && !Array.isArray(one);
const isNamed = (all: unknown) => Array.isArray(all) && all.every((one) => isThing(one) && typeof one.name === "string");
