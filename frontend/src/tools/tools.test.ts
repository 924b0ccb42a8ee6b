import { describe, expect, test, vi } from "vitest";
import type { StepRecord, StrokeRecord } from "../api/client";
import type { ClothHit } from "../stage/picking";
import type { DrawnRegion } from "../state/mend";
import { BrushTool } from "./brushTool";
import { type ChalkHost, type ChalkSheet, ChalkTool } from "./chalkTool";
import { DrawTool } from "./drawTool";
import { HandleTool } from "./handleTool";
import { type HandHost, HandTool } from "./handTool";
import { PointTool } from "./pointTool";
import { Pointer, type Tool, type Touch } from "./tool";

const at = (x: number, y: number, more: Partial<Touch> = {}): Touch => ({ x, y, pressure: 1, shiftKey: false, altKey: false, ...more });
const settled = () => new Promise((next) => setTimeout(next, 0));

function fake(takes: boolean, steady = true) {
  const heard: string[] = [];
  const tool: Tool = {
    steady,
    press: () => { heard.push("press"); return takes; },
    move: () => { heard.push("move"); },
    lift: () => { heard.push("lift"); },
    cancel: () => { heard.push("cancel"); },
  };
  return { tool, heard };
}

describe("the pointer", () => {
  test("gives a press to the first tool that takes it, and all that follows to it alone", () => {
    const camera = { turnByDragging: vi.fn() };
    const [passes, takes, last] = [fake(false), fake(true), fake(true, false)];
    const pointer = new Pointer(camera);
    pointer.setTools([passes.tool, takes.tool, last.tool]);
    expect(camera.turnByDragging).toHaveBeenLastCalledWith(true); // the last tool leaves dragging to the camera
    pointer.move(at(0, 0));
    expect(pointer.press(at(0, 0))).toBe(true);
    expect(camera.turnByDragging).toHaveBeenLastCalledWith(false);
    pointer.move(at(0.1, 0));
    pointer.lift(at(0.1, 0));
    pointer.move(at(0.2, 0));
    expect([passes.heard, takes.heard, last.heard]).toEqual([["press"], ["press", "move", "lift"], ["move", "move"]]);
    expect(camera.turnByDragging).toHaveBeenLastCalledWith(true);
  });

  test("cancels what is under way when it is asked to, when another press comes, or when its tool goes", () => {
    const one = fake(true);
    const pointer = new Pointer({ turnByDragging: vi.fn() });
    pointer.setTools([one.tool]);
    expect(pointer.cancel()).toBe(false);
    pointer.press(at(0, 0));
    expect(pointer.cancel()).toBe(true);
    pointer.press(at(0, 0));
    pointer.press(at(0, 0));
    pointer.setTools([]);
    pointer.lift(at(0, 0));
    expect(one.heard).toEqual(["press", "cancel", "press", "cancel", "press", "cancel"]);
  });
});

describe("drawing around", () => {
  function drawing(shape: "lasso" | "box") {
    const around = vi.fn();
    const tool = new DrawTool({ drawn: () => undefined, around });
    tool.shape = shape;
    return { tool, around };
  }

  test("a box has four corners on a plane of -1 to 1, and the keys held when it is let go", () => {
    const { tool, around } = drawing("box");
    tool.press(at(0.25, 0.25));
    tool.move(at(0.5, 0.5));
    tool.move(at(0.75, 0.5));
    tool.lift(at(0.75, 0.5, { altKey: true }));
    expect(around).toHaveBeenCalledWith([[-0.5, 0.5], [0.5, 0.5], [0.5, 0], [-0.5, 0]], expect.objectContaining({ altKey: true }));
  });

  test("a mere press, and what is cancelled, is around nothing", () => {
    const { tool, around } = drawing("lasso");
    tool.press(at(0.1, 0.1));
    tool.move(at(0.101, 0.1)); // under the least step
    tool.lift(at(0.101, 0.1));
    tool.press(at(0.1, 0.1));
    for (const x of [0.2, 0.3, 0.4]) tool.move(at(x, x * x));
    tool.cancel();
    tool.lift(at(0.4, 0.1));
    expect(around).not.toHaveBeenCalled();
  });
});

