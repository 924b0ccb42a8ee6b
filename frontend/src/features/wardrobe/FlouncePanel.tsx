import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import type { FlounceRecipe, Making, Shot } from "../../api/client";
import { refusedAt, useRemake } from "../../state/queries";
import { Figure, Notes, Section } from "../../ui/Card";
import { NumberField } from "../../ui/NumberField";
import { Pick } from "../../ui/Pick";
import { cm } from "./RingsPanel";

/** A tier that is sewn on another garment. */
export function FlouncePanel({ shot, name, recipe, making }: { shot: Shot; name: string; recipe: FlounceRecipe; making: Making | null | undefined }) {
  const remake = useRemake(shot);
  const keep = (change: Partial<FlounceRecipe>, said: string) => {
    remake.mutate({ garment: name, change: (before) => (before.kind === "flounce" ? { ...before, ...change } : before), said });
  };
  const at = shot.document.garments.findIndex((one) => one.name === name);
  const others = shot.document.garments.slice(0, at).map((one) => one.name);
  const course = making?.courses[0];
  return (
    <Section key={refusedAt(remake)} title="Cut">
      <Typography sx={{ fontSize: 12.5, mb: 0.5 }}>Draw its seam or its hem on the stage. It is stitched on by a hold, which the Fasten bench shows.</Typography>
      {remake.isPending && (
        <Typography role="status" sx={{ fontSize: 12.5, color: "text.secondary" }}>
          Cutting…
        </Typography>
      )}
      {course !== undefined && <Figure name="Cloth, top and hem" value={`${cm(course.top_mm)}, ${cm(course.hem_mm)}`} />}
      <Pick label="Sewn on" value={recipe.on} options={others.map((one) => ({ value: one, name: one }))} keep={(on) => { keep({ on }, `sewn on ${on}`); }} />
      <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", columnGap: 1 }}>
        <NumberField label="At, mm" value={recipe.at_mm} low={-10000} high={10000} keep={(at_mm) => { keep({ at_mm }, `sewn on at ${at_mm} mm`); }} />
        <NumberField label="Deep, mm" value={recipe.depth_mm} low={1} high={10000} keep={(depth_mm) => { keep({ depth_mm }, `${depth_mm} mm deep`); }} />
        <NumberField label="Gather, ×" value={recipe.gather} low={1} high={6} keep={(gather) => { keep({ gather }, `gathered ${gather} times`); }} />
        <NumberField label="Flare, ×" value={recipe.flare} low={0.1} high={10} keep={(flare) => { keep({ flare }, `flare ${flare}`); }} />
        <NumberField label="Cloth in a fold, mm" value={recipe.fold_mm} low={10} high={2000} keep={(fold_mm) => { keep({ fold_mm }, `${fold_mm} mm of cloth in a fold`); }} />
      </Box>
      <Notes notes={(making?.notes ?? []).map((note) => note.replace(/\.$/, ""))} />
    </Section>
  );
}
