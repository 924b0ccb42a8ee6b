import { describe, expect, it } from "vitest";
import type { PieceReading, SeamReading, SewnRecipe } from "../api/client";
import { addedPoint, bent, cutAlong, fitSaid, mirrorEdge, mirrorImage, placesOf, placesSaid, withLine, withoutLine, withPieces, laidOut, lengthened, movedPoint, nearest, notched, otherSide, plainSeam, placeAt, splitAt, under, withoutNotches, withoutPoint } from "./sewing";

function square(name: string, side: number): PieceReading {
  const corners: [number, number][] = [[-side / 2, 0], [side / 2, 0], [side / 2, side], [-side / 2, side]];
  const names = ["low", "right", "top", "left"];
  const runs = corners.map((corner, k) => ({ name: names[k] ?? "", points_mm: [corner], smooth: false }));
  const edges = corners.map((corner, k) => ({ name: names[k] ?? "", line_mm: [corner, corners[(k + 1) % 4] ?? corner], length_mm: side }));
  return { name, runs, edges, hung: [], hang: { part: "torso", layer: "front", folds_mm: [], at_mm: [0, 0], turn: 0, follows: [] }, grain: 0, lines: [], notches: [], area_cm2: side ** 2 / 100, triangles: [0, 2] };
}

function recipe(...pieces: PieceReading[]): SewnRecipe {
  return { kind: "sewn", around: "it", block: null, pieces, seams: [], measures_mm: {}, spacing: { draft_mm: 16, fine_mm: 10, use: "draft", finer: null }, file: null, file_of: "" };
}

const point = (made: SewnRecipe, piece: number, run: number, at = 0) => made.pieces[piece]?.runs[run]?.points_mm[at];

describe("the table", () => {
  it("lays pieces beside each other without one on another", () => {
    const { lying, width, height } = laidOut([square("a", 600), square("b", 600), square("c", 300)]);

    expect(lying).toHaveLength(3);
    const [a, b, c] = lying;
    expect(b !== undefined && a !== undefined && b.by[0] - a.by[0]).toBeGreaterThanOrEqual(600);
    expect(a !== undefined && c !== undefined && a.by[1] - c.by[1]).toBeGreaterThanOrEqual(300);
    expect(width).toBeGreaterThan(1200);
    expect(height).toBeGreaterThan(1000);
  });

  it("finds a point before an edge and an edge before a piece", () => {
    const table = laidOut([square("a", 400)]);
    const by = table.lying[0]?.by ?? [0, 0];
    const at = (x: number, y: number) => under(table, [x + by[0], y + by[1]])?.kind ?? null;
    expect(at(-200, 5)).toBe("point");
    expect(at(0, 5)).toBe("edge");
    expect(at(0, 200)).toBe("piece");
    expect(at(0, -60)).toBeNull();
  });
});

describe("lines", () => {
  it("gives places and shares of a bent line", () => {
    const line: [number, number][] = [[0, 0], [100, 0], [100, 300]];
    expect(placeAt(line, 0.5)).toEqual([100, 100]);
    expect(nearest(line, [110, 100])).toEqual({ away: 10, share: 0.5 });
  });
});

