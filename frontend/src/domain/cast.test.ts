import { describe, expect, test } from "vitest";
import type { FileRecipe, HoldRecord, SelfCut, ShotDocument, Uploaded } from "../api/client";
import { byReason, floorText, placed, placesOf, placeTogether, rolesOf, statedOf, takeOffer, unitOf } from "./cast";
import { copyGarment } from "./edits";
import { keysOf, onBetween, respanned, spanOf, withKey, withoutKey } from "./keys";

const empty: ShotDocument = {
  format: "patient-needle-shot", fittings: [], version: 2, name: "Test", frame_rate: 24, frames: [1001, 1100],
  run_in: { settle: 10, move: 30 }, patience: "first-look", forces: { gravity: [0, -9.81, 0], air_drag: 0.3, air_density: 0, winds: [] },
  cast: [], time_stretch: 1, least_substeps: 1, together: true, fabrics: [], garments: [],
};

const fileOf = (document: ShotDocument) => document.garments[0]?.recipe as FileRecipe;

function file(change: Partial<Uploaded>): Uploaded {
  const mesh = { name: "body", vertices: 10, faces: 5, size: [1, 2, 1], moves: "by joints" as const, first: 1, last: 50, shapes: [] };
  return { name: "walk.usd", sha: "0", bytes: 9, meshes: [mesh], stated: { metres: 0.01, up: "z", rate: 30 }, animations: [], cache: null, values: [], picture: null, beside: {}, notes: [], ...change };
}

describe("files that are brought in", () => {
  test("are read in the unit and axis they state, and say so", () => {
    const { document } = placed(empty, file({}), { role: "character", name: "walker", mesh: "body", target: "" });
    expect(document.cast?.[0]).toMatchObject({ unit: "cm", up: "z", starts_at: 1, mesh: null });
    expect([document.frames, document.frame_rate]).toEqual([[1, 50], 30]);
    expect(statedOf(file({}))).toBe("0.01 m to a unit, Z up, 30 frames a second");
    expect(unitOf(0.3)).toBeNull();
  });

  test("keep their own frame numbers where the shot has them", () => {
    const own = file({ meshes: file({}).meshes.map((mesh) => ({ ...mesh, first: 1003 })) });
    expect(placed(empty, own, { role: "prop", name: "a", mesh: "body", target: "" }).document.cast?.[0]?.starts_at).toBe(1003);
  });

  test("of points alone move a member that is there", () => {
    const cache = file({ name: "walk.pc2", meshes: [], cache: { points: 10, frames: 50, first: 1001 }, stated: { metres: null, up: null, rate: null } });
    expect(rolesOf(cache)).toEqual(["cache"]);
    const cast = placed(empty, file({}), { role: "character", name: "walker", mesh: "body", target: "" }).document;
    const { document } = placed(cast, cache, { role: "cache", name: "", mesh: "", target: "walker" });
    expect(document.cast?.[0]?.cache).toBe("walk.pc2");
  });

  test("of the same mesh elsewhere are a second shape of a member", () => {
    const still = file({ name: "sat.obj", meshes: file({}).meshes.map((mesh) => ({ ...mesh, moves: "not at all" as const, first: null, last: null })) });
    expect(rolesOf(still)).toContain("shape");
    const cast = placed(empty, file({}), { role: "character", name: "walker", mesh: "body", target: "" }).document;
    const once = placed(cast, still, { role: "shape", name: "", mesh: "body", target: "walker" }).document;
    const twice = placed(once, still, { role: "shape", name: "", mesh: "body", target: "walker" }).document;
    expect(twice.cast?.[0]?.shapes.map((one) => [one.name, one.file, one.amount])).toEqual([["sat", "sat.obj", 1], ["sat 2", "sat.obj", 1]]);
  });

  const offer = { because: "", said: "", member: {}, shot: {}, garment: {}, cast: {} };
  const empties = placed(empty, file({}), { role: "character", name: "walker", mesh: "body", target: "" }).document;

  test("an offer changes the member and the shot, or a garment, its recipe and who wears it", () => {
    const { document, said } = takeOffer(empties, "walker", { ...offer, said: "Give the shot 25 frames a second", member: { up: "y" }, shot: { frame_rate: 25 } });
    expect([document.frame_rate, document.cast?.[0]?.up]).toEqual([25, "y"]);
    expect(said).toBe("walker: give the shot 25 frames a second");
    const worn = placed(document, file({ name: "skirt.obj" }), { role: "garment", name: "skirt", mesh: "body", target: "" }).document;
    const let_out = [{ vertices: [0, 1, 2], by_mm: 20, reach_mm: 150 }];
    const after = takeOffer(worn, "skirt", { ...offer, member: { let_out }, garment: { rest_angles: "as made" }, cast: { walker: { outwards: true } } }).document;
    expect(after.garments[0]).toMatchObject({ rest_angles: "as made", recipe: { file: "skirt.obj", let_out } });
    expect(after.cast?.[0]?.outwards).toBe(true);
  });

  test("offers of one reason are alternatives", () => {
    const offers = [{ ...offer, because: "narrow", said: "a" }, { ...offer, because: "tall", said: "b" }, { ...offer, because: "narrow", said: "c" }];
    expect(byReason(offers).map(([because, ways]) => [because, ways.map((one) => one.said)])).toEqual([["narrow", ["a", "c"]], ["tall", ["b"]]]);
  });

  test("the first file that moves somebody gives the shot its frames and rate, a later one does not", () => {
    const mdd = (first: number, rate: number | null) => file({ name: "walk.mdd", meshes: [], cache: { points: 9, frames: 90, first }, stated: { metres: null, up: null, rate } });
    const still = file({ meshes: file({}).meshes.map((mesh) => ({ ...mesh, moves: "not at all" as const, first: null, last: null })) });
    const body = placed(empty, still, { role: "character", name: "walker", mesh: "body", target: "" }).document;
    const moved = placed(body, mdd(-12, 30), { role: "cache", name: "", mesh: "", target: "walker" });
    expect([moved.document.frames, moved.document.frame_rate, moved.document.cast?.[0]?.starts_at]).toEqual([[-12, 77], 30, -12]);
    expect(moved.said).toContain("the shot takes its frames -12 to 77 at 30 a second");
    const prop = placed(moved.document, still, { role: "prop", name: "crate", mesh: "body", target: "" }).document;
    const second = placed(prop, mdd(5, 25), { role: "cache", name: "", mesh: "", target: "crate" }).document;
    expect([second.frames, second.frame_rate, second.cast?.[1]?.starts_at]).toEqual([[-12, 77], 30, 5]);
    const unnumbered = placed(body, mdd(0, null), { role: "cache", name: "", mesh: "", target: "walker" }).document;
    expect([unnumbered.frames, unnumbered.cast?.[0]?.starts_at]).toEqual([empty.frames, empty.frames[0]]);
  });

  test("garments go along with a member that is put elsewhere", () => {
    const worn = placed(empties, file({ name: "skirt.obj" }), { role: "garment", name: "skirt", mesh: "body", target: "" }).document;
    const there = { mirrored: false, scale: 1, turn: 90, move: [1, 0, 2] as [number, number, number] };
    const once = placeTogether(worn, "walker", there, "").document;
    expect(fileOf(once).placed).toEqual(there);
    const on = placeTogether(once, "walker", { ...there, turn: 180, move: [0, 0, 0] }, "").document;
    expect(fileOf(on).placed).toEqual({ ...there, turn: -180, move: [0, 0, 0] });
  });

  test("a copy has the holds and maps of the garment and stands beside it", () => {
    const worn = placed(empty, file({ name: "strip.obj" }), { role: "garment", name: "strip", mesh: "body", target: "" }).document;
    const hold = { name: "top", choose: {}, how: { kind: "follows", to: "strip" } } as unknown as HoldRecord;
    const held = { ...worn, garments: worn.garments.map((one) => ({ ...one, holds: [hold] })) };
    const twice = copyGarment(copyGarment(held, "strip", 0.3).document, "strip 2", 0.3).document;
    expect(twice.garments.map((one) => [one.name, (one.recipe as FileRecipe).placed.move[0], one.holds[0]?.how])).toEqual([
      ["strip", 0, { kind: "follows", to: "strip" }],
      ["strip 2", 0.3, { kind: "follows", to: "strip 2" }],
      ["strip 3", 0.6, { kind: "follows", to: "strip 3" }],
    ]);
  });
});

