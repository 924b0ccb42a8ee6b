import Box from "@mui/material/Box";
import LinearProgress from "@mui/material/LinearProgress";
import Switch from "@mui/material/Switch";
import Typography from "@mui/material/Typography";
import { useTheme } from "@mui/material/styles";
import type { Mending, Remedy } from "../../api/client";
import { proofLines, remedyState } from "../../domain/mending";
import { capital } from "../../domain/words";
import { useMend } from "../../state/mend";
import { useRemedyDeed } from "../../state/mending";
import { useRoom } from "../../state/room";
import { FaultNote, Panel, Section, Small } from "../../ui/Card";

/** The steps of a mended take, the latest first: each can be turned off and on, and shows its proof. */
export function RemedyList({ data }: { data: Mending }) {
  return (
    <Section title="Done so far">
      {[...data.remedies].reverse().map((remedy) => (
        <Step key={remedy.id} remedy={remedy} />
      ))}
    </Section>
  );
}

const [WIDE, HIGH] = [236, 44]; // pixels

/** Crossings at every frame: before as an outline, after filled; a press goes to the frame. */
function ByFrame({ proof }: { proof: NonNullable<Remedy["proof"]> }) {
  const room = useRoom((one) => one.set);
  const c = useTheme().cloth;
  const most = Math.max(1, ...proof.before, ...proof.after);
  const each = WIDE / Math.max(1, proof.frames.length);
  const bar = (pairs: number) => (pairs === 0 ? 0 : Math.max(1.5, (HIGH * pairs) / most));
  return (
    <Box sx={{ mt: 0.5 }}>
      <svg role="img" aria-label={`Crossings by frame, at most ${most}`} width={WIDE} height={HIGH + 1}>
        {proof.frames.map((frame, k) => {
          const [before, after] = [proof.before[k] ?? 0, proof.after[k] ?? 0];
          return (
            <g key={frame} cursor="pointer" onClick={() => { room({ frame, playing: false }); }}>
              <title>{`frame ${frame}: ${before} before, ${after} after`}</title>
              <rect x={k * each} y={0} width={each} height={HIGH} fill="transparent" />
              <rect x={k * each + 0.5} y={HIGH - bar(before)} width={Math.max(0.5, each - 1)} height={bar(before)} fill="none" stroke={c.softInk} strokeWidth={0.75} />
              <rect x={k * each + 0.5} y={HIGH - bar(after)} width={Math.max(0.5, each - 1)} height={bar(after)} fill={c.madder} />
            </g>
          );
        })}
        <line x1={0} x2={WIDE} y1={HIGH + 0.5} y2={HIGH + 0.5} stroke={c.seam} />
      </svg>
      <Typography className="figure" sx={{ fontSize: 11.5, color: "text.secondary" }}>
        frames {proof.frames[0]} to {proof.frames.at(-1)}, at most {most} crossings; after is filled
      </Typography>
    </Box>
  );
}

function Step({ remedy }: { remedy: Remedy }) {
  const deed = useRemedyDeed();
  const here = useMend((mend) => mend.remedy === remedy.id);
  const set = useMend((mend) => mend.set);
  const room = useRoom((one) => one.set);
  const busy = remedy.state === "waiting" || remedy.state === "working";
  const state = remedyState(remedy);
  const name = `${capital(remedy.verb)}: ${remedy.said}`;
  return (
    <Panel label={name}>
      <Box sx={{ display: "flex", alignItems: "center" }}>
        <Typography sx={{ fontSize: 12.5, fontWeight: 600, flex: 1 }}>{name}</Typography>
        {remedy.state === "kept" && (
          <Switch
            size="small"
            checked={remedy.is_on}
            disabled={deed.isPending}
            slotProps={{ input: { "aria-label": `${name}, laid over the take` } }}
            onChange={(event) => {
              deed.mutate({ remedy: remedy.id, deed: { do: event.target.checked ? "on" : "off" } });
            }}
          />
        )}
      </Box>
      <Typography className="figure" sx={{ fontSize: 11.5, color: "text.secondary" }}>
        {remedy.first !== null && `frames ${remedy.first} to ${remedy.last ?? remedy.first}`}
        {state !== "" && `${remedy.first === null ? "" : " · "}${state}`}
      </Typography>
      {busy && <LinearProgress variant={remedy.state === "working" ? "determinate" : "indeterminate"} value={100 * remedy.share} aria-label={`${name}, progress`} sx={{ my: 0.5 }} />}
      {remedy.fault !== null && <FaultNote fault={remedy.fault} />}
      {remedy.proof !== null && !remedy.proof.accepted && <Typography sx={{ fontSize: 12, color: "error.main" }}>{remedy.proof.why}</Typography>}
      {here && remedy.proof !== null && (
        <Box role="note" aria-label="Proof" sx={{ my: 0.5 }}>
          {proofLines(remedy.proof).map((line) => (
            <Typography key={line} sx={{ fontSize: 12 }}>
              {line}
            </Typography>
          ))}
          <ByFrame proof={remedy.proof} />
        </Box>
      )}
      <Box sx={{ display: "flex", flexWrap: "wrap", ml: -0.75 }}>
        {remedy.proof !== null && (
          <Small
            label={`Proof of ${name}`}
            pressed={here}
            act={() => {
              set({ remedy: here ? null : remedy.id });
              if (!here && remedy.first !== null) room({ frame: remedy.first, playing: false });
            }}
          >
            Proof
          </Small>
        )}
        {remedy.state === "proposal" && (
          <Small label={`Take ${name} all the same`} act={() => { deed.mutate({ remedy: remedy.id, deed: { do: "take it" } }); }}>
            Take it all the same
          </Small>
        )}
        {(remedy.state !== "kept" || !remedy.is_on) && (
          <Small label={`Take ${name} out`} off={deed.isPending} act={() => { deed.mutate({ remedy: remedy.id, deed: { do: "take back" } }); }}>
            {busy ? "Stop" : "Take it out"}
          </Small>
        )}
        {remedy.state === "kept" && remedy.is_on && (
          <Small label={`Undo ${name}`} off={deed.isPending} act={() => { deed.mutate({ remedy: remedy.id, deed: { do: "off" } }); }}>
            Undo
          </Small>
        )}
      </Box>
    </Panel>
  );
}
