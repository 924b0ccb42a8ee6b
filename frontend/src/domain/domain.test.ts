import { describe, expect, test } from "vitest";
import type { Delivery, Reading, ShotDocument, Take } from "../api/client";
import { PLAIN_PLACE } from "./cast";
import { addGarment, addWind, AIR_DENSITY, changeCollider, changeFrames, changeRunIn, changeTogether, changeWind, dressFurtherIn, freeName, gustOf, plainCollider, removeWind, takeOut, windOf, windsOf } from "./edits";
import { ramp } from "./ramp";
import { figureStep, frameAt, lane, spans, xOf } from "./tape";
import { threadOf } from "./thread";
import { bytes, count, bodiesSaid, faultsOf, stretchSaid, mm, percent, span, takeState } from "./words";

const empty: ShotDocument = {
  format: "patient-needle-shot",
  version: 2,
  name: "Test",
  frame_rate: 24,
  frames: [1001, 1010],
  run_in: { settle: 2, move: 3 },
  patience: "first-look",
  forces: { gravity: [0, -9.81, 0], air_drag: 0.3, air_density: 0, winds: [] },
  cast: [],
  time_stretch: 1,
  least_substeps: 1,
  together: true,
  fabrics: [],
  fittings: [],
  garments: [],
};
const cloth = { name: "skirt", file: "skirt.obj" };
const take: Take = {
  id: 1,
  shot: 1,
  revision: 1,
  name: "Take 1",
  patience: "working",
  first_simulated: 996,
  first: 1001,
  last: 1010,
  state: "running",
  origin: "simulated", mends: null, version: 0, stopping: false,
  phase: "simulating",
  done: 5,
  total: 15,
  seconds_per_frame: 0.5,
  seconds_left: 5,
  fault: null,
  made_at: "2026-11-25T00:00:00Z",
  bytes: 1,
  stale: [],
  garments: [],
};

describe("edits", () => {
  const dressed = addGarment(empty, cloth).document;
  test("a garment without a swatch gets one", () => {
    expect(dressed.garments[0]?.fabric).toBe(dressed.fabrics[0]?.name);
  });
  test("frames and run-in change one at a time", () => {
    expect(changeFrames(empty, { last: 1020 }).document.frames).toEqual([1001, 1020]);
    expect(changeRunIn(empty, { move: 9 }).document.run_in).toEqual({ settle: 2, move: 9 });
  });
  test("a collider changes one thing at a time, and one that is switched off begins plain", () => {
    const body = { name: "body", kind: "character", file: "b.glb", unit: "m", up: "y", mesh: null, cache: null, animation: null, starts_at: 0, cache_as: { unit: null, up: null, mirrored: false }, motion_turn: 0, motion_move: [0, 0, 0] as [number, number, number], outwards: false, placed: PLAIN_PLACE, timing: "real time", motion: null, parent: null, shapes: [] as never[], collider: null } as const;
    const cast = { ...empty, cast: [body] };
    const off = changeCollider(cast, "body", { clearance_mm: 9 }, "clearance 9 mm").document;
    expect(off.cast?.[0]?.collider).toEqual({ ...plainCollider, clearance_mm: 9 });
    const rough = changeCollider(off, "body", { friction: 0.6 }, "friction 0.6");
    expect(rough.document.cast?.[0]?.collider).toMatchObject({ clearance_mm: 9, friction: 0.6 });
    expect(rough.said).toBe("body: friction 0.6");
  });
  test("a wind is let blow, changed and taken out; the first one brings the air it needs", () => {
    const blown = addWind(empty).document;
    const [wind] = windsOf(blown);
    if (wind === undefined) throw new Error("no wind");
    const gust = gustOf(wind, 1001);
    expect(gust).toMatchObject({ strength: 4, from: 1003, full: 1018 });
    expect(blown.forces?.air_density).toBe(AIR_DENSITY);
    if (gust === null) throw new Error("no gust");
    const even = changeWind(blown, "wind", (newest) => windOf({ ...gust, full: gust.from, strength: 6 }, newest)).document;
    const turned = changeWind(even, "wind", (newest) => ({ ...newest, heading: 30 })).document;
    expect(windsOf(turned)[0]).toMatchObject({ strength: 6, heading: 30 });
    expect(windsOf(even)[0]).toMatchObject({ strength: 6, seed: 0, turbulence: 0.3 });
    expect(windsOf(removeWind(even, "wind").document)).toHaveLength(0);
  });
  test("a wind with more keys than a gust has is left to the shot file", () => {
    const [wind] = windsOf(addWind(empty).document);
    if (wind === undefined) throw new Error("no wind");
    expect(gustOf({ ...wind, strength: { frames: [1, 2, 3], values: [0, 4, 0] } }, 1)).toBeNull();
    expect(gustOf({ ...wind, heading: { frames: [1, 2], values: [0, 90] } }, 1)).toBeNull();
  });
  test("what is taken out is gone from both lists", () => {
    expect(takeOut(dressed, "skirt").document.garments).toHaveLength(0);
  });
  test("a taken name gets a number", () => {
    expect(freeName("skirt", ["skirt", "skirt 2"])).toBe("skirt 3");
  });
});

