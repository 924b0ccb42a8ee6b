import Typography from "@mui/material/Typography";
import type { FileRecipe, Making, Shot } from "../../api/client";
import { useRemake } from "../../state/queries";
import { Figure, Section } from "../../ui/Card";
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
  );
}

const share = (value: number) => `${(100 * value).toFixed(value < 0.1 ? 1 : 0)} %`;
