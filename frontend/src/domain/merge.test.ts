import { describe, expect, it, test } from "vitest";
import { apart, merged } from "./merge";

const base = {
  winds: [{ name: "gust", strength: { frames: [1, 9], values: [0, 4] } }, { name: "breeze", strength: 1 }],
  frames: [1, 10],
};

describe("an edit made on a document that has changed meanwhile", () => {
  it("keeps both changes of one thing", () => {
    const mine = { ...base, winds: [{ name: "gust", strength: { frames: [1, 12], values: [0, 4] } }, base.winds[1]] };
    const newest = { ...base, winds: [{ name: "gust", strength: { frames: [1, 9], values: [0, 6.5] } }, base.winds[1]] };
    expect(merged<unknown>(base, mine, newest)).toEqual({
      ...base,
      winds: [{ name: "gust", strength: { frames: [1, 12], values: [0, 6.5] } }, base.winds[1]],
    });
  });

  it("keeps what each added, and leaves out what either took out", () => {
    const added = { name: "squall", strength: 9 };
    const mine = { ...base, winds: [...base.winds, added] };
    const newest = { ...base, winds: [base.winds[1]] };
    expect(merged<unknown>(base, mine, newest)).toEqual({ ...base, winds: [base.winds[1], added] });
    expect(merged<unknown>(base, newest, mine)).toEqual({ ...base, winds: [base.winds[1], added] });
  });

  it("is the page's own where both changed the same", () => {
    expect(merged(base, { ...base, frames: [2, 10] }, { ...base, frames: [3, 11] }).frames).toEqual([2, 11]);
    expect(merged({ keys: [1, 2] }, { keys: [1, 2, 3] }, { keys: [5, 2] })).toEqual({ keys: [1, 2, 3] });
    expect(merged<unknown>({ air: null }, { air: { drag: 1 } }, { air: { drag: 2 } })).toEqual({ air: { drag: 1 } });
  });

  it("keeps an order that was changed on one side", () => {
    const turned = { ...base, winds: [base.winds[1], base.winds[0]] };
    const longer = { ...base, frames: [1, 20] };
    expect(merged<unknown>(base, turned, longer)).toEqual({ ...turned, frames: [1, 20] });
    expect(merged<unknown>(base, longer, turned)).toEqual({ ...turned, frames: [1, 20] });
  });
});

test("what two changed at the same place is told with both values, and nothing else", () => {
  const base = { frames: [1, 9], run_in: { settle: 2, move: 30 }, cast: [{ name: "a", collider: { clearance_mm: 2, friction: 0.3 } }, { name: "b", collider: null }] };
  const mine = { ...base, frames: [1, 12], run_in: { settle: 5, move: 30 }, cast: [{ name: "a", collider: { clearance_mm: 4, friction: 0.3 } }, { name: "b", collider: null }] };
  const theirs = { ...base, frames: [0, 9], run_in: { settle: 3, move: 20 }, cast: [{ name: "b", collider: null }, { name: "a", collider: { clearance_mm: 1, friction: 0.5 } }] };
  expect(apart(base, mine, theirs)).toEqual([
    { where: "run in, settle", mine: 5, theirs: 3 },
    { where: "cast, a, collider, clearance in mm", mine: 4, theirs: 1 },
  ]);
  expect(apart(base, mine, mine)).toEqual([]);
  expect(apart(base, base, theirs)).toEqual([]);
});

test("what one took out and the other changed is told", () => {
  const base = { cast: [{ name: "a", kind: "prop" }] };
  expect(apart(base, { cast: [] }, { cast: [{ name: "a", kind: "set piece" }] })).toEqual([
    { where: "cast, a", mine: undefined, theirs: { name: "a", kind: "set piece" } },
  ]);
});
