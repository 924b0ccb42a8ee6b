import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import ToggleButton from "@mui/material/ToggleButton";
import ToggleButtonGroup from "@mui/material/ToggleButtonGroup";
import Typography from "@mui/material/Typography";
import type { GarmentReading, GarmentRecord, Shot, SpacingRecord } from "../../api/client";
import { PLAIN_SPACING } from "../../domain/recipes";
import { costOf, costSaid } from "../../domain/cost";
import { mm } from "../../domain/words";
import { refusedAt, usePaces, useRemake } from "../../state/queries";
import { useRoom } from "../../state/room";
import { Figure, Section } from "../../ui/Card";
import { NumberField } from "../../ui/NumberField";

/** How finely a garment is meshed: two spacings, one switch. */
export function SpacingPanel({ shot, garment, read }: { shot: Shot; garment: GarmentRecord; read: GarmentReading | undefined }) {
  const remake = useRemake(shot);
  const at = garment.recipe.spacing;
  const keep = (spacing: SpacingRecord | null, said: string) => {
    remake.mutate({ garment: garment.name, change: (before) => (spacing === null && before.kind !== "file" ? before : ({ ...before, spacing } as typeof before)), said });
  };
  return (
    <Section key={refusedAt(remake)} title="Spacing">
      {remake.isPending && (
        <Typography role="status" sx={{ fontSize: 12.5, color: "text.secondary" }}>
          Meshing…
        </Typography>
      )}
      {at == null ? (
        <>
          <Typography sx={{ fontSize: 12.5, mb: 0.5 }}>
            The file’s own mesh{read === undefined ? "" : `, ${mm(read.spacing)}`}.
          </Typography>
          <Button
            sx={{ ml: -0.75, fontWeight: 400, fontSize: 12.5 }}
            disabled={remake.isPending}
            onClick={() => {
              const own = read === undefined ? PLAIN_SPACING.draft_mm : Math.round(read.spacing * 2000) / 2;
              keep({ draft_mm: own, fine_mm: Math.max(0.5, Math.round(own * 10) / 20), use: "draft", finer: null }, `meshed anew at ${own} mm`);
            }}
          >
            Mesh it anew
          </Button>
        </>
      ) : (
        <>
          <ToggleButtonGroup
            exclusive
            fullWidth
            size="small"
            value={at.use}
            aria-label="Spacing in use"
            disabled={remake.isPending}
            onChange={(_, use: SpacingRecord["use"] | null) => {
              if (use !== null) keep({ ...at, use }, `${use}, ${at[`${use}_mm`]} mm`);
            }}
          >
            {(["draft", "fine"] as const).map((use) => (
              <ToggleButton key={use} value={use} sx={{ textTransform: "none", display: "block", py: 0.4, lineHeight: 1.3 }}>
                {use === "draft" ? "Draft" : "Fine"}
                <Typography component="span" className="figure" sx={{ display: "block", fontSize: 11.5 }}>
                  {verticesSaid(read, use, at.use === use)}
                </Typography>
              </ToggleButton>
            ))}
          </ToggleButtonGroup>
          <CostLines shot={shot} read={read} now={at.use} />
          <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", columnGap: 1 }}>
            {(["draft", "fine"] as const).map((use) => (
              <NumberField key={use} label={`${use === "draft" ? "Draft" : "Fine"}, mm`} value={at[`${use}_mm`]} low={0.5} high={1000} keep={(value) => { keep({ ...at, [`${use}_mm`]: value }, `${use} ${value} mm`); }} />
            ))}
          </Box>
          <Finer garment={garment} at={at} keep={keep} busy={remake.isPending} />
          {garment.recipe.kind === "file" && (
            <Button sx={{ ml: -0.75, fontWeight: 400, fontSize: 12.5 }} disabled={remake.isPending} onClick={() => { keep(null, "the file's own mesh"); }}>
              Back to the file’s own mesh
            </Button>
          )}
        </>
      )}
    </Section>
  );
}

/** Finer where a map of spacing says: the mesh goes by the map as it was when it was meshed by it. */
function Finer({ garment, at, keep, busy }: { garment: GarmentRecord; at: SpacingRecord; keep(spacing: SpacingRecord, said: string): void; busy: boolean }) {
  const set = useRoom((room) => room.set);
  const maps = garment.maps.filter((one) => one.role === "spacing");
  const used = at.finer ?? null;
  if (maps.length === 0 && used === null) {
    return (
      <Button sx={{ ml: -0.75, fontWeight: 400, fontSize: 12.5 }} onClick={() => { set({ bench: "chalk" }); }}>
        Finer in places: draw a map of spacing
      </Button>
    );
  }
  const now = maps.find((one) => one.name === used?.map);
  const changed = used !== null && now !== undefined && JSON.stringify([now.steps, now.span ?? [1, 0.5]]) !== JSON.stringify([used.steps, used.span]);
  return (
    <Box role="group" aria-label="Finer in places">
      {used !== null && (
        <Typography sx={{ fontSize: 12.5 }}>
          Finer where {used.map} says{changed ? "; it was drawn otherwise since" : ""}.
        </Typography>
      )}
      {maps.map((map) => (
        <Button
          key={map.name}
          disabled={busy || (used?.map === map.name && !changed)}
          sx={{ ml: -0.75, mr: 1, fontWeight: 400, fontSize: 12.5 }}
          onClick={() => {
            keep({ ...at, finer: { map: map.name, span: map.span ?? [1, 0.5], steps: map.steps } }, `finer where ${map.name} says`);
          }}
        >
          Mesh by {map.name}
        </Button>
      ))}
      {used !== null && (
        <Button disabled={busy} sx={{ fontWeight: 400, fontSize: 12.5 }} onClick={() => { keep({ ...at, finer: null }, "even spacing"); }}>
          Even again
        </Button>
      )}
    </Box>
  );
}

/** What a frame and a First look of this garment alone are likely to cost at both spacings. */
function CostLines({ shot, read, now }: { shot: Shot; read: GarmentReading | undefined; now: "draft" | "fine" }) {
  const paces = usePaces(shot).data;
  if (paces === undefined || read === undefined) return null;
  const frames = shot.document.frames[1] - shot.first_simulated + 1;
  return (["draft", "fine"] as const).map((use) => {
    const vertices = use === now ? read.vertices : (read.making?.[`${use}_vertices`] ?? 0);
    const cost = costOf(paces, vertices, frames, "first-look");
    return cost === null ? null : <Figure key={use} name={use === "draft" ? "First look, draft" : "First look, fine"} value={costSaid(cost)} />;
  });
}

/** Vertices of a spacing: counted where it is in use, else reckoned from the area. */
function verticesSaid(read: GarmentReading | undefined, use: "draft" | "fine", now: boolean): string {
  if (read === undefined) return "…";
  if (now) return `${read.vertices.toLocaleString("en")} vertices`;
  const about = read.making?.[`${use}_vertices`] ?? null;
  return about === null ? "…" : `about ${(Math.round(about / 50) * 50).toLocaleString("en")}`;
}
