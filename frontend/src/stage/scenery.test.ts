// @vitest-environment jsdom
import { afterEach, beforeEach, expect, test, vi } from "vitest";
import type { Description } from "./description";
import { Scenery } from "./scenery";
import type { Stage } from "./stage";

const POINTS = 3;
let waiting: { path: string; answer(): void }[] = [];
let done: string[] = [];

/** A stage that only remembers what stands on it, and which frame of each thing. */
function fakeStage() {
  const bodies = new Map<string, number>();
  const cloths = new Map<string, number>();
  const still = () => undefined;
  const stage = {
    bodies: {
      mark: still, shade: still, names: () => [...bodies.keys()], size: () => bodies.size, get: (name: string) => bodies.get(name),
      put: (name: string) => bodies.set(name, -1), drop: (name: string) => bodies.delete(name),
    },
    cloths: {
      setLook: still, chalk: still, shade: still, show: still, keys: () => [...cloths.keys()], size: () => cloths.size,
      values: () => [...cloths.values()],
      put: (key: string) => cloths.set(key, -1), drop: (key: string) => cloths.delete(key),
      move: (key: string, positions: Float32Array) => cloths.set(key, positions[0] as number),
    },
    setPanes: () => false, subjectSize: () => 1,
    moveBody: (name: string, positions: Float32Array) => bodies.set(name, positions[0] as number),
  };
  return stage;
}

function answerTo(path: string): Response {
  const span = /positions\/(-?\d+)\/(-?\d+)/.exec(path);
  const [first, last] = span === null ? [0, 0] : [Number(span[1]), Number(span[2])];
  const count = last - first + 1;
  const values = path.includes("triangles") ? new Uint32Array([0, 1, 2]) : new Float32Array(count * POINTS * 3);
  if (values instanceof Float32Array) for (let f = 0; f < count; f += 1) values.fill(first + f, f * POINTS * 3, (f + 1) * POINTS * 3);
  const headers = { "X-Array-Shape": span === null ? `${POINTS},3` : `${count},${POINTS},3`, "X-First-Frame": `${first}`, "X-Array-Type": "float32" };
  return new Response(values.buffer, { headers });
}

beforeEach(() => {
  waiting = [];
  done = [];
  vi.stubGlobal("fetch", (path: string) => new Promise<Response>((resolve) => {
    waiting.push({ path, answer: () => { done.push(path); resolve(answerTo(path)); } });
  }));
});
afterEach(() => {
  vi.unstubAllGlobals();
});

const described = (revision: number): Description => ({
  shot: 1, revision, first: 0, last: 40,
  members: [{ name: "body", kind: "character", moves: true }],
  worn: [{ garment: "skirt", dye: 0, pane: 0, revision: 1, take: 7, first: 0, last: 40 }],
});

async function arrive(pattern: RegExp): Promise<void> {
  const these = waiting.filter(({ path }) => pattern.test(path));
  waiting = waiting.filter((one) => !these.includes(one));
  for (const one of these) one.answer();
  await new Promise((next) => setTimeout(next, 5));
}

test("nothing stands on the stage until all of a frame has come, then all of it does", async () => {
  const stage = fakeStage();
  const shown = vi.fn();
  const scenery = new Scenery(stage as unknown as Stage, { failed: vi.fn(), placed: vi.fn(), shown });
  scenery.set(described(1));
  scenery.show(5);
  await arrive(/mesh|cast/);
  expect([stage.bodies.size(), stage.cloths.size()]).toEqual([0, 0]);
  expect(shown).toHaveBeenLastCalledWith(null);
  await arrive(/garments.*positions/);
  expect([stage.bodies.get("body"), stage.cloths.values()]).toEqual([5, [5]]);
  expect(shown).toHaveBeenLastCalledWith({ frame: 5, takes: [7] });
});

test("while one thing of a frame is on its way the last whole frame stays", async () => {
  const stage = fakeStage();
  const shown = vi.fn();
  const scenery = new Scenery(stage as unknown as Stage, { failed: vi.fn(), placed: vi.fn(), shown });
  scenery.set(described(1));
  scenery.show(5);
  await arrive(/mesh|positions\/0\//);
  await arrive(/cast.*positions\/24/); // what was looked ahead for, of the body alone
  scenery.show(30);
  expect([stage.bodies.get("body"), stage.cloths.values()]).toEqual([5, [5]]);
  expect(shown).toHaveBeenLastCalledWith({ frame: 5, takes: [7] });
  await arrive(/garments.*positions\/24/);
  expect([stage.bodies.get("body"), stage.cloths.values()]).toEqual([30, [30]]);
});

test("another revision takes the place of the one before in one step", async () => {
  const stage = fakeStage();
  const scenery = new Scenery(stage as unknown as Stage, { failed: vi.fn(), placed: vi.fn(), shown: vi.fn() });
  scenery.set(described(1));
  scenery.show(5);
  await arrive(/./);
  scenery.set({ ...described(2), members: [{ name: "other", kind: "prop", moves: true }] });
  await arrive(/mesh/);
  expect(stage.bodies.names()).toEqual(["body"]);
  await arrive(/./);
  expect(stage.bodies.names()).toEqual(["other"]);
  expect(stage.bodies.get("other")).toBe(5);
});
