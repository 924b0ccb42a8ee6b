/** Lines drawn within a piece: drawn on the table or typed, and taken out. */
import Box from "@mui/material/Box";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import type { PieceReading, SewnMaking, SewnRecipe } from "../../api/client";
import { placesOf, placesSaid, withoutLine } from "../../domain/sewing";
import { useTable } from "../../state/table";
import { keepLine } from "../../tools/useTable";
import { Small } from "../../ui/Card";

interface OfPiece {
  sewn: SewnMaking;
  piece: PieceReading;
  keep(change: (recipe: SewnRecipe) => SewnRecipe, said: string): void;
}

export function InnerLines({ sewn, piece, keep }: OfPiece) {
  const { lining, mirrored, set } = useTable();
  const drawn = lining?.piece === piece.name ? lining : null;
  return (
    <Box role="group" aria-label="Lines" sx={{ mt: 0.5 }}>
      <Small label="Draw a line within it" pressed={drawn !== null} act={() => { set({ cutting: null, lining: drawn === null ? { piece: piece.name, points: [] } : null }); }}>
        Draw a line
      </Small>
      {piece.lines.map((line) => (
        <Box key={line.name} role="group" aria-label={line.name} sx={{ display: "flex", alignItems: "center", gap: 0.5 }}>
          <Typography className="figure" noWrap title={`${placesSaid(line.points_mm)} mm`} sx={{ fontSize: 12, flex: 1, minWidth: 0 }}>
            {line.name}: {placesSaid(line.points_mm)} mm
          </Typography>
          <Small label={`Take ${line.name} out`} act={() => { keep((recipe) => withoutLine(recipe, piece.name, line.name), `${line.name} of the ${piece.name} taken out`); }}>
            Take out
          </Small>
        </Box>
      ))}
      {drawn !== null && (
        <>
          <Typography role="status" sx={{ fontSize: 12.5 }}>
            Press its points on the piece; press the last one again to keep it. Esc drops it.
          </Typography>
          <Typed key={placesSaid(drawn.points)} text={placesSaid(drawn.points)} keep={(points) => { keepLine(sewn, { piece: piece.name, points }, mirrored, keep); }} />
        </>
      )}
    </Box>
  );
}

/** Its points as text: what was drawn so far, or typed. */
function Typed({ text, keep }: { text: string; keep(points: readonly (readonly [number, number])[]): void }) {
  const [typed, setTyped] = useState(text);
  const places = placesOf(typed);
  const wrong = typed.trim() !== "" && places === null && typed !== text;
  return (
    <Box sx={{ display: "flex", alignItems: "flex-start", gap: 0.5 }}>
      <TextField
        label="Or typed, mm"
        value={typed}
        margin="dense"
        error={wrong}
        helperText={wrong ? "Two numbers to a point, commas between points" : "across up, across up"}
        onChange={(event) => { setTyped(event.target.value.slice(0, 4000)); }}
        onKeyDown={(event) => { if (event.key === "Enter" && places !== null) keep(places); }}
      />
      <Small label="Keep the line" off={places === null} act={() => { if (places !== null) keep(places); }}>
        Keep
      </Small>
    </Box>
  );
}
