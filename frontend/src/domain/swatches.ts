/** Swatches: their figures in the units an artist reads, and edits of them. */
import type { FabricRecord, GarmentRecord, LoadCurveRecord, ShotDocument } from "../api/client";
import { changeGarment, type Edit, freeName } from "./edits";

/** A figure of a swatch: kept in SI, shown in `unit` = SI times `scale`. */
export interface SwatchFigure {
  key: FigureKey;
  label: string;
  unit: string;
  scale: number;
  low: number;
  high: number;
}

type FigureKey =
  | "stretch_warp" | "stretch_weft" | "shear" | "bend_warp" | "bend_weft" | "areal_density" | "thickness_mm" | "friction"
  | "stretch_damping" | "bend_damping" | "memory" | "air_across" | "air_along";

export const FIGURES: readonly SwatchFigure[] = [
  { key: "areal_density", label: "Weight", unit: "g/m²", scale: 1000, low: 1, high: 20_000 },
  { key: "thickness_mm", label: "Thickness", unit: "mm", scale: 1, low: 0, high: 100 },
  { key: "stretch_warp", label: "Stretch, warp", unit: "N/m", scale: 1, low: 1, high: 1e6 },
  { key: "stretch_weft", label: "Stretch, weft", unit: "N/m", scale: 1, low: 1, high: 1e6 },
  { key: "shear", label: "Shear", unit: "N/m", scale: 1, low: 0.1, high: 1e6 },
  { key: "friction", label: "Friction", unit: "coefficient", scale: 1, low: 0, high: 5 },
  { key: "bend_warp", label: "Bend, warp", unit: "µN·m", scale: 1e6, low: 0, high: 1e6 },
  { key: "bend_weft", label: "Bend, weft", unit: "µN·m", scale: 1e6, low: 0, high: 1e6 },
];

export const RARE_FIGURES: readonly SwatchFigure[] = [
  { key: "memory", label: "Shape memory", unit: "µN·m", scale: 1e6, low: 0, high: 1e6 },
  { key: "stretch_damping", label: "Stretch damping", unit: "ms", scale: 1000, low: 0, high: 1000 },
  { key: "bend_damping", label: "Bend damping", unit: "ms", scale: 1000, low: 0, high: 1000 },
  { key: "air_across", label: "Air square on", unit: "coefficient", scale: 1, low: 0, high: 10 },
  { key: "air_along", label: "Air along", unit: "coefficient", scale: 1, low: 0, high: 10 },
];

/** Directions of a swatch that may have a measured load curve. */
export const PULLS = [
  { direction: "warp", load: "load_warp", stiffness: "stretch_warp", compress: "compress_warp" },
  { direction: "weft", load: "load_weft", stiffness: "stretch_weft", compress: "compress_weft" },
  { direction: "shear", load: "load_shear", stiffness: "shear", compress: null },
] as const;
export type Pull = (typeof PULLS)[number];

/** A figure without the dust of binary fractions. */
export function tidy(value: number): number {
  return Number(value.toPrecision(7));
}

export function shown(fabric: FabricRecord, figure: SwatchFigure): number {
  return tidy(fabric[figure.key] * figure.scale);
}

export function usersOf(document: ShotDocument, fabric: string): string[] {
  const uses = ({ fabric: own, recipe }: GarmentRecord) => own === fabric || (recipe.kind === "rings" && recipe.tiers.some((tier) => tier.fabric === fabric));
  return document.garments.filter(uses).map((garment) => garment.name);
}

export function changeSwatch(document: ShotDocument, name: string, change: Partial<FabricRecord>, said: string): Edit {
  const fabrics = document.fabrics.map((one) => (one.name === name ? { ...one, ...change } : one));
  return { document: { ...document, fabrics }, said: `${name}: ${said}` };
}

