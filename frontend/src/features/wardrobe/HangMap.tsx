import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { useTheme } from "@mui/material/styles";
import { type PointerEvent, useRef, useState } from "react";
import type { PieceReading, SewnMaking, SewnRecipe } from "../../api/client";
import { hungAs, ownPieces } from "../../domain/sewing";
import { useTable } from "../../state/table";
import { Small } from "../../ui/Card";
import { NumberField } from "../../ui/NumberField";
import { Pick } from "../../ui/Pick";

type Hang = PieceReading["hang"];
type Spot = readonly [number, number];

const PARTS = ["torso", "left arm", "right arm", "left leg", "right leg", "neck"] as const;
const STEP = 5; // mm
const WIDE = 118; // pixels of each view

/** Where the pieces hang, seen from the front and from behind; the chosen one is drawn elsewhere. */
export function HangMap({ sewn, piece, keep }: { sewn: SewnMaking; piece: PieceReading; keep(change: (recipe: SewnRecipe) => SewnRecipe, said: string): void }) {
  const mirrored = useTable((table) => table.mirrored);
  const hang = (change: Partial<Hang>, said: string) => {
    keep((recipe) => hungAs(ownPieces(recipe, sewn), piece.name, change, mirrored), `${piece.name} ${said}`);
  };
  const { part, layer, folds_mm: folds, at_mm: at, turn, follows } = piece.hang;
  const xs = piece.edges.flatMap((edge) => edge.line_mm.map(([x]) => x));
  const middle = Math.round((Math.min(...xs) + Math.max(...xs)) / 2);
  return (
    <Box role="group" aria-label={`Where ${piece.name} hangs`}>
      <Typography sx={{ fontSize: 12.5, fontWeight: 600, mt: 0.75 }}>Hangs</Typography>
      <Box sx={{ display: "flex", gap: 0.5, justifyContent: "space-between" }}>
        {(["front", "back"] as const).map((side) => (
          <View key={side} side={side} sewn={sewn} chosen={piece.name} drawn={(to) => { hang({ at_mm: to }, "hung elsewhere"); }} />
        ))}
      </Box>
      {follows.length > 0 && <Typography sx={{ fontSize: 12 }}>It is laid along the cloth that {follows.join(", ")} is sewn to.</Typography>}
      <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", columnGap: 1 }}>
        <Pick label="Part of the figure" value={part} options={PARTS.map((value) => ({ value, name: value[0]?.toUpperCase() + value.slice(1) }))} keep={(to) => { hang({ part: to as Hang["part"], at_mm: [0, to === "torso" || to.endsWith("leg") ? at[1] : 0] }, `hung on the ${to}`); }} />
        <Pick label={folds.length > 0 ? "Layer of its left part" : "Layer"} value={layer} options={[{ value: "front", name: "Front" }, { value: "back", name: "Back" }]} keep={(to) => { hang({ layer: to as Hang["layer"] }, `hung at the ${to}`); }} />
        <NumberField key={`x ${at[0]}`} label="Across, mm" value={at[0]} low={-100000} high={100000} keep={(x) => { hang({ at_mm: [x, at[1]] }, "hung elsewhere"); }} />
        <NumberField key={`y ${at[1]}`} label="Up, mm" value={at[1]} low={-100000} high={100000} keep={(y) => { hang({ at_mm: [at[0], y] }, "hung elsewhere"); }} />
        <NumberField key={`t ${turn}`} label="Turned, degrees" value={turn} low={-360} high={360} keep={(degrees) => { hang({ turn: degrees }, `turned by ${degrees} degrees`); }} />
      </Box>
      <Small label="Fold it at its middle" pressed={folds.length > 0} act={() => { hang({ folds_mm: folds.length > 0 ? [] : [middle] }, folds.length > 0 ? "flat" : "folded at its middle"); }}>
        {folds.length > 0 ? "Folded to the other layer" : "Fold at its middle"}
      </Small>
    </Box>
  );
}

/** The way from one place to another, in whole steps, mm. */
function since(from: Spot, to: Spot): Spot {
  return [Math.round((to[0] - from[0]) / STEP) * STEP, Math.round((to[1] - from[1]) / STEP) * STEP];
}

/** The figure from one side, with the pieces of that layer. */
function View({ side, sewn, chosen, drawn }: { side: "front" | "back"; sewn: SewnMaking; chosen: string; drawn(to: [number, number]): void }) {
  const c = useTheme().cloth;
  const set = useTable((table) => table.set);
  const from = useRef<Spot | null>(null);
  const [shown, setShown] = useState<Spot>([0, 0]);
  const all = [...sewn.figure_mm.flat(), ...sewn.pieces.flatMap((piece) => piece.hung.flatMap((one) => one.line_mm))];
  const [left, right] = [Math.min(...all.map(([x]) => x)), Math.max(...all.map(([x]) => x))];
  const top = Math.max(...all.map(([, y]) => y));
  const low = Math.min(...all.map(([, y]) => y));
  const room = 30;
  const [width, height] = [right - left + 2 * room, top - low + 2 * room];
  const flip = side === "front" ? 1 : -1;
  const fine = WIDE / width;
  const path = (points: readonly Spot[], by: Spot = [0, 0]) => `M${points.map(([x, y]) => `${(flip * (x + by[0])).toFixed(0)} ${(-(y + by[1])).toFixed(0)}`).join("L")}Z`;
  const place = (event: PointerEvent<SVGElement>): Spot => [(flip * event.clientX) / fine, -event.clientY / fine];
  return (
    <Box sx={{ textAlign: "center" }}>
      <svg role="img" aria-label={`Pieces at the ${side}`} width={WIDE} height={height * fine} viewBox={`${side === "front" ? left - room : -right - room} ${-top - room} ${width} ${height}`} style={{ touchAction: "none" }}>
        {sewn.figure_mm.map((ring, k) => (
          <path key={k} d={path(ring)} fill={c.seam} opacity={0.55} />
        ))}
        {sewn.pieces.flatMap((piece) =>
          piece.hung.filter((one) => one.layer === side).map(({ line_mm: line }, k) => {
            const own = piece.name === chosen;
            return (
              <path
                key={`${piece.name} ${k}`}
                d={path(line, own ? shown : [0, 0])}
                fill={own ? c.indigo : "none"}
                fillOpacity={0.28}
                stroke={c.indigo}
                strokeWidth={(own ? 2 : 1) / fine}
                pointerEvents="all"
                cursor={own && piece.hang.follows.length === 0 ? "grab" : "pointer"}
                onPointerDown={(event) => {
                  if (!own) {
                    set({ chosen: { kind: "piece", piece: piece.name } });
                    return;
                  }
                  if (piece.hang.follows.length > 0) return;
                  event.currentTarget.setPointerCapture(event.pointerId);
                  from.current = place(event);
                }}
                onPointerMove={(event) => {
                  if (from.current !== null) setShown(since(from.current, place(event)));
                }}
                onPointerUp={(event) => {
                  if (from.current === null) return;
                  const by = since(from.current, place(event));
                  from.current = null;
                  setShown([0, 0]);
                  if (by[0] !== 0 || by[1] !== 0) drawn([piece.hang.at_mm[0] + by[0], piece.hang.at_mm[1] + by[1]]);
                }}
                onPointerCancel={() => {
                  from.current = null;
                  setShown([0, 0]);
                }}
              />
            );
          }),
        )}
      </svg>
      <Typography sx={{ fontSize: 11.5, color: "text.secondary" }}>{side === "front" ? "From the front" : "From behind"}</Typography>
    </Box>
  );
}