describe("pointing", () => {
  test("one question at a time; a press that moved takes nothing", async () => {
    const asked = vi.fn().mockResolvedValue(3);
    const host = { borderAt: asked, light: vi.fn(), take: vi.fn(), failed: vi.fn() };
    const tool = new PointTool(host);
    tool.move(at(0.1, 0.1));
    tool.move(at(0.2, 0.1));
    expect(asked).toHaveBeenCalledTimes(1);
    await settled();
    expect(host.light).toHaveBeenCalledWith(3);
    tool.press(at(0.1, 0.1));
    tool.lift(at(0.2, 0.1));
    tool.press(at(0.1, 0.1));
    tool.lift(at(0.102, 0.1));
    await settled();
    expect(host.take.mock.calls).toEqual([[3]]);
  });
});

describe("a handle", () => {
  function held(turns: boolean) {
    const kept = vi.fn();
    const tool = new HandleTool();
    tool.host = {
      knobAt: (x) => (x < 0.5 ? { axis: 0, turns } : null),
      reading: (_, x) => 10 * x,
      value: () => 1,
      show: vi.fn(),
      keep: kept,
    };
    return { tool, kept };
  }

  test("moves in steps of 5 mm, freely with Alt, and keeps what it is let go at", () => {
    const { tool, kept } = held(false);
    expect(tool.press(at(0.9, 0))).toBe(false);
    tool.press(at(0.1, 0));
    tool.move(at(0.1012, 0));
    tool.lift();
    tool.press(at(0.1, 0));
    tool.move(at(0.1012, 0, { altKey: true }));
    tool.lift();
    expect(kept.mock.calls.map(([, value]) => value)).toEqual([1.01, 1.012]);
  });

  test("put back where it was, or cancelled, changes nothing", () => {
    const { tool, kept } = held(true);
    tool.press(at(0.1, 0));
    tool.move(at(0.4, 0)); // 3 degrees: nearer to 0 than to 5, but from 1 on
    tool.move(at(0.1, 0, { altKey: true }));
    tool.lift();
    tool.press(at(0.1, 0));
    tool.move(at(0.45, 0));
    tool.cancel();
    tool.lift();
    expect(kept).not.toHaveBeenCalled();
  });
});

