import { describe, expect, test } from "vitest";
import type { ShotDocument } from "../api/client";
import { addGarment, plainWeave } from "./edits";
import { bendingLength, changeSwatch, curveFault, curveFrom, dropUnworn, FIGURES, ownSwatch, pullLine, PULLS, RARE_FIGURES, shown, tidy, usersOf, wear, withPoint } from "./swatches";

const bare = { format: "patient-needle-shot", version: 2, name: "Test", frame_rate: 24, frames: [1, 9], fabrics: [], garments: [] } as unknown as ShotDocument;
const dressed = addGarment(addGarment(bare, { name: "skirt", file: "a.obj" }).document, { name: "smock", file: "b.obj" }).document;
const [warp, , shear] = PULLS;

describe("swatches", () => {
  test("figures are shown in the artist's unit and go back to the same SI value", () => {
    for (const figure of [...FIGURES, ...RARE_FIGURES]) {
      expect(tidy(shown(plainWeave, figure) / figure.scale)).toBe(plainWeave[figure.key]);
    }
  });
  test("a swatch of the book joins the shot under a free name, and the other garment keeps its own", () => {
    const worn = wear(dressed, "smock", { ...plainWeave, areal_density: 0.3 }).document;
    expect(worn.garments.map((garment) => garment.fabric)).toEqual(["plain weave", "plain weave 2"]);
    expect(worn.fabrics[1]?.areal_density).toBe(0.3);
  });
  test("a shared swatch changes for both; a swatch of its own for one", () => {
    expect(usersOf(dressed, "plain weave")).toEqual(["skirt", "smock"]);
    const apart = ownSwatch(dressed, "smock").document;
    const heavy = changeSwatch(apart, "plain weave 2", { areal_density: 1 }, "weight 1000 g/m²").document;
    expect(heavy.fabrics.map((fabric) => fabric.areal_density)).toEqual([plainWeave.areal_density, 1]);
    expect(dropUnworn(apart).document.fabrics).toHaveLength(2);
    expect(dropUnworn({ ...apart, garments: [] }).document.fabrics).toHaveLength(0);
  });
  test("bending length of a cloth of 10 µN m and 200 g/m² is 17.2 mm", () => {
    expect(bendingLength(1e-5, 0.2)).toBeCloseTo(0.01721, 5);
  });
});

describe("load curves", () => {
  test("a new curve draws the straight line it replaces, and grows along it", () => {
    const curve = withPoint(curveFrom(1500));
    expect(curve.forces.map((force, at) => tidy(force / (curve.strains[at] ?? 1)))).toEqual([1500, 1500, 1500, 1500]);
    expect(curveFault(curve)).toBeNull();
  });
  test("a curve that does not rise is refused in words", () => {
    expect(curveFault({ strains: [0.1, 0.1], forces: [1, 2] })).toMatch(/strain/);
    expect(curveFault({ strains: [0.1, 0.2], forces: [2, 1] })).toMatch(/force/);
    expect(curveFault({ strains: [0], forces: [0] })).toMatch(/strain/);
  });
  test("the drawn line is pressed by compression, follows the points and stiffens at the limit", () => {
    const fabric = { ...plainWeave, compress_warp: 100, load_warp: { strains: [0.02, 0.04], forces: [10, 40] }, strain_limit: 0.06 };
    const line = pullLine(fabric, warp, 0.1);
    expect(line.map(([strain]) => strain)).toEqual([-0.1, 0, 0.02, 0.04, 0.06, 0.1]);
    const expected = [-10, 0, 10, 40, 70, 70 + 30 * 1500 * 0.04];
    line.forEach(([, force], at) => {
      expect(force).toBeCloseTo(expected[at] ?? NaN, 9);
    });
  });
  test("a limit between two points cuts the piece it lies on; shear has neither limit nor pressing", () => {
    const fabric = { ...plainWeave, load_warp: { strains: [0.02, 0.04], forces: [10, 40] }, strain_limit: 0.03 };
    const line = pullLine(fabric, warp, 0.05);
    expect(line[3]?.[1]).toBeCloseTo(25, 9);
    expect(line[4]?.[1]).toBeCloseTo(25 + 30 * 1500 * 0.02, 6);
    expect(pullLine(fabric, shear, 0.05)).toEqual([[0, 0], [0.05, 0.05 * plainWeave.shear]]);
  });
});