describe("the thread", () => {
  const reading: Reading = { cast: {}, garments: {}, winds: {}, faults: {}, pulse: { suggested_move: 0, first: 996, body_speed: [], jerks: [] } };
  const dressed = addGarment(empty, cloth).document;
  const said = (document: ShotDocument, takes: Take[] = [], deliveries: Delivery[] = [], read: Reading = reading) =>
    Object.fromEntries(threadOf(document, read, takes, deliveries).map((knot) => [knot.bench, `${knot.mood}: ${knot.said}`]));
  test("an empty shot has nothing yet", () => {
    expect(said(empty)).toEqual({
      cast: "nothing: nothing yet",
      wardrobe: "nothing: no garment yet",
      chalk: "nothing: no garment yet",
      fasten: "nothing: no garment yet",
      drape: "nothing: no garment yet",
      takes: "nothing: nothing yet",
      "hand-off": "nothing: nothing yet",
    });
  });
  test("faults are counted before anything else is said", () => {
    const fault = { what: "x", where: "y", remedy: "z" };
    expect(said(dressed, [], [], { ...reading, faults: { skirt: fault } }).cast).toBe("fault: 1 fault");
  });
  test("a running take shows how far it is, a changed shot makes it stale", () => {
    expect(said(dressed, [take]).takes).toBe("busy: Take 1 running, 33\u00a0%");
    const finished: Take = { ...take, state: "finished", done: 15 };
    expect(said(dressed, [finished]).takes).toBe("good: Take 1 finished");
    expect(said(dressed, [finished])["hand-off"]).toBe("ready: ready");
    expect(said(dressed, [{ ...finished, stale: ["x"] }]).takes).toBe("stale: Take 1 is stale");
  });
});

describe("the tape", () => {
  const scale = { first: -30, last: 120, left: 14, right: 1064 };
  test("frames and pixels are each other's inverse", () => {
    for (const frame of [-30, -1, 0, 77, 120]) expect(frameAt(scale, xOf(scale, frame))).toBe(frame);
  });
  test("beyond the ends the ends are meant", () => {
    expect([frameAt(scale, -500), frameAt(scale, 5000)]).toEqual([-30, 120]);
  });
  test("figures keep their distance", () => {
    expect(figureStep(scale)).toBe(10);
    expect(figureStep({ ...scale, last: 12000 })).toBe(1000);
  });
  test("neighbouring frames make one run", () => {
    expect(spans([3, 4, 5, 9, 11, 12])).toEqual([[3, 5], [9, 9], [11, 12]]);
    expect(spans([])).toEqual([]);
  });
  test("a lane stays within its height", () => {
    const path = lane(scale, [{ frame: -30, value: 0 }, { frame: 120, value: 99 }], 1, 40, 20);
    expect(path).toBe("M14.0 40.0 L1064.0 20.0");
  });
});

describe("words", () => {
  test("units follow every figure", () => {
    expect([mm(0.0042), mm(0.386), percent(0.0282), bytes(20.4e6), span(75), span(600)].map((t) => t.replace("\u00a0", " "))).toEqual([
      "4.2 mm", "386 mm", "2.8 %", "20.4 MB", "75 s", "10 min",
    ]);
    expect([count(1, "vertex", "vertices"), count(2, "vertex", "vertices")]).toEqual(["1 vertex", "2 vertices"]);
  });
  test("a take says what it does and what is wrong with it", () => {
    expect(takeState({ ...take, stopping: true })).toContain("stopping at 33");
    expect(takeState({ ...take, phase: "preparing" })).toBe("preparing");
    const garment = { garment: "skirt", frames: 9, first: 1, last: 9, worst_stretch: 0.02, in_the_body: 2, through_itself: 0, through_another: 3, pinched: 1, after_run_in: [], median_ms: 4, worst_edge: 2.46, worst_edge_frame: 7, worst_edge_near: "figure: forearmL", overstretched: 1, bodies: ["figure"], body_shows: 3, body_shows_area: 0.0042, left_out_shows: 0, left_out_area: null };
    expect(faultsOf({ ...take, garments: [garment] })).toBe(
      "inside a collider in 2 frames, through another garment in 3 frames, pinched in 1 frame, overstretched in 1 frame",
    );
    const plain = (text: string) => text.replaceAll("\u00a0", " ");
    expect(plain(stretchSaid({ ...take, garments: [garment] }))).toBe(
      "99 in 100 edges stretch at most 2.0 %; the worst edge 246.0 %, in frame 7, nearest to figure: forearmL",
    );
    expect(bodiesSaid({ ...take, garments: [garment] }).map(({ said }) => plain(said))).toEqual(["the full figure shows through in 3 frames, up to 42.0 cm² of cloth"]);
    expect(bodiesSaid({ ...take, garments: [{ ...garment, body_shows: 0, left_out_shows: 9, left_out_area: 0.01 }] }).map(({ said }) => plain(said))).toEqual([
      "nothing of the full figure shows through", "parts left out by choice show through in 9 frames, up to 100.0 cm²",
    ]);
    expect([stretchSaid({ ...take, garments: [] }), bodiesSaid({ ...take, garments: [] })]).toEqual(["", []]);
  });
});

test("garments are worn further in one place at a time", () => {
  const worn = ["skirt", "apron", "coat"].reduce((document, name) => addGarment(document, { ...cloth, name }).document, empty);
  const order = (name: string) => dressFurtherIn(worn, name).document.garments.map((garment) => garment.name);
  expect(order("coat")).toEqual(["skirt", "coat", "apron"]);
  expect(order("skirt")).toEqual(["skirt", "apron", "coat"]);
  expect(worn.garments.map((garment) => garment.name)).toEqual(["skirt", "apron", "coat"]);
  expect(changeTogether(worn, false).document.together).toBe(false);
});

test("the ramp grows darker all the way, so that it reads without colour", () => {
  const light = Array.from({ length: 21 }, (_, k) => {
    const [r, g, b] = ramp(k / 20);
    return 0.2126 * r + 0.7152 * g + 0.0722 * b;
  });
  for (let k = 1; k < light.length; k += 1) expect(light[k]).toBeLessThan(light[k - 1] as number);
  expect(ramp(NaN)).toEqual(ramp(0));
});
