import { describe, expect, test } from "vitest";
import { costOf, costSaid, type Pace } from "./cost";

const pace = (change: Partial<Pace>): Pace => ({ own: true, patience: "first-look", seconds: 0.4, vertices: 4000, ...change });

describe("the cost of a run", () => {
  test("goes by takes of the same shot and patience, in proportion to the vertices", () => {
    const paces = [pace({}), pace({ own: false, seconds: 9 }), pace({ patience: "final", seconds: 3 })];
    const cost = costOf(paces, 8000, 100, "first-look");
    expect(cost?.frame).toBeCloseTo(0.8);
    expect(cost?.whole).toBeCloseTo(80);
    expect(cost?.from).toBe("1 take of this shot");
    expect(costSaid({ frame: 0.8, whole: 80, from: "" })).toBe("0.8\u00a0s a frame, 80\u00a0s in all");
  });

  test("goes by other shots, then by the steps of another patience, and says so", () => {
    expect(costOf([pace({ own: false })], 4000, 1, "first-look")).toMatchObject({ frame: 0.4, from: "1 take of other shots" });
    expect(costOf([pace({})], 4000, 1, "final")).toMatchObject({ frame: 1.6, from: "1 take at another patience" });
    expect(costOf([], 4000, 10, "final")).toBeNull();
  });

  test("takes the middle of the latest three", () => {
    const paces = [1, 0.2, 0.4, 50].map((seconds) => pace({ seconds }));
    expect(costOf(paces, 4000, 1, "first-look")?.frame).toBeCloseTo(0.4);
  });
});
