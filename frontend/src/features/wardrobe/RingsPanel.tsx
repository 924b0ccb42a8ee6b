import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import type { Making, RingsRecipe, Shot, TierRecord } from "../../api/client";
import { betweenHeights, PLAIN_TIER } from "../../domain/recipes";
import { refusedAt, useRemake } from "../../state/queries";
import { Figure, Notes, Panel, Section } from "../../ui/Card";
import { NumberField } from "../../ui/NumberField";
import { Pick } from "../../ui/Pick";

const OPENINGS = [
  { value: "closed", name: "Closed" },
  { value: "slit", name: "A slit in front" },
  { value: "open", name: "Open in front" },
];

interface OfRings {
  shot: Shot;
  name: string;
  recipe: RingsRecipe;
  making: Making | null | undefined;
}

/** A skirt of rings: its measures, its opening, its tiers. All of it can be drawn on the stage as well. */
export function RingsPanel({ shot, name, recipe, making }: OfRings) {
  const remake = useRemake(shot);
  const keep = (change: Partial<RingsRecipe>, said: string) => {
    remake.mutate({ garment: name, change: (before) => (before.kind === "rings" ? { ...before, ...change } : before), said });
  };
  const waist = making?.tapes.find((tape) => tape.name === "waist");
  const hem = making?.courses.find((course) => course.name === "skirt")?.hem_mm;
  const from = recipe.joint === null ? "the floor" : `the joint ${recipe.joint}`;
  return (
    <Section key={refusedAt(remake)} title="Cut">
      <Typography sx={{ fontSize: 12.5, mb: 0.5 }}>
        Draw the tape at the waist or a hem on the stage, up and down; a hem outwards to flare it. Heights here count from {from}. Fullness is cloth over the band, flare the hem over the top.
      </Typography>
      {remake.isPending && (
        <Typography role="status" sx={{ fontSize: 12.5, color: "text.secondary" }}>
          Cutting…
        </Typography>
      )}
      {waist?.girth_mm != null && waist.cloth_mm !== null && (
        <>
          <Figure name="The figure’s girth there" value={cm(waist.girth_mm)} />
          <Figure name="Band" value={cm(waist.cloth_mm)} />
        </>
      )}
      {hem !== undefined && <Figure name="Hem" value={cm(hem)} />}
      <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", columnGap: 1 }}>
        <NumberField label="Waist at, mm" value={recipe.waist_mm} low={-10000} high={10000} keep={(waist_mm) => { keep(betweenHeights(recipe, waist_mm, recipe.hem_mm), `waist at ${waist_mm} mm`); }} />
        <NumberField label="Hem at, mm" value={recipe.hem_mm} low={-10000} high={10000} keep={(hem_mm) => { keep(betweenHeights(recipe, recipe.waist_mm, hem_mm), `hem at ${hem_mm} mm`); }} />
        <NumberField label="Band, mm" value={recipe.band_mm} low={0} high={1000} keep={(band_mm) => { keep({ band_mm }, `band ${band_mm} mm`); }} />
        <NumberField label="Ease, mm" value={recipe.ease_mm} low={-1000} high={10000} keep={(ease_mm) => { keep({ ease_mm }, `ease ${ease_mm} mm`); }} />
        <NumberField label="Fullness, ×" value={recipe.fullness} low={1} high={6} keep={(fullness) => { keep({ fullness }, `fullness ${fullness}`); }} />
        <NumberField label="Flare, ×" value={recipe.flare} low={0.1} high={10} keep={(flare) => { keep({ flare }, `flare ${flare}`); }} />
      </Box>
      <Pick label="Front" value={recipe.opening} options={OPENINGS} keep={(opening) => { keep({ opening: opening as RingsRecipe["opening"] }, OPENINGS.find((one) => one.value === opening)?.name.toLowerCase() ?? opening); }} />
      {recipe.opening === "slit" && (
        <NumberField label="Slit from the hem, mm" value={recipe.slit_mm} low={1} high={10000} keep={(slit_mm) => { keep({ slit_mm }, `slit ${slit_mm} mm`); }} />
      )}
      <Tiers tiers={recipe.tiers} fabrics={shot.document.fabrics.map((one) => one.name)} making={making} keep={(tiers, said) => { keep({ tiers }, said); }} />
      {(recipe.tiers.length > 0 || recipe.fullness > 1) && (
        <NumberField label="Cloth in a fold, mm" value={recipe.fold_mm} low={10} high={2000} keep={(fold_mm) => { keep({ fold_mm }, `${fold_mm} mm of cloth in a fold`); }} />
      )}
      <Notes notes={(making?.notes ?? []).map((note) => note.replace(/\.$/, ""))} />
    </Section>
  );
}

function Tiers({ tiers, fabrics, making, keep }: { tiers: TierRecord[]; fabrics: readonly string[]; making: Making | null | undefined; keep(tiers: TierRecord[], said: string): void }) {
  const changed = (at: number, change: Partial<TierRecord>, said: string) => {
    keep(tiers.map((tier, k) => (k === at ? { ...tier, ...change } : tier)), `tier ${at + 1} ${said}`);
  };
  return (
    <Box role="group" aria-label="Tiers" sx={{ mt: 0.5 }}>
      {tiers.map((tier, at) => {
        const course = making?.courses.find((one) => one.name === `tier ${at + 1}`);
        return (
          <Panel key={at} label={`Tier ${at + 1}`}>
            <Box sx={{ display: "flex", justifyContent: "space-between", alignItems: "baseline" }}>
              <Typography sx={{ fontSize: 12.5, fontWeight: 600 }}>Tier {at + 1}, from the hem above</Typography>
              <Button aria-label={`Take off tier ${at + 1}`} sx={{ minWidth: 0, fontWeight: 400, fontSize: 12.5, py: 0 }} onClick={() => { keep(tiers.filter((_, k) => k !== at), `tier ${at + 1} taken off`); }}>
                Take off
              </Button>
            </Box>
            {course !== undefined && <Figure name="Cloth, top and hem" value={`${cm(course.top_mm)}, ${cm(course.hem_mm)}`} />}
            <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr 1fr", columnGap: 0.75 }}>
              <NumberField label="Deep, mm" value={tier.depth_mm} low={1} high={10000} keep={(depth_mm) => { changed(at, { depth_mm }, `${depth_mm} mm deep`); }} />
              <NumberField label="Gather, ×" value={tier.gather} low={1} high={6} keep={(gather) => { changed(at, { gather }, `gathered ${gather} times`); }} />
              <NumberField label="Flare, ×" value={tier.flare} low={0.1} high={10} keep={(flare) => { changed(at, { flare }, `flare ${flare}`); }} />
            </Box>
            {(fabrics.length > 1 || (tier.fabric ?? null) !== null) && (
              <Pick
                label={`Cloth of tier ${at + 1}`}
                value={tier.fabric ?? ""}
                options={[{ value: "", name: "As the skirt" }, ...fabrics.map((name) => ({ value: name, name }))]}
                keep={(name) => { changed(at, { fabric: name === "" ? null : name }, name === "" ? "of the skirt's cloth" : `of ${name}`); }}
              />
            )}
          </Panel>
        );
      })}
      <Button sx={{ ml: -0.75, fontWeight: 400, fontSize: 12.5 }} disabled={tiers.length >= 12} onClick={() => { keep([...tiers, tiers.at(-1) ?? PLAIN_TIER], `a tier more at the hem`); }}>
        Add a tier at the hem
      </Button>
    </Box>
  );
}

export function cm(mm: number): string {
  return `${(mm / 10).toFixed(1)} cm`;
}
