import { describe, expect, it } from "vitest";
import type { HoldRecord, Pop, ShotDocument } from "../api/client";
import { addGarment, holdsOf } from "./edits";
import { addHold, borderOf, changeHold, changeHow, choiceSaid, endsOn, gives, holdSaid, keepChoice, KINDS, newHold, PLAIN_CHOICE, removeHold, widen } from "./holds";
import { valueAt } from "./keys";
import { lanesOf } from "./lanes";

const empty: ShotDocument = {
  format: "patient-needle-shot", fittings: [], version: 2, name: "s", frame_rate: 24, frames: [1001, 1010], run_in: { settle: 2, move: 3 },
  patience: "first-look", time_stretch: 1, least_substeps: 1, together: true, cast: [], fabrics: [], garments: [],
  forces: { gravity: [0, -9.81, 0], air_drag: 0.3, air_density: 0, winds: [] },
};
const dressed = addGarment(empty, { name: "skirt", file: "skirt.obj" }).document;
const waist = { ...PLAIN_CHOICE, border: "highest" as const };

function holding(hold: HoldRecord): ShotDocument {
  return addHold(dressed, "skirt", hold).document;
}

describe("holds", () => {
  it("are added, changed and let go of, and nothing else changes", () => {
    const held = addHold(dressed, "skirt", newHold("follows", "waist", waist, "body", []));
    expect(held.said).toContain("waist");
    const soft = changeHold(held.document, "skirt", "waist", { grip: 0.5 }, "softer").document;
    expect(holdsOf(soft, "skirt")[0]?.grip).toBe(0.5);
    expect(removeHold(soft, "skirt", "waist").document).toEqual(dressed);
  });

  it("keep every change of how they hold, made in quick turn", () => {
    const held = holding(newHold("handle", "corner", waist, "", [0, 1, 0]));
    const aside = changeHow(held, "skirt", "corner", "handle", (how) => ({ place: [0.2, how.place[1], how.place[2]] }), "right").document;
    const ahead = changeHow(aside, "skirt", "corner", "handle", (how) => ({ place: [how.place[0], how.place[1], 0.3] }), "ahead").document;
    const both = changeHow(ahead, "skirt", "corner", "handle", () => ({ scale: 2 }), "larger").document;
    expect(holdsOf(both, "skirt")[0]?.how).toMatchObject({ place: [0.2, 1, 0.3], scale: 2 });
    expect(changeHow(both, "skirt", "corner", "tether", () => ({ length_mm: 9 }), "free").document).toBe(both);
  });

  it("are of one kind each, and say so", () => {
    for (const { kind } of KINDS) {
      const hold = newHold(kind, "h", waist, "body", [0.1, 1, 0]);
      expect(hold.how.kind).toBe(kind);
      expect(holdSaid(hold)).not.toBe("");
    }
    expect(holdSaid(newHold("follows", "h", waist, "body", []))).toContain("welded");
    expect(holdSaid({ ...newHold("follows", "h", waist, "body", []), on: 0 })).toBe("switched off");
    expect(newHold("handle", "h", waist, "", [0.12345, 1, 0]).how).toMatchObject({ place: [0.123, 1, 0] });
  });

  it("give by their grip", () => {
    expect(gives(0.5)).toBe("10\u00a0mm");
    expect(gives(0.9)).toBe("1.1\u00a0mm");
    expect(gives(0.99)).toBe("0.10\u00a0mm");
    expect(gives(0)).toContain("no hold");
  });

  it("have the two keys of a pop moved apart", () => {
    const hold = { ...newHold("sticks", "cuff", waist, "body", []), grip: { frames: [1001, 1005, 1006], values: [0.2, 0.2, 1] } };
    const pop: Pop = { hold: "cuff", keyed: "grip", said: "", first: 1005, last: 1006, needs: 9, wider: [1002, 1011] };
    expect(holdsOf(widen(holding(hold), "skirt", pop).document, "skirt")[0]?.grip).toEqual({ frames: [1001, 1002, 1011], values: [0.2, 0.2, 1] });
  });
});

describe("choices", () => {
  it("are known by where they start", () => {
    const borders = [{ index: 3, vertices: 4, length: 1, height: 1, choose: { ...PLAIN_CHOICE, border: "highest" as const } }];
    expect(borderOf({ ...waist, rings: 2 }, borders)?.index).toBe(3);
    expect(borderOf({ ...PLAIN_CHOICE, vertices: [1] }, borders)).toBeUndefined();
    expect(choiceSaid({ ...waist, rings: 2, fade: 1 })).toBe("the highest border, 2 rows more, fading over 1 row");
  });

  it("are kept under a name, one to each", () => {
    const once = keepChoice(dressed, "skirt", "band", waist).document;
    const twice = keepChoice(once, "skirt", "band", { ...waist, rings: 1 }).document;
    expect(twice.garments[0]?.choices).toEqual([{ name: "band", choose: { ...waist, rings: 1 } }]);
  });
});

describe("ends of a stitch", () => {
  it("are anywhere, the borders, what the garment keeps, and what is written", () => {
    const keeping = keepChoice(dressed, "skirt", "band", waist).document;
    const named = { ...PLAIN_CHOICE, named: "band" };
    expect(endsOn(keeping, "skirt", named).map((end) => end.name)).toEqual(["anywhere near", "the highest border", "the lowest border", "the longest border", "band"]);
    const written = { ...PLAIN_CHOICE, vertices: [1, 2] };
    expect(endsOn(keeping, "skirt", written).at(-1)).toEqual({ name: "2 vertices", choose: written });
  });
});

describe("keys", () => {
  it("are met by the same curve as the engine has", () => {
    // SciPy 1.17.1, PchipInterpolator.
    const value = { frames: [0, 4, 10, 20], values: [0, 1, 0.3, 0.5] };
    const truth = [0.379375, 0.818518519, 0.351851852, 0.325];
    [1, 6, 9, 15].forEach((frame, at) => {
      expect(valueAt(value, frame)).toBeCloseTo(truth[at] ?? NaN, 8);
    });
    expect(valueAt({ frames: [0, 3], values: [2, 8] }, 1)).toBeCloseTo(4);
    expect([valueAt(value, -5), valueAt(value, 25), valueAt(7, 1)]).toEqual([0, 0.5, 7]);
  });

  it("have a lane each, which puts them back where they came from", () => {
    const keyed = { frames: [1001, 1005], values: [0, 1] };
    const hold = { ...newHold("handle", "hand", waist, "", [0, 0, 0]), on: keyed };
    if (hold.how.kind === "handle") hold.how = { ...hold.how, turn: [0, keyed, 0] };
    const document = holding(hold);
    const lanes = lanesOf(document);
    expect(lanes.map((lane) => lane.name)).toEqual(["hand holds", "hand, turn y"]);
    const next = { frames: [1002, 1005], values: [0, 1] };
    const put = lanes[1]?.put(document, next, "moved");
    expect(holdsOf(put?.document ?? empty, "skirt")[0]?.how).toMatchObject({ turn: [0, next, 0] });
  });
});
