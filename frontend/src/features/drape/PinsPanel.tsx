import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import type { Told } from "../../domain/fitting";
import { tell } from "../../state/fitting";
import { Section, Small } from "../../ui/Card";

const STEP = 5; // mm
const WAYS: Readonly<Record<string, readonly [number, number, number]>> = {
  ArrowLeft: [-1, 0, 0],
  ArrowRight: [1, 0, 0],
  ArrowUp: [0, 1, 0],
  ArrowDown: [0, -1, 0],
  PageUp: [0, 0, 1],
  PageDown: [0, 0, -1],
};

/** The pins, each to be taken out; their heads are dragged on the stage. */
export function PinsPanel({ told }: { told: Told }) {
  return (
    <Section title="Pins">
      {told.pins.length === 0 && <Typography sx={{ fontSize: 12.5, color: "text.secondary" }}>None. Press P or B while you pull.</Typography>}
      {told.pins.map((pin) => (
        <Box
          key={pin.number}
          role="group"
          tabIndex={0}
          aria-label={`Pin ${pin.number}: arrow keys move it by ${STEP} mm across and up, page keys to and fro`}
          title={`Arrow keys move it by ${STEP} mm across and up, page keys to and fro`}
          onKeyDown={(event) => {
            const way = event.target === event.currentTarget ? WAYS[event.key] : undefined;
            if (way === undefined) return;
            event.preventDefault();
            event.stopPropagation();
            tell({ do: "move pin", number: pin.number, to: pin.at.map((value, axis) => value + (STEP / 1000) * (way[axis] ?? 0)) });
          }}
          sx={{ display: "flex", alignItems: "baseline", gap: 0.75 }}
        >
          <Typography className="figure" sx={{ fontSize: 12.5, fontWeight: 600 }}>
            {pin.number}
          </Typography>
          <Box sx={{ flex: 1, minWidth: 0 }}>
            <Typography sx={{ fontSize: 12.5, lineHeight: 1.35 }} noWrap>
              {pin.garment}
            </Typography>
            <Typography sx={{ fontSize: 12, lineHeight: 1.35, color: "text.secondary" }} noWrap>
              {pin.on === "" ? "in space" : `on ${pin.on}`}, <span className="figure">{(100 * pin.cloth[1]).toFixed(1)} cm</span> high
            </Typography>
          </Box>
          <Small label={`Take pin ${pin.number} out`} act={() => { tell({ do: "free pin", number: pin.number }); }}>
            Take out
          </Small>
        </Box>
      ))}
      {told.pins.length > 1 && (
        <Small label="Take all pins out" act={() => { tell({ do: "free pin" }); }}>
          Take all out
        </Small>
      )}
    </Section>
  );
}
