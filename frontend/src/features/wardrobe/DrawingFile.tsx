import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useRef, useState } from "react";
import { bringIn, part, piecesOf, type PiecesAsk, type PiecesRead, type SewnMaking, type SewnRecipe, type Shot, type Uploaded } from "../../api/client";
import { ownPieces, withPieces } from "../../domain/sewing";
import { count } from "../../domain/words";
import { complain } from "../../state/queries";
import { notify } from "../../state/room";
import { Section, Small } from "../../ui/Card";

const UNITS: { unit: NonNullable<PiecesAsk["unit"]>; name: string; mm: number }[] = [
  { unit: "mm", name: "1 mm", mm: 1 },
  { unit: "cm", name: "1 cm", mm: 10 },
  { unit: "in", name: "1 inch", mm: 25.4 },
  { unit: "pt", name: "1 point", mm: 25.4 / 72 },
  { unit: "px", name: "1 pixel, 1/96 inch", mm: 25.4 / 96 },
];

/** Pieces as an SVG drawing, out and in. */
export function DrawingFile({ shot, name, sewn, keep }: { shot: Shot; name: string; sewn: SewnMaking; keep(change: (recipe: SewnRecipe) => SewnRecipe, said: string, done?: () => void): void }) {
  const chooser = useRef<HTMLInputElement>(null);
  const [asked, setAsked] = useState<{ file: Uploaded; read: PiecesRead } | null>(null);
  const [busy, setBusy] = useState(false);
  const take = (file: Uploaded, read: PiecesRead) => {
    if (read.asks_unit) {
      setAsked({ file, read });
      return;
    }
    setAsked(null);
    const said = { text: "", remedy: "" };
    keep(
      (recipe) => {
        const made = withPieces(ownPieces(recipe, sewn), read.pieces);
        const { replaced, added, lost } = made;
        const parts = [replaced > 0 ? `${replaced} replaced` : "", added > 0 ? `${added} added` : "", lost > 0 ? `${count(lost, "seam")} taken out, since an edge is gone` : "", ...read.notes];
        said.text = `${file.name}: ${parts.filter((one) => one !== "").join(", ")}`;
        said.remedy = added > 0 ? "Say under Hangs where the new pieces hang, and sew their edges" : "";
        return made.recipe;
      },
      `${count(read.pieces.length, "piece")} of ${file.name}`,
      () => { notify(said.text, said.remedy); },
    );
  };
  const reading = (work: Promise<unknown>) => {
    setBusy(true);
    work.catch(complain).finally(() => {
      setBusy(false);
      if (chooser.current !== null) chooser.current.value = "";
    });
  };
  return (
    <Section title="As a drawing">
      <Typography sx={{ fontSize: 12.5, mb: 0.5 }}>Pieces as SVG in true size. A piece that has the name of one here replaces it; other pieces are added. Seams stay in the shot.</Typography>
      <Box sx={{ display: "flex", flexWrap: "wrap", gap: 0.75 }}>
        <Button component="a" size="small" variant="outlined" href={`/api/shots/${shot.id}/revisions/${shot.revision}/garments/${part(name)}/pieces/file`} download>
          Take pieces out
        </Button>
        <Button size="small" variant="outlined" disabled={busy} onClick={() => chooser.current?.click()}>
          {busy ? "Reading…" : "Bring pieces in…"}
        </Button>
      </Box>
      <input
        ref={chooser}
        type="file"
        hidden
        accept=".svg"
        aria-label="Drawing to bring in"
        onChange={(event) => {
          const file = event.target.files?.[0];
          if (file !== undefined) reading(bringIn(file, () => undefined).then(async (one) => { take(one, await piecesOf(one)); }));
        }}
      />
      {asked !== null && (
        <Box role="group" aria-label="Unit of the drawing" sx={{ mt: 0.75 }}>
          <Typography sx={{ fontSize: 12.5 }}>{asked.file.name} does not say how long its unit is. How large are its pieces together?</Typography>
          {UNITS.map(({ unit, name: called, mm }) => (
            <Small key={unit} label={`A unit is ${called}`} off={busy} act={() => { reading(piecesOf(asked.file, unit).then((read) => { take(asked.file, read); })); }}>
              {`${size(asked.read.width * mm)} × ${size(asked.read.height * mm)}: a unit is ${called}`}
            </Small>
          ))}
        </Box>
      )}
    </Section>
  );
}

function size(mm: number): string {
  return mm >= 10_000 ? `${(mm / 1000).toFixed(1)} m` : `${Math.round(mm)} mm`;
}