describe("edits", () => {
  it("go to the edge that mirrors one, in its own piece or the piece of the other side", () => {
    const alone = square("front", 400);
    expect(mirrorEdge(recipe(alone), "front", "right")).toEqual({ piece: "front", run: "left" });
    expect(mirrorEdge(recipe(alone), "front", "low")).toEqual({ piece: "front", run: "low" });
    const added = addedPoint(recipe(alone), "front", "right", alone.edges[1]?.line_mm ?? [], 0.25, true);
    expect(added.pieces[0]?.runs.map((run) => run.points_mm.length)).toEqual([1, 2, 1, 2]);
    expect(point(added, 0, 3, 1)).toEqual([-200, 100]);
    expect(bent(added, "front", "left", true, true).pieces[0]?.runs.map((run) => run.smooth)).toEqual([false, true, false, true]);
    expect(withoutPoint(added, "front", "left", 1, true).pieces).toEqual(recipe(alone).pieces);
    expect(splitAt(added, "front", "right", 1, true).pieces[0]?.runs.map((run) => run.name)).toEqual(["low", "right", "right 2", "top", "left", "left 2"]);
    const twice = addedPoint(recipe(alone), "front", "low", alone.edges[0]?.line_mm ?? [], 0.25, true);
    expect(twice.pieces[0]?.runs[0]?.points_mm).toEqual([[-200, 0], [-100, 0], [100, 0]]);
    const pair = recipe(square("sleeve left", 400), square("sleeve right", 400));
    expect(mirrorEdge(pair, "sleeve left", "right")).toEqual({ piece: "sleeve right", run: "left" });
    expect(mirrorEdge(movedPoint(pair, { piece: "sleeve left", run: "right", at: 0 }, [240, 0], false), "sleeve left", "right")).toBeNull();
  });

  it("draw a line within a piece and its image, and nothing outside", () => {
    const made = withLine(recipe(square("front", 400)), "front", [[50, 100], [120, 300]], true);
    expect(made?.pieces[0]?.lines).toEqual([{ name: "line", points_mm: [[50, 100], [120, 300]] }, { name: "line 2", points_mm: [[-50, 100], [-120, 300]] }]);
    expect(withLine(recipe(square("front", 400)), "front", [[50, 100], [320, 300]], true)).toBeNull();
    expect(withLine(recipe(square("front", 400)), "front", [[50, 100]], true)).toBeNull();
    expect(made === null ? null : withoutLine(made, "front", "line").pieces[0]?.lines).toHaveLength(1);
    const pair = withLine(recipe(square("sleeve left", 400), square("sleeve right", 400)), "sleeve left", [[-50, 100], [120, 300]], true);
    expect(pair?.pieces[1]?.lines[0]?.points_mm).toEqual([[50, 100], [-120, 300]]);
  });

  it("read a line's points as they are typed", () => {
    expect(placesOf("-10 20, 30.5 40")).toEqual([[-10, 20], [30.5, 40]]);
    expect(placesOf(placesSaid([[1, 2], [3, 4], [5, 6.25]]))).toEqual([[1, 2], [3, 4], [5, 6.3]]);
    expect(placesOf("10 20")).toBeNull();
    expect(placesOf("10 20, thirty 40")).toBeNull();
  });

  it("move what mirrors a point, in its own piece or the piece of the other side", () => {
    const alone = movedPoint(recipe(square("front", 400)), { piece: "front", run: "low", at: 0 }, [-220, -10], true);
    expect(point(alone, 0, 0)).toEqual([-220, -10]);
    expect(point(alone, 0, 1)).toEqual([220, -10]);
    const pair = movedPoint(recipe(square("sleeve left", 400), square("sleeve right", 400)), { piece: "sleeve left", run: "right", at: 0 }, [210, 0], true);
    expect(point(pair, 0, 1)).toEqual([210, 0]);
    expect(point(pair, 0, 0)).toEqual([-200, 0]);
    expect(point(pair, 1, 0)).toEqual([-210, 0]);
    expect(point(pair, 1, 1)).toEqual([200, 0]);
  });

  it("leave the other side alone when asked to", () => {
    const made = movedPoint(recipe(square("front", 400)), { piece: "front", run: "low", at: 0 }, [-220, 0], false);
    expect(point(made, 0, 1)).toEqual([200, 0]);
  });

  it("put a point on an edge where it was pressed, and take it out again", () => {
    const piece = square("a", 400);
    const made = addedPoint(recipe(piece), "a", "low", piece.edges[0]?.line_mm ?? [], 0.25, false);
    expect(made.pieces[0]?.runs[0]?.points_mm).toEqual([[-200, 0], [-100, 0]]);
    expect(withoutPoint(made, "a", "low", 1, false).pieces[0]?.runs[0]?.points_mm).toEqual([[-200, 0]]);
    expect(withoutPoint(made, "a", "low", 0, true)).toBe(made);
  });

  it("split an edge, and its seams take both in the order in which they run", () => {
    const piece = square("a", 400);
    const seamed = { ...addedPoint(recipe(piece, square("b", 400)), "a", "low", piece.edges[0]?.line_mm ?? [], 0.5, true), seams: [plainSeam([["b", "top"]], [["a", "low"]])] };
    const made = splitAt(seamed, "a", "low", 1, true);
    expect(made.pieces[0]?.runs.map((run) => run.name)).toEqual(["low", "low 2", "right", "top", "left"]);
    expect(made.seams[0]?.other).toEqual([["a", "low 2"], ["a", "low"]]);
  });

  it("give a straight edge another length by moving its end, and what mirrors it", () => {
    const made = lengthened(recipe(square("left panel", 400)), "left panel", "right", 450, true);
    expect(point(made, 0, 2)).toEqual([200, 450]);
    expect(point(made, 0, 3)).toEqual([-200, 450]);
  });

  it("know the other side's name", () => {
    expect(otherSide("sleeve left")).toBe("sleeve right");
    expect(otherSide("front right")).toBe("front left");
    expect(otherSide("collar")).toBeNull();
  });
});

