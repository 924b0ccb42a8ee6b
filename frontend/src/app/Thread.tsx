import Box from "@mui/material/Box";
import ButtonBase from "@mui/material/ButtonBase";
import { useTheme } from "@mui/material/styles";
import Typography from "@mui/material/Typography";
import type { Bench, Knot, Mood } from "../domain/thread";
import type { Palette } from "../ui/theme";

const STEP = 66;

function colourOf(mood: Mood, c: Palette): string {
  const colours: Record<Mood, string> = {
    good: c.verdigris,
    ready: c.softInk,
    nothing: c.softInk,
    stale: c.weld,
    fault: c.madder,
    busy: c.indigo,
  };
  return colours[mood];
}

/** The row of benches on one stitched line: navigation, and what must be redone. */
export function Thread({ knots, bench, go }: { knots: Knot[]; bench: Bench; go(bench: Bench): void }) {
  const c = useTheme().cloth;
  return (
    <Box component="nav" aria-label="The thread" sx={{ position: "relative", borderRight: 1, borderColor: "divider", pt: 1.5, overflow: "hidden" }}>
      <svg width="40" height={STEP * knots.length + 40} aria-hidden style={{ position: "absolute", left: 0, top: 0 }}>
        <path d={`M24 8 V ${STEP * knots.length + 20}`} stroke={c.indigo} strokeWidth="2" strokeDasharray="9 6" />
        {knots.map((knot, index) => (
          <KnotMark key={knot.bench} y={32 + STEP * index} mood={knot.mood} here={knot.bench === bench} palette={c} />
        ))}
      </svg>
      {knots.map((knot) => (
        <ButtonBase
          key={knot.bench}
          aria-current={knot.bench === bench ? "step" : undefined}
          onClick={() => {
            go(knot.bench);
          }}
          sx={{ display: "block", width: "100%", height: STEP, pl: "44px", pr: 1, py: 0.75, textAlign: "left" }}
        >
          <Typography component="span" sx={{ display: "block", fontSize: 14, fontWeight: 600, color: knot.bench === bench ? "primary.main" : "text.primary" }}>
            {knot.name}
          </Typography>
          <Typography component="span" sx={{ display: "block", fontSize: 11.5, lineHeight: 1.25, color: colourOf(knot.mood, c) }}>
            {knot.said}
          </Typography>
        </ButtonBase>
      ))}
    </Box>
  );
}

/** A knot; each mood has a shape of its own, so that colour is not needed to tell them apart. */
function KnotMark({ y, mood, here, palette }: { y: number; mood: Mood; here: boolean; palette: Palette }) {
  const colour = here ? palette.indigo : colourOf(mood, palette);
  const line = { stroke: colour, strokeWidth: 2, fill: "none" };
  return (
    <g>
      <circle cx="24" cy={y} r={here ? 9 : 7} fill={palette.calico} stroke={colour} strokeWidth="2.4" strokeDasharray={mood === "nothing" && !here ? "3 2.5" : undefined} />
      {mood === "good" && <path d={`M20.5 ${y} l2.6 2.8 l5 -6`} {...line} />}
      {mood === "stale" && <path d={`M24 ${y - 3.6} v4 M24 ${y + 3.4} v.3`} {...line} />}
      {mood === "fault" && <path d={`M21 ${y - 3} l6 6 M27 ${y - 3} l-6 6`} {...line} />}
      {mood === "busy" && <circle cx="24" cy={y} r="3" fill={colour} />}
    </g>
  );
}
