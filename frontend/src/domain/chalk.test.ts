import { expect, test } from "vitest";
import type { MapRecord, MapRole } from "../api/client";
import { apartOf, lessOf, mapAtHand, means, spreadOf, stepSaid } from "./chalk";
import { signed } from "./words";

const roles: MapRole[] = [{ role: "hold", name: "Hold", does: "holds", span: [0, 1] }];

function map(name: string, change: Partial<MapRecord> = {}): MapRecord {
  return { name, role: "bend", span: null, in_use: true, steps: [], ...change };
}

test("the map at hand is the one wanted, else the first, and is compared only with another", () => {
  const maps = [map("a"), map("b")];
  expect(mapAtHand(maps, "b")?.name).toBe("b");
  expect(mapAtHand(maps, "gone")?.name).toBe("a");
  expect(lessOf(maps, maps[0], "b")?.name).toBe("b");
  expect(lessOf(maps, maps[0], "a")).toBeUndefined();
  expect(lessOf(maps, maps[0], "gone")).toBeUndefined();
});

test("where two maps differ, and by how much to either side", () => {
  expect(apartOf(new Float32Array([0, 0.5, -0.25, 0]))).toEqual({ apart: 2, least: -0.25, most: 0.5 });
  expect(apartOf(new Float32Array(3))).toEqual({ apart: 0, least: 0, most: 0 });
  expect([signed(0.5), signed(-0.25), signed(-0.001)]).toEqual(["+0.50", "−0.25", "0.00"]);
});

test("exactly 0 and 1 are counted, and each tenth", () => {
  expect(spreadOf(new Float32Array([0, 0.05, 0.55, 1]))).toEqual({ none: 1, full: 1, tenths: [2, 0, 0, 0, 0, 1, 0, 0, 0, 1] });
});

test("values stand for even ratios between ends above 0, else for even steps", () => {
  expect(means(map("a", { span: [1, 9] }), roles, 0.5)).toBeCloseTo(3);
  expect(means(map("a", { role: "hold" }), roles, 0.5)).toBeCloseTo(0.5);
});

test("steps from elsewhere in words", () => {
  expect(stepSaid({ kind: "from_garment", garment: "smock", map: "hem", reach_mm: 50 })).toBe("From hem of the smock within 50 mm");
  expect(stepSaid({ kind: "from_file", file: "hem.ply", named: "hem" })).toBe("From hem.ply, hem");
  expect(stepSaid({ kind: "from_weights", member: "lamplighter", joints: ["thighL", "shankL"] })).toBe("Weights of thighL, shankL of the lamplighter");
});