describe("keys", () => {
  test("are put in order, moved and taken out until a constant is left", () => {
    const keyed = withKey(withKey(withKey(2, 1010, 5), 1001, 2), 1010, 6);
    expect(keysOf(keyed)).toEqual([[1001, 2], [1010, 6]]);
    expect(withoutKey(withoutKey(keyed, 1001), 1010)).toBe(6);
  });

  test.each([[null, null], [1010, null], [null, 1020], [1010, 1020]])("a span from %s until %s is read back", (from, until) => {
    expect(spanOf(onBetween(from, until))).toEqual({ from, until });
  });

  test("that are no span are left alone", () => {
    expect(spanOf({ frames: [1, 5, 9], values: [1, 0.5, 1] })).toBeNull();
    expect(spanOf(0)).toBeNull();
  });

  test("keep the other end that was typed just before, and says both", () => {
    const from = respanned(1, { from: 1010 }, "keeps cloth off");
    const both = respanned(from.on, { until: 1080 }, "keeps cloth off");
    expect(spanOf(both.on)).toEqual({ from: 1010, until: 1080 });
    expect(both.said).toBe("keeps cloth off from 1010 until 1080");
    const always = respanned(respanned(both.on, { from: null }, "holds").on, { until: null }, "holds");
    expect(always).toEqual({ on: 1, said: "always holds" });
    const more = { frames: [1, 5, 9], values: [1, 0.5, 1] };
    expect(respanned(more, { from: 3 }, "holds").on).toEqual(more);
  });
});

test("the floor is closed: every edge stands in two faces, once each way", () => {
  const faces = floorText().split("\n").filter((line) => line.startsWith("f ")).map((line) => line.slice(2).split(" ").map(Number));
  const edges = new Set(faces.flatMap((face) => face.map((a, k) => `${a} ${face[(k + 1) % 4]}`)));
  expect(edges.size).toBe(4 * faces.length);
  expect([...edges].every((edge) => edges.has(edge.split(" ").reverse().join(" ")))).toBe(true);
});

test("cuts of one place in frames that follow each other are one", () => {
  const cut = (frame: number, depth: number, between = "arm and chest"): SelfCut => ({ frame, depth, between, pairs: 3, place: [0, 0, 0] });
  const places = placesOf([cut(5, 0.01), cut(6, 0.03), cut(6, 0.02, "shank and thigh"), cut(7, 0.02), cut(9, 0.01)]);
  expect(places.map((one) => [one.between, one.first, one.last, one.worst.frame])).toEqual([
    ["arm and chest", 5, 7, 6],
    ["shank and thigh", 6, 6, 6],
    ["arm and chest", 9, 9, 9],
  ]);
});
