import { describe, expect, test } from "vitest";
import type { SelfCut, ShotDocument, Uploaded } from "../api/client";
import { floorText, placed, placesOf, rolesOf, statedOf, takeOffers, unitOf } from "./cast";
import { keysOf, onBetween, spanOf, withKey, withoutKey } from "./keys";

const empty: ShotDocument = {
  format: "patient-needle-shot", version: 2, name: "Test", frame_rate: 24, frames: [1001, 1100],
  run_in: { settle: 10, move: 30 }, patience: "first-look", forces: { gravity: [0, -9.81, 0], air_drag: 0.3, air_density: 0, winds: [] },
  cast: [], time_stretch: 1, least_substeps: 1, together: true, fabrics: [], garments: [],
};

function file(change: Partial<Uploaded>): Uploaded {
  const mesh = { name: "body", vertices: 10, faces: 5, size: [1, 2, 1], moves: "by joints" as const, first: 1, last: 50, shapes: [] };
  return { name: "walk.usd", sha: "0", bytes: 9, meshes: [mesh], stated: { metres: 0.01, up: "z", rate: 30 }, animations: [], cache: null, values: [], picture: null, beside: {}, notes: [], ...change };
}

describe("files that are brought in", () => {
  test("are read in the unit and axis they state, and say so", () => {
    const { document } = placed(empty, file({}), { role: "character", name: "walker", mesh: "body", target: "" });
    expect(document.cast?.[0]).toMatchObject({ unit: "cm", up: "z", starts_at: 1001, mesh: null });
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

  test("of several offers all are taken at once, of the member and of the shot", () => {
    const cast = placed(empty, file({}), { role: "character", name: "walker", mesh: "body", target: "" }).document;
    const offers = [
      { because: "", said: "Read it with Y up", member: { up: "y" as const }, shot: {} },
      { because: "", said: "Give the shot 30 frames a second", member: {}, shot: { frame_rate: 30 } },
    ];
    const { document, said } = takeOffers(cast, "walker", offers);
    expect(document.frame_rate).toBe(30);
    expect(document.cast?.[0]?.up).toBe("y");
    expect(said).toBe("walker: read it with Y up; give the shot 30 frames a second");
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
