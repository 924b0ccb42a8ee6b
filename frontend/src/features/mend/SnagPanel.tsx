import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import ButtonBase from "@mui/material/ButtonBase";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import type { Mending, Shot, Snag, Take } from "../../api/client";
import { snagFigures, snagTitle } from "../../domain/mending";
import { useMend } from "../../state/mend";
import { useAccept } from "../../state/mending";
import { useRoom } from "../../state/room";
import { NameField } from "../../ui/NameField";
import { Remedies } from "./Remedies";

/** One snag: a press flies there; the one at hand shows its remedies. */
export function SnagPanel({ shot, take, snag, here, done }: { shot: Shot; take: Take; snag: Snag; here: boolean; done(mended: Mending): void }) {
  const set = useMend((mend) => mend.set);
  const room = useRoom((one) => one.set);
  const accepted = snag.accepted !== null;
  return (
    <Box role="group" aria-label={snagTitle(snag)} sx={{ border: 1, borderColor: here ? "primary.main" : "divider", borderRadius: 1, bgcolor: "background.paper", mb: 1 }}>
      <ButtonBase
        aria-expanded={here}
        sx={{ display: "block", width: "100%", textAlign: "left", px: 1.25, py: 0.9 }}
        onClick={() => {
          set({ snag: here ? null : snag.key, region: null, drawing: null, span: null });
          if (!here) room({ frame: snag.worst, playing: false });
        }}
      >
        <Typography component="span" sx={{ display: "block", fontSize: 13, fontWeight: 600 }}>
          {snagTitle(snag)}
          {accepted && <Typography component="span" sx={{ fontSize: 12, color: "warning.main", fontWeight: 400 }}> accepted: {snag.accepted}</Typography>}
        </Typography>
        <Typography component="span" className="figure" sx={{ display: "block", fontSize: 12, color: "text.secondary" }}>
          {snagFigures(snag)}
        </Typography>
      </ButtonBase>
      {here && (
        <Box sx={{ px: 1.25, pb: 1 }}>
          {snag.also.length > 0 && <Typography sx={{ fontSize: 12, color: "text.secondary" }}>with it: {snag.also.join(", ")}</Typography>}
          {snag.pairs > 0 && <Typography sx={{ fontSize: 12, color: "text.secondary" }}>{snag.pairs} pairs of triangles cross over its frames</Typography>}
          {snag.why !== "" && <Typography sx={{ fontSize: 12, color: "error.main" }}>not mended: {snag.why}</Typography>}
          {!accepted && <Remedies shot={shot} take={take} kind={snag.kind} place={{ snag: snag.key }} span={[snag.first, snag.last]} vertices={snag.vertices} done={done} />}
          <Accepting take={take.id} snag={snag} />
        </Box>
      )}
    </Box>
  );
}

function Accepting({ take, snag }: { take: number; snag: Snag }) {
  const accept = useAccept();
  const [asking, setAsking] = useState(false);
  if (snag.accepted !== null) {
    return (
      <Button sx={{ px: 0.75, py: 0.2, ml: -0.75, fontSize: 12.5 }} onClick={() => { accept.mutate({ take, snag: snag.key, word: null }); }}>
        Not accepted any more
      </Button>
    );
  }
  if (asking) {
    return (
      <NameField
        focus
        label="Why it may stay"
        value=""
        keep={(word) => {
          accept.mutate({ take, snag: snag.key, word });
        }}
        leave={() => {
          setAsking(false);
        }}
      />
    );
  }
  return (
    <Button sx={{ px: 0.75, py: 0.2, ml: -0.75, fontSize: 12.5 }} onClick={() => { setAsking(true); }}>
      Accept it as it is…
    </Button>
  );
}
