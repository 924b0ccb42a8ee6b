import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import type { Shot, SpacingRecord } from "../../api/client";
import { openFitting } from "../../state/fitting";
import { useRemake } from "../../state/queries";
import { useGarmentAtHand } from "../../state/garment";
import { Section } from "../../ui/Card";

/** Coarse to fine: the garment at hand meshed by its other spacing, and the fitting carried over to it. */
export function WhichSpacing({ shot }: { shot: Shot }) {
  const name = useGarmentAtHand(shot);
  const garment = shot.document.garments.find((one) => one.name === name);
  const remake = useRemake(shot);
  const at = garment?.recipe.spacing;
  if (garment === undefined || at == null) return null;
  const other: SpacingRecord["use"] = at.use === "draft" ? "fine" : "draft";
  return (
    <Section title="Spacing">
      <Typography sx={{ fontSize: 12.5 }}>
        {garment.name} is meshed {at.use}, <span className="figure">{at[`${at.use}_mm`]} mm</span>.
      </Typography>
      <Button
        sx={{ ml: -0.75, fontWeight: 400, fontSize: 12.5 }}
        disabled={remake.isPending}
        onClick={() => {
          remake.mutate(
            { garment: garment.name, change: (before) => ({ ...before, spacing: { ...at, use: other } }) as typeof before, said: `${other}, ${at[`${other}_mm`]} mm` },
            { onSuccess: ({ shot: kept }) => { openFitting({ shot: kept.id, revision: kept.revision, carry: true }); } },
          );
        }}
      >
        {remake.isPending ? "Meshing…" : `Go on ${other}, ${at[`${other}_mm`]} mm, as it hangs`}
      </Button>
    </Section>
  );
}