describe("fits", () => {
  const seam = (one_mm: number, other_mm: number, gathers = false) => ({ one_mm, other_mm, gathers }) as SeamReading;
  it("are said as lengths, as ease or as a gather", () => {
    expect(fitSaid(seam(400, 400.2))).toBe("400 mm");
    expect(fitSaid(seam(468, 487))).toBe("487 mm on 468, eased 4.1 %");
    expect(fitSaid(seam(800, 400, true))).toBe("800 mm on 400, gathered 2.00 times");
  });
});

describe("pieces of a drawing", () => {
  it("take the place of those of their name and come beside others; seams of edges that are gone go", () => {
    const before = { ...recipe(square("a", 400), square("b", 400)), seams: [plainSeam([["a", "right"]], [["b", "left"]])] } as SewnRecipe;
    const changed = square("a", 300);
    const cut = { ...square("b", 400), runs: square("b", 400).runs.map((run) => (run.name === "left" ? { ...run, name: "edge 1" } : run)) };

    const kept = withPieces(before, [changed, square("c", 200)]);
    expect([kept.replaced, kept.added, kept.lost]).toEqual([1, 1, 0]);
    expect(kept.recipe.pieces.map((piece) => piece.name)).toEqual(["a", "b", "c"]);
    expect(point(kept.recipe, 0, 2)).toEqual([150, 300]);
    expect(kept.recipe.pieces[2]?.hang.at_mm).toEqual([0, 1000]);

    expect(withPieces(before, [cut]).lost).toBe(1);
  });
});

describe("mirroring and cutting", () => {
  it("mirrors a piece so that it still runs counter-clockwise, on the other side of the body", () => {
    const own = square("sleeve left", 400);
    own.hang = { ...own.hang, part: "left arm", at_mm: [50, 20], turn: 10 };
    const twin = mirrorImage(recipe(own), "sleeve left").pieces[1];

    expect(twin?.name).toBe("sleeve right");
    expect(twin?.hang).toMatchObject({ part: "right arm", at_mm: [-50, 20], turn: -10 });
    const ring = twin?.runs.flatMap((run) => run.points_mm) ?? [];
    const area = ring.reduce((sum, [x, y], k) => sum + x * (ring[(k + 1) % 4]?.[1] ?? 0) - y * (ring[(k + 1) % 4]?.[0] ?? 0), 0) / 2;
    expect(area).toBeCloseTo(400 * 400);
    const right = twin?.runs.find((run) => run.name === "right");
    expect(right?.points_mm[0]?.[0]).toBe(-200);
  });

  it("cuts a piece in two and sews the two together", () => {
    const own = square("a", 400);
    const lines = new Map(own.edges.map((edge) => [edge.name, edge.line_mm]));
    const before = { ...recipe(own, square("b", 400)), seams: [plainSeam([["a", "top"]], [["b", "low"]])] } as SewnRecipe;
    const made = cutAlong(before, "a", { kind: "edge", run: "low", share: 0.5 }, { kind: "edge", run: "top", share: 0.5 }, lines);

    expect(made?.pieces.map((piece) => piece.name)).toEqual(["a", "a 2", "b"]);
    const width = (k: number) => {
      const xs = made?.pieces[k]?.runs.flatMap((run) => run.points_mm.map(([x]) => x)) ?? [];
      return Math.max(...xs) - Math.min(...xs);
    };
    expect([width(0), width(1)]).toEqual([200, 200]);
    expect(made?.seams).toHaveLength(2);
    expect(made?.seams[0]?.one.map(([piece]) => piece).sort()).toEqual(["a", "a 2"]);
    expect(made?.seams[1]).toMatchObject({ one: [["a", "cut"]], other: [["a 2", "cut"]] });
  });

  it("cuts from a corner, and refuses a cut along an edge", () => {
    const own = square("a", 400);
    const lines = new Map(own.edges.map((edge) => [edge.name, edge.line_mm]));
    expect(cutAlong(recipe(own), "a", { kind: "point", run: "low", at: 0 }, { kind: "point", run: "top", at: 0 }, lines)?.pieces).toHaveLength(2);
    expect(cutAlong(recipe(own), "a", { kind: "point", run: "low", at: 0 }, { kind: "edge", run: "low", share: 0.5 }, lines)).toBeNull();
  });
});

describe("notches", () => {
  it("are put on an edge where it is pressed, and taken off it", () => {
    const made = notched(recipe(square("a", 400)), "a", "right", 0.25, 400);
    expect(made.pieces[0]?.notches).toEqual([{ run: "right", along_mm: 100 }]);
    expect(withoutNotches(made, "a", "left").pieces[0]?.notches).toHaveLength(1);
    expect(withoutNotches(made, "a", "right").pieces[0]?.notches).toEqual([]);
  });
});
