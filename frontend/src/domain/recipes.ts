/** How garments are made: their recipes in words, new ones, and edits of them. */
import type { BlockRecord, FlounceRecipe, GarmentRecord, HoldRecord, Reading, Recipe, RingsRecipe, SewnRecipe, ShotDocument, SpacingRecord, TierRecord } from "../api/client";
import { type Edit, freeName, withGarment } from "./edits";
import { count } from "./words";

export const PLAIN_SPACING: SpacingRecord = { draft_mm: 15, fine_mm: 9, use: "draft", finer: null };
const PLAIN = { depth_mm: 150, gather: 1.5, flare: 1 };
export const PLAIN_TIER: TierRecord = { ...PLAIN, fabric: null };
/** Where a waist and a knee-length hem lie, as shares of a figure's height; common practice, no source. */
const WAIST = 0.63;
const HEM = 0.36;

/** What a garment is made from, in a few words. */
export function recipeSaid(recipe: Recipe): string {
  switch (recipe.kind) {
    case "file":
      return `from ${recipe.file}`;
    case "rings":
      return recipe.tiers.length === 0 ? "rings" : `rings, ${count(recipe.tiers.length, "tier")}`;
    case "flounce":
      return `a tier on the ${recipe.on}`;
    case "sewn":
      return recipe.pieces.length > 0 ? `sewn, ${count(recipe.pieces.length, "piece")}` : `sewn, ${recipe.block?.kind ?? "pieces"}`;
  }
}

/** The spacing that is in use, mm; null where a file's own mesh is. */
export function spacingOf(recipe: Recipe): number | null {
  const at = recipe.spacing;
  return at == null ? null : at.use === "draft" ? at.draft_mm : at.fine_mm;
}

/** Whom a skirt can be made round: characters first. */
export function wearersOf(document: ShotDocument): string[] {
  const cast = document.cast ?? [];
  return [...cast.filter((one) => one.kind === "character"), ...cast.filter((one) => one.kind === "prop")].map((one) => one.name);
}

/** A new skirt round a figure of a height in m, held at its band. */
export function addRings(document: ShotDocument, around: string, height: number): Edit {
  const name = freeName("skirt", takenNames(document));
  const mm = (share: number) => Math.round((share * height * 1000) / 5) * 5;
  const recipe: RingsRecipe = {
    kind: "rings",
    around,
    joint: null,
    waist_mm: mm(WAIST),
    hem_mm: mm(HEM),
    band_mm: 35,
    ease_mm: 40,
    fullness: 1,
    flare: 2,
    opening: "closed",
    slit_mm: 300,
    tiers: [],
    fold_mm: 120,
    spacing: PLAIN_SPACING,
  };
  const hold: HoldRecord = { name: "waistband", choose: choosing({ group: "waistband" }), how: { kind: "follows", to: around }, grip: 1, on: 1, ease_in: 6 };
  return held(withGarment(document, name, recipe, `Cut a ${name} round ${around}`), name, hold);
}

export const BLOCKS: readonly BlockRecord["kind"][] = ["smock", "trousers", "skirt", "cape"];

/** A new garment of pieces, drafted from a block to a figure's measures. */
export function addSewn(document: ShotDocument, around: string, kind: BlockRecord["kind"]): Edit {
  const name = freeName(kind, takenNames(document));
  const recipe: SewnRecipe = {
    kind: "sewn",
    around,
    block: { kind, ease_mm: null, length_mm: null, flare: null, sleeve_mm: null, gather: 1 },
    pieces: [],
    seams: [],
    measures_mm: {},
    spacing: { draft_mm: 16, fine_mm: 10, use: "draft", finer: null },
    file: null,
    file_of: "",
  };
  return withGarment(document, name, recipe, `Drafted a ${kind} for ${around}`);
}

/** A new tier that is sewn on another garment, at a height in mm as that garment's own heights count. */
export function addFlounce(document: ShotDocument, on: string, at_mm: number): Edit {
  const name = freeName(`${on} tier`, takenNames(document));
  const recipe: FlounceRecipe = { kind: "flounce", on, at_mm, ...PLAIN, depth_mm: 90, fold_mm: 120, spacing: PLAIN_SPACING };
  const hold: HoldRecord = {
    name: "sewn on",
    choose: choosing({ border: "highest" }),
    how: { kind: "stitched", to: on, choose: null, gap_mm: 1, reach_mm: 60 },
    grip: 1,
    on: 1,
    ease_in: 6,
  };
  return held(withGarment(document, name, recipe, `Sewed a tier on the ${on}`), name, hold);
}

