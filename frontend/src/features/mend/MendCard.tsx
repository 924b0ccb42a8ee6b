import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import LinearProgress from "@mui/material/LinearProgress";
import Typography from "@mui/material/Typography";
import { useEffect } from "react";
import type { Mending, Shot, Take } from "../../api/client";
import { open } from "../../domain/mending";
import { count } from "../../domain/words";
import { useMend } from "../../state/mend";
import { useDoRemedy, useLookForSnags, useMending } from "../../state/mending";
import { useRoom } from "../../state/room";
import { Card, FaultNote, Section } from "../../ui/Card";
import { DrawnPlace } from "./DrawnPlace";
import { RemedyList } from "./RemedyList";
import { SnagPanel } from "./SnagPanel";

/** Every fault of a take in the order a viewer would see them, and what can be done about each. */
export function MendCard({ shot, take, takes }: { shot: Shot; take: Take; takes: Take[] }) {
  const set = useRoom((room) => room.set);
  const clear = useMend((mend) => mend.set);
  const { data } = useMending(take.id);
  const look = useLookForSnags();
  const base = takes.find((one) => one.id === take.mends);
  const never = data?.state === "never";
  const { mutate } = look;
  useEffect(() => {
    if (never) mutate(take.id);
  }, [never, mutate, take.id]);
  useEffect(
    () => () => {
      clear({ snag: null, remedy: null, region: null, drawing: null, before: false, beside: false, span: null });
    },
    [clear],
  );
  return (
    <Card title={`Mend ${take.name}`} lead="What a viewer would see first stands first. Remedies make a new take; this one is never overwritten.">
      <Box sx={{ display: "flex", gap: 1, ml: -0.75, mt: -1, mb: 0.5 }}>
        <Button sx={{ px: 0.75, py: 0.2, fontSize: 12.5 }} onClick={() => { set({ mending: null, shown: [take.id] }); }}>
          Back to the takes
        </Button>
        {base !== undefined && (
          <Button sx={{ px: 0.75, py: 0.2, fontSize: 12.5 }} onClick={() => { set({ mending: base.id, shown: [base.id] }); }}>
            The take it mends
          </Button>
        )}
      </Box>
      {data !== undefined && <Looking data={data} again={() => { mutate(take.id); }} />}
      {data !== undefined && data.remedies.length > 0 && <RemedyList data={data} />}
      {data?.state === "ready" && <Snags shot={shot} take={take} data={data} />}
      {data?.state === "ready" && (
        <Button sx={{ px: 0.75, py: 0.2, ml: -0.75, mt: 1, fontSize: 12.5 }} onClick={() => { mutate(take.id); }}>
          Look for snags again
        </Button>
      )}
    </Card>
  );
}

function Looking({ data, again }: { data: Mending; again(): void }) {
  if (data.state === "ready" || data.state === "never") return null;
  if (data.state === "failed") {
    return (
      <Box>
        {data.fault !== null && <FaultNote fault={data.fault} />}
        <Button onClick={again}>Look again</Button>
      </Box>
    );
  }
  return (
    <Box role="status">
      <Typography sx={{ fontSize: 12.5 }}>{data.state === "waiting" ? "Waiting for a worker to look for snags" : `Looking for snags, ${Math.round(100 * data.share)} %`}</Typography>
      <LinearProgress variant={data.state === "waiting" ? "indeterminate" : "determinate"} value={100 * data.share} aria-label="Looking for snags" />
    </Box>
  );
}

function Snags({ shot, take, data }: { shot: Shot; take: Take; data: Mending }) {
  const remedy = useDoRemedy(shot.id);
  const chosen = useMend((mend) => mend.snag);
  const region = useMend((mend) => mend.region);
  const set = useRoom((room) => room.set);
  const left = open(data.snags);
  const busy = data.remedies.some((one) => one.state === "waiting" || one.state === "working");
  const done = (mended: Mending) => {
    set({ mending: mended.take, shown: [mended.take] });
  };
  return (
    <Section title={data.snags.length === 0 ? "Snags" : `Snags, ${left.length} to be mended`}>
      {data.snags.length === 0 && <Typography sx={{ fontSize: 13, color: "success.main", mb: 1 }}>No snag in frames {take.first} to {take.last}. The take can be handed off.</Typography>}
      {data.snags.map((snag) => (
        <SnagPanel key={snag.key} shot={shot} take={take} snag={snag} here={snag.key === chosen} done={done} />
      ))}
      {left.length > 0 && (
        <Button
          variant="contained"
          fullWidth
          disabled={busy || remedy.isPending}
          sx={{ py: 0.9, mt: 0.5 }}
          onClick={() => {
            remedy.mutate({ take: take.id, ask: { verb: "mend all" } }, { onSuccess: done });
          }}
        >
          Mend {left.length === 1 ? "it" : `all ${left.length}`}, then prove it
        </Button>
      )}
      {left.length > 0 && <Typography sx={{ fontSize: 12, color: "text.secondary", mt: 0.5 }}>{count(left.length, "snag")} of {data.snags.length} to be mended; what is accepted stays as it is.</Typography>}
      <Section title="Another place">
        <DrawnPlace shot={shot} take={take} region={region} done={done} />
      </Section>
    </Section>
  );
}