describe("chalk", () => {
  const brush = { radius_mm: 50, strength: 1, softness: 0.5, mode: "add", amount: 1, through: false, mirrored: false } as const;
  const sheet: ChalkSheet = { whose: "a", path: "/map", brush, line: null, compared: false };

  function chalk(paper: Partial<ChalkSheet> = {}) {
    const steps: StepRecord[] = [];
    const asked: { stroke: StrokeRecord; answer(values: Float32Array): void }[] = [];
    const host = {
      // Cloth is a plane 1 m wide; nothing beyond x = 0.9.
      clothAt: (x: number, y: number): ClothHit | null => (x > 0.9 ? null : { place: [x, y, 0.00004], facing: [0, 0, 1], corners: [0, 1, 2] }),
      over: vi.fn(), showLine: vi.fn(), painted: vi.fn(), lined: vi.fn(), left: vi.fn(), failed: vi.fn(),
      paint: (_: string, stroke: StrokeRecord) => new Promise<Float32Array>((answer) => { asked.push({ stroke, answer }); }),
      keep: (step: StepRecord) => { steps.push(step); },
    } satisfies ChalkHost;
    const tool = new ChalkTool(host, "page");
    tool.sheet = { ...sheet, ...paper };
    return { tool, host, steps, asked };
  }

  test("hits lie a fifth of the radius apart, rounded to a tenth of a millimetre, also where the pointer leapt", () => {
    const { tool, steps } = chalk();
    tool.press(at(0.1, 0.5));
    tool.move(at(0.2, 0.5, { pressure: 0.333 }));
    tool.lift();
    const [step] = steps;
    if (step?.kind !== "stroke" || step.hits === null) throw new Error("no stroke");
    const xs = step.hits.map((hit) => hit[0]);
    for (let k = 1; k < xs.length; k += 1) expect((xs[k] ?? 0) - (xs[k - 1] ?? 0)).toBeGreaterThanOrEqual(0.0099);
    expect(xs.length).toBeGreaterThan(5);
    expect(step.hits.at(-1)).toEqual([expect.any(Number), 0.5, 0, 0, 0, 1, 0.33]);
    expect(step.file).toBeNull();
  });

  test("one question at a time, with the hits that are new; late answers of an older stroke are not shown", async () => {
    const { tool, host, asked } = chalk();
    tool.press(at(0.1, 0.5));
    tool.move(at(0.2, 0.5));
    expect(asked.map(({ stroke }) => stroke.hits.length)).toEqual([1]);
    asked[0]?.answer(new Float32Array([1]));
    await settled();
    expect(asked).toHaveLength(2);
    expect(host.painted).toHaveBeenCalledWith("a", new Float32Array([1]));
    tool.lift();
    tool.press(at(0.5, 0.5));
    asked[1]?.answer(new Float32Array([2]));
    await settled();
    expect(host.painted).toHaveBeenCalledTimes(1);
  });

  test("a stroke that is cancelled is not kept, and the map is shown without it", () => {
    const { tool, host, steps } = chalk();
    tool.press(at(0.1, 0.5));
    tool.cancel();
    tool.lift();
    expect(steps).toEqual([]);
    expect(host.left).toHaveBeenCalled();
  });

  test("beside the cloth and while maps are compared nothing is drawn, and the camera stays", () => {
    for (const { tool, steps } of [chalk({ compared: true }), chalk()]) {
      expect(tool.press(at(tool.sheet?.compared === true ? 0.1 : 0.95, 0.5))).toBe(true);
      tool.lift();
      expect(steps).toEqual([]);
    }
  });

  test("a line is a step along it; a mere press is none", () => {
    const { tool, steps, host } = chalk({ line: [0.2, 0.8] });
    tool.press(at(0.1, 0.5));
    tool.lift();
    expect(steps).toEqual([]);
    tool.press(at(0.1, 0.5));
    tool.move(at(0.4, 0.5));
    tool.lift();
    expect(steps).toEqual([{ kind: "along", start: [0.1, 0.5, 0], end: [0.4, 0.5, 0], values: [0.2, 0.8] }]);
    expect(host.lined).toHaveBeenCalledTimes(1);
  });
});

