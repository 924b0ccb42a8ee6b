import { describe, expect, test } from "vitest";
import type { Proof, Snag } from "../api/client";
import { bars, bestFor, crossings, proofLines, REMEDIES, snagFigures, snagTitle } from "./mending";

function snag(part: Partial<Snag> = {}): Snag {
  return {
    key: "k", kind: "in the body", garment: "smock", with_what: "lamplighter", where: "left elbow", first: 1059, last: 1096, worst: 1070,
    depth: 0.0061, area: 0.0014, place: [0, 1, 0], pairs: 214, strain: 0, vertices: 40, also: [], why: "", accepted: null, ...part,
  };
}

const proof: Proof = {
  frames: [1, 2, 3], before: [10, 4, 0], after: [0, 0, 0], faults: { "in the body": [9, 0], jump: [2, 2] }, furthest: 0.0123, join: 0.02, usual: 0.4, accepted: true, why: "",
};

describe("a snag in words", () => {
  test("says where, what and with whom", () => {
    expect(snagTitle(snag())).toBe("Left elbow, smock in the lamplighter");
    expect(snagTitle(snag({ where: "", kind: "through another garment", with_what: "coat" }))).toBe("Smock through the coat");
    expect(snagFigures(snag())).toBe("1059–1096 · 6.1 mm · 14 cm²");
    expect(snagFigures(snag({ kind: "overstretch", strain: 0.467, first: 5, last: 5 }))).toBe("5 · 47 % · 14 cm²");
  });

  test("every kind has a remedy that is offered first", () => {
    const kinds = ["in the body", "shows through", "pinched", "through itself", "through another garment", "jump", "overstretch", "crumple", "off its hold", "jitter at rest"];
    for (const kind of kinds) expect(REMEDIES.map((one) => one.verb)).toContain(bestFor(kind));
    expect(bestFor("jump")).toBe("smooth in time");
  });
});

describe("bars on the tape", () => {
  test("snags at the same time lie in rows of their own, as long as there are rows", () => {
    const one = snag({ key: "a", first: 1, last: 10 });
    const two = snag({ key: "b", first: 5, last: 8 });
    const later = snag({ key: "c", first: 20, last: 21 });
    const crowd = snag({ key: "d", first: 6, last: 7 });
    expect(bars([one, two, later, crowd], 2).map(({ row }) => row)).toEqual([0, 1, 0, 1]);
  });
});

describe("a proof", () => {
  test("counts before and after, and leaves out what stayed", () => {
    expect(crossings(proof)).toEqual({ before: 14, after: 0 });
    const lines = proofLines(proof).join("\n");
    expect(lines).toContain("14 before, 0 after");
    expect(lines).toContain("in the body: 9 vertices before, 0 after");
    expect(lines).not.toContain("jump");
    expect(lines).toContain("12.3 mm");
  });
});
