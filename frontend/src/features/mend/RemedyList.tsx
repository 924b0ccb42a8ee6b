import Box from "@mui/material/Box";
import LinearProgress from "@mui/material/LinearProgress";
import Switch from "@mui/material/Switch";
import Typography from "@mui/material/Typography";
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