const takenNames = (document: ShotDocument) => [...(document.cast ?? []), ...document.garments].map((one) => one.name);

function choosing(change: Partial<HoldRecord["choose"]>): HoldRecord["choose"] {
  return { group: null, border: null, vertices: null, named: null, row: 0, rings: 0, fade: 0, grips: null, whole: false, ...change };
}

function held({ document, said }: Edit, name: string, hold: HoldRecord): Edit {
  const garments = document.garments.map((one): GarmentRecord => (one.name === name ? { ...one, holds: [hold] } : one));
  return { document: { ...document, garments }, said };
}

/** The height, in mm as its own heights count, in the middle of a garment: where a new tier may go. */
export function middleOf(recipe: Recipe, reading: Reading | undefined, name: string): number {
  if (recipe.kind === "rings") return Math.round((recipe.waist_mm + recipe.hem_mm) / 2);
  const tapes = reading?.garments[name]?.making?.tapes ?? [];
  const mean = tapes.reduce((sum, tape) => sum + tape.height, 0) / Math.max(1, tapes.length);
  return Math.round(mean * 1000);
}

/** The skirt between other heights, as steep as it was: the flare grows with the depth. */
export function betweenHeights(recipe: RingsRecipe, waist_mm: number, hem_mm: number): RingsRecipe {
  const before = recipe.waist_mm - recipe.band_mm - recipe.hem_mm;
  const now = waist_mm - recipe.band_mm - hem_mm;
  const flare = before > 0 && now > 0 ? Math.min(10, Math.max(0.1, rounded(1 + ((recipe.flare - 1) * now) / before, 1000))) : recipe.flare;
  return { ...recipe, waist_mm, hem_mm, flare };
}

/** How a drag of one of its tapes changes a recipe: `up` and `out` in mm; null where that tape does nothing. */
export function dragged(recipe: Recipe, tape: string, up: number, out: number, cloth_mm: number | null): { recipe: Recipe; said: string } | null {
  const wider = (flare: number) => (cloth_mm === null ? flare : rounded(Math.max(0.1, flare * (1 + (2 * Math.PI * out) / cloth_mm)), 100));
  if (recipe.kind === "flounce") {
    if (tape === "seam") return { recipe: { ...recipe, at_mm: recipe.at_mm + up }, said: `sewn on at ${recipe.at_mm + up} mm` };
    if (out !== 0) return { recipe: { ...recipe, flare: wider(recipe.flare) }, said: `flare ${wider(recipe.flare)}` };
    return { recipe: { ...recipe, depth_mm: recipe.depth_mm - up }, said: `${recipe.depth_mm - up} mm deep` };
  }
  if (recipe.kind !== "rings") return null;
  if (tape === "waist") return { recipe: betweenHeights(recipe, recipe.waist_mm + up, recipe.hem_mm), said: `waist at ${recipe.waist_mm + up} mm` };
  if (tape === "hem") {
    if (out !== 0) return { recipe: { ...recipe, flare: wider(recipe.flare) }, said: `flare ${wider(recipe.flare)}` };
    return { recipe: betweenHeights(recipe, recipe.waist_mm, recipe.hem_mm + up), said: `hem at ${recipe.hem_mm + up} mm` };
  }
  const at = Number(/^tier (\d+) hem$/.exec(tape)?.[1] ?? 0) - 1;
  const tier = recipe.tiers[at];
  if (tier === undefined) return null;
  const next = out !== 0 ? { ...tier, flare: wider(tier.flare) } : { ...tier, depth_mm: tier.depth_mm - up };
  const said = out !== 0 ? `tier ${at + 1} flare ${next.flare}` : `tier ${at + 1} ${next.depth_mm} mm deep`;
  return { recipe: { ...recipe, tiers: recipe.tiers.map((one, k) => (k === at ? next : one)) }, said };
}

const rounded = (value: number, parts: number) => Math.round(value * parts) / parts;