/** Make a garment of a swatch of the book, which joins the shot's own under a name that is free. */
export function wear(document: ShotDocument, garment: string, fabric: FabricRecord): Edit {
  const name = freeName(fabric.name, document.fabrics.map((one) => one.name));
  const fabrics = [...document.fabrics, { ...fabric, name }];
  return changeGarment({ ...document, fabrics }, garment, { fabric: name }, `made of ${name}`);
}

/** A swatch of its own for one garment, equal to the one it shares. */
export function ownSwatch(document: ShotDocument, garment: string): Edit {
  const worn = document.garments.find((one) => one.name === garment)?.fabric;
  const fabric = document.fabrics.find((one) => one.name === worn);
  return fabric === undefined ? { document, said: "" } : wear(document, garment, fabric);
}

/** Drop swatches that nothing is made of. */
export function dropUnworn(document: ShotDocument): Edit {
  const fabrics = document.fabrics.filter((one) => usersOf(document, one.name).length > 0);
  return { document: { ...document, fabrics }, said: "Dropped swatches that nothing is made of" };
}

/** Length in m over which a strip bends under its own weight: (B / w)^(1/3), F. T. Peirce 1930. */
export function bendingLength(rigidity: number, arealDensity: number): number {
  return Math.cbrt(rigidity / (9.81 * arealDensity));
}

/** Three points on the straight line that the stiffness draws, to start a measured curve from. */
export function curveFrom(stiffness: number): LoadCurveRecord {
  const strains = [0.01, 0.03, 0.06];
  return { strains, forces: strains.map((strain) => tidy(strain * stiffness)) };
}

/** The curve with one point more, as far beyond the last as that is from the one before. */
export function withPoint(curve: LoadCurveRecord): LoadCurveRecord {
  const more = (values: readonly number[]) => {
    const last = values[values.length - 1] ?? 0;
    return [...values, tidy(last + last - (values[values.length - 2] ?? 0))];
  };
  return { strains: more(curve.strains), forces: more(curve.forces) };
}

/** Why a load curve cannot be, in words; null when it can. */
export function curveFault({ strains, forces }: LoadCurveRecord): string | null {
  const rises = (values: readonly number[]) => values.every((value, index) => value > (values[index - 1] ?? 0));
  if (!rises(strains)) return "Each point needs a larger strain than the one before";
  if (!rises(forces)) return "Each point must take more force than the one before";
  return null;
}

/** Corners of a pull's line up to `reach` in strain, from `-reach` where it can be pressed; N/m, as the engine takes it. */
export function pullLine(fabric: FabricRecord, pull: Pull, reach: number): Corner[] {
  const curve = fabric[pull.load];
  const limit = pull.compress === null ? null : (fabric.strain_limit ?? null);
  const corners: Corner[] = [[0, 0], ...(curve?.strains ?? []).map((strain, at): Corner => [strain, curve?.forces[at] ?? 0])];
  const ahead = corners.findIndex(([strain]) => limit !== null && strain > limit);
  const kept = ahead < 0 ? corners : corners.slice(0, ahead);
  const slope = slopeAt(corners, ahead < 0 ? corners.length - 1 : ahead) ?? fabric[pull.stiffness];
  let end = kept[kept.length - 1] ?? [0, 0];
  let steepness = slope;
  if (limit !== null && limit < reach) {
    end = [limit, end[1] + slope * (limit - end[0])];
    kept.push(end);
    steepness = slope * LIMIT_STIFFENING;
  }
  kept.push([reach, end[1] + steepness * (reach - end[0])]);
  if (pull.compress === null) return kept;
  return [[-reach, -reach * (fabric[pull.compress] ?? fabric[pull.stiffness])], ...kept];
}

/** Strain and force in N/m. */
type Corner = [number, number];

/** Beyond its limit a cloth is this much stiffer than just before it, as in the engine. */
const LIMIT_STIFFENING = 30;

/** Slope of the piece that ends at a corner; null at the first. */
function slopeAt(corners: readonly Corner[], index: number): number | null {
  const [before, here] = [corners[index - 1], corners[index]];
  return before === undefined || here === undefined ? null : (here[1] - before[1]) / (here[0] - before[0]);
}
