import { describe, expect, test } from "vitest";
import type { ShotDocument } from "../api/client";
import { addFlounce, addRings, betweenHeights, dragged, recipeSaid, spacingOf, wearersOf } from "./recipes";

const document = {
  format: "patient-needle-shot", version: 2, name: "Test", frame_rate: 24, frames: [1001, 1100], fabrics: [], garments: [],
  cast: [{ name: "crate", kind: "prop" }, { name: "walker", kind: "character" }, { name: "floor", kind: "set piece" }],
} as unknown as ShotDocument;

const skirted = addRings(document, "walker", 1.7).document;
const recipe = skirted.garments[0]?.recipe;

describe("recipes", () => {
  test("a new skirt lies at the waist of the figure and is held at its band", () => {
    expect(wearersOf(document)).toEqual(["walker", "crate"]);
    expect(recipe).toMatchObject({ kind: "rings", around: "walker", waist_mm: 1070, hem_mm: 610 });
    expect(skirted.garments[0]?.holds[0]).toMatchObject({ choose: { group: "waistband" }, how: { kind: "follows", to: "walker" } });
    const twice = addRings(skirted, "walker", 1.7).document;
    expect(twice.garments.map((one) => one.name)).toEqual(["skirt", "skirt 2"]);
  });

  test("a tier is sewn on by a hold", () => {
    const [, tier] = addFlounce(skirted, "skirt", 800).document.garments;
    expect(tier?.recipe).toMatchObject({ kind: "flounce", on: "skirt", at_mm: 800, gather: 1.5 });
    expect(tier?.holds[0]?.how).toMatchObject({ kind: "stitched", to: "skirt" });
    if (recipe !== undefined && tier !== undefined) expect([recipeSaid(recipe), recipeSaid(tier.recipe), spacingOf(recipe)]).toEqual(["rings", "a tier on the skirt", 15]);
  });

  test("a hem that is let down keeps the skirt as steep as it was", () => {
    if (recipe?.kind !== "rings") throw new Error("no rings");
    const depth = recipe.waist_mm - recipe.band_mm - recipe.hem_mm;
    const longer = betweenHeights(recipe, recipe.waist_mm, recipe.hem_mm - depth);
    expect(longer.flare - 1).toBeCloseTo(2 * (recipe.flare - 1), 3);
    expect(betweenHeights(recipe, 500, 900).flare).toBe(recipe.flare);
  });

  test("tapes are drawn up and down, hems outwards too, and what is only measured stays", () => {
    if (recipe?.kind !== "rings") throw new Error("no rings");
    expect(dragged(recipe, "waist", 20, 0, 700)?.recipe).toMatchObject({ waist_mm: recipe.waist_mm + 20 });
    expect(dragged(recipe, "hem", -40, 0, 1400)).toMatchObject({ recipe: { hem_mm: recipe.hem_mm - 40 }, said: `hem at ${recipe.hem_mm - 40} mm` });
    const wider = dragged(recipe, "hem", 0, 50, 1000 * Math.PI)?.recipe;
    expect(wider).toMatchObject({ flare: recipe.flare * 1.1 });
    expect(dragged(recipe, "hip", 20, 0, 900)).toBeNull();
    const tiered = { ...recipe, tiers: [{ depth_mm: 150, gather: 1.5, flare: 1, fabric: null }] };
    expect(dragged(tiered, "tier 1 hem", -30, 0, 2000)?.recipe).toMatchObject({ tiers: [{ depth_mm: 180 }] });
    expect(dragged(tiered, "tier 2 hem", -30, 0, 2000)).toBeNull();
  });
});