describe("hands", () => {
  const cloth = { garment: "skirt", place: [0, 1, 0], corners: [4, 5, 6], weights: [0.5, 0.25, 0.25] } as const;
  function hands(over: "cloth" | "pin" | "body" | "nothing") {
    const told: Record<string, unknown>[] = [];
    const threads: unknown[] = [];
    const tool = new HandTool();
    const host: HandHost = {
      spotAt: () => (over === "cloth" ? { ...cloth, place: [...cloth.place], corners: [...cloth.corners], weights: [...cloth.weights] } : null),
      bodyAt: () => (over === "body" ? { name: "man", place: [told.length, 0, 0] } : null),
      pinAt: () => (over === "pin" ? { number: 3, cloth: [0, 1, 0] } : null),
      levelWith: (_, x, y) => [x, y, 0],
      tell: (command) => { told.push(command); },
      drawTo: (to) => { told.push({ do: "draw", to }); },
      thread: (to) => { threads.push(to); },
      over: () => undefined,
      reached: () => undefined,
    };
    tool.host = host;
    return { tool, told, threads };
  }

  test("take hold of cloth, draw it, and let go when they lift", () => {
    const { tool, told, threads } = hands("cloth");
    expect(tool.steady).toBe(false); // beside the cloth the shot is turned
    expect(tool.press(at(0.5, 0.5))).toBe(true);
    expect(tool.steady).toBe(true);
    tool.move(at(0.6, 0.4));
    tool.lift(at(0.6, 0.4));
    expect(told).toEqual([
      { do: "pull", garment: "skirt", corners: [4, 5, 6], weights: [0.5, 0.25, 0.25], reach_mm: 60, mirrored: false, hem: false },
      { do: "draw", to: [0.6, 0.4, 0] },
      { do: "let go" },
    ]);
    expect(threads).toEqual([[0, 1, 0], [0.6, 0.4, 0], null]); // it is drawn at once, whatever the cloth does
  });

  test("widen their reach with the wheel, and pin with a key", () => {
    const { tool, told } = hands("cloth");
    expect(tool.wheel(-1)).toBe(false); // nothing is pulled: the camera's
    expect(tool.key("p")).toBe(false);
    tool.press(at(0.5, 0.5));
    expect(tool.wheel(-1)).toBe(true);
    expect(tool.key("x")).toBe(false);
    expect(tool.key("B")).toBe(true);
    tool.lift(at(0.5, 0.5));
    expect(told.slice(1)).toEqual([{ do: "reach", reach_mm: 67 }, { do: "pin", on: "body" }]);
  });

  test("leave a drag as if it had not been, and take nothing where nothing is", () => {
    const { tool, told } = hands("cloth");
    tool.press(at(0.5, 0.5));
    tool.cancel();
    expect(told.at(-1)).toEqual({ do: "let go" });
    expect(hands("nothing").tool.press(at(0, 0))).toBe(false);
  });

  test("move a pin by its head, and keep cloth off where they brush over a body", () => {
    const pin = hands("pin");
    pin.tool.press(at(0.5, 0.5));
    pin.tool.lift(at(0.7, 0.5));
    expect(pin.told).toEqual([{ do: "move pin", number: 3, to: [0.7, 0.5, 0] }]);
    const body = hands("body");
    body.tool.hand = "clear";
    body.tool.clearance = 2;
    body.tool.press(at(0.5, 0.5));
    body.tool.lift(at(0.5, 0.5));
    expect(body.told).toEqual([{ do: "clearance", member: "man", mm: 2, places: [[0, 0, 0]], radius_mm: 60 }]);
  });
});

describe("the brush on the Mend bench", () => {
  // Five vertices 10 mm apart along x; the pointer's x in shares is the place in units of 40 mm.
  const points = new Float32Array([0, 0, 0, 0.01, 0, 0, 0.02, 0, 0, 0.03, 0, 0, 0.04, 0, 0]);
  function brushing(before: DrawnRegion | null = null) {
    let region = before;
    const hit = (x: number): ClothHit => ({ place: [0.04 * x, 0, 0], facing: [0, 0, 1], corners: [0, 1, 2] });
    const tool = new BrushTool({
      at: (x, y) => (y > 0.5 ? null : { garment: x > 0.9 ? "apron" : "skirt", hit: hit(x) }),
      points: () => points,
      radius: () => 0.006,
      region: () => region,
      ring: () => undefined,
      brushed: (found) => { region = found; },
    });
    return { tool, region: () => region };
  }

  test("adds what it goes over, and takes away with Alt", () => {
    const { tool, region } = brushing();
    expect(tool.press(at(0.25, 0))).toBe(true);
    tool.move(at(0.5, 0));
    tool.lift();
    expect(region()).toEqual({ garment: "skirt", vertices: [1, 2] });
    tool.press(at(0.5, 0, { altKey: true }));
    tool.lift();
    expect(region()?.vertices).toEqual([1]);
  });

  test("stays on the garment that it began on, and leaves a stroke as if it had not been", () => {
    const { tool, region } = brushing({ garment: "skirt", vertices: [0] });
    tool.press(at(0.5, 0));
    tool.move(at(1, 0));
    expect(region()?.vertices).toEqual([0, 2]);
    tool.cancel();
    expect(region()).toEqual({ garment: "skirt", vertices: [0] });
  });

  test("beside the cloth a press is not its own", () => {
    expect(brushing().tool.press(at(0.5, 0.9))).toBe(false);
  });
});
