import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import type { FileRecipe, Making, Shot } from "../../api/client";
import { useHealth, useRemake } from "../../state/queries";
import { useRoom } from "../../state/room";
import { Figure, Section, Small } from "../../ui/Card";
import { Pick } from "../../ui/Pick";

const RESTS = [
  { value: "as made", name: "As the mesh lies" },
  { value: "uvs", name: "Flat, as its UVs lay it" },
];

/** A garment that is brought in: what its cloth is at rest. */
export function FilePanel({ shot, name, recipe, making }: { shot: Shot; name: string; recipe: FileRecipe; making: Making | null | undefined }) {
  const remake = useRemake(shot);
  const apart = making?.isometry ?? null;
  return (
    <>
    <HealthList shot={shot} name={name} recipe={recipe} />
    <Section title="At rest">
      {apart === null ? (
        <Typography sx={{ fontSize: 12.5, color: "text.secondary" }}>As the mesh lies: it has no UVs that could lay it flat.</Typography>
      ) : (
        <>
          <Pick
            label="Cloth at rest"
            value={recipe.rest}
            options={RESTS}
            keep={(rest) => {
              remake.mutate({ garment: name, change: (before) => (before.kind === "file" ? { ...before, rest: rest as FileRecipe["rest"] } : before), said: rest === "uvs" ? "at rest as its UVs lay it" : "at rest as the mesh lies" });
            }}
          />
          <Figure name="UVs and mesh differ by" value={`${share(apart[0])}, 99 in 100 below ${share(apart[1])}`} />
        </>
      )}
    </Section>
    </>
  );
}

/** What is wrong with the file's mesh: lit on the stage, put right where that is sound. */
function HealthList({ shot, name, recipe }: { shot: Shot; name: string; recipe: FileRecipe }) {
  const remake = useRemake(shot);
  const health = useHealth(shot, name, true).data;
  const alone = useRoom((room) => room.ailment);
  const set = useRoom((room) => room.set);
  const keep = (mended: FileRecipe["mended"], said: string) => {
    remake.mutate({ garment: name, change: (before) => (before.kind === "file" ? { ...before, mended } : before), said });
  };
  return (
    <Section title="Health of the mesh">
      {health === undefined && <Typography sx={{ fontSize: 12.5, color: "text.secondary" }}>Looking…</Typography>}
      {health?.findings.length === 0 && <Typography sx={{ fontSize: 12.5 }}>Sound: nothing doubled, inside out, thin or through itself.</Typography>}
      {health?.findings.map((finding) => (
        <Box key={finding.kind} sx={{ display: "flex", alignItems: "baseline", gap: 0.5, borderLeft: 3, borderColor: "error.main", pl: 1, mb: 0.5 }}>
          <Typography sx={{ fontSize: 12.5, flex: 1 }}>
            <span className="figure">{finding.count.toLocaleString("en")}</span> {finding.said}
          </Typography>
          <Small label={`Light only ${finding.kind}`} pressed={alone === finding.kind} act={() => { set({ ailment: alone === finding.kind ? null : finding.kind }); }}>
            Light
          </Small>
          {finding.mends && (
            <Small label={`Put right ${finding.kind}`} off={remake.isPending} act={() => { keep([...recipe.mended, finding.kind as FileRecipe["mended"][number]], `${finding.kind} put right`); }}>
              Put right
            </Small>
          )}
        </Box>
      ))}
      {recipe.mended.map((kind) => (
        <Box key={kind} sx={{ display: "flex", alignItems: "baseline", gap: 0.5 }}>
          <Typography sx={{ fontSize: 12.5, flex: 1, color: "success.main" }}>{kind}: put right</Typography>
          <Small label={`Leave ${kind} as it came`} off={remake.isPending} act={() => { keep(recipe.mended.filter((one) => one !== kind), `${kind} left as it came`); }}>
            As it came
          </Small>
        </Box>
      ))}
    </Section>
  );
}

const share = (value: number) => `${(100 * value).toFixed(value < 0.1 ? 1 : 0)} %`;
