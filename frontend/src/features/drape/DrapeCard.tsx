import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import type { Shot } from "../../api/client";
import { openFitting, useFitting } from "../../state/fitting";
import { count } from "../../domain/words";
import { Card, FaultNote, Notes } from "../../ui/Card";
import { Fittings } from "./Fittings";
import { HandsPanel } from "./HandsPanel";
import { ParkedPanel } from "./ParkedPanel";
import { PiecesPanel } from "./PiecesPanel";
import { PinsPanel } from "./PinsPanel";
import { WhichSpacing } from "./WhichSpacing";

/** The live fitting: hands, pins, what is parked, set pieces, and the poses that are kept. */
export function DrapeCard({ shot }: { shot: Shot }) {
  const { line, told, refused } = useFitting();
  const empty = shot.document.garments.length === 0;
  const stale = told !== null && line === "open" && told.mark !== shot.fit_mark;
  return (
    <Card title="Drape" lead={empty ? "There is no garment to fit yet. Make one on the Wardrobe bench." : "Pull the cloth where it should lie. What you keep here is where takes can begin."}>
      {!empty && line === "opening" && (
        <Typography role="status" sx={{ fontSize: 12.5, mb: 1 }}>
          Dressing the figure…
        </Typography>
      )}
      {!empty && line === "ended" && (
        <Box sx={{ mb: 1.5 }}>
          {refused !== null && <FaultNote fault={refused} />}
          <Box sx={{ display: "flex", gap: 1, mt: 1 }}>
            <Button variant="contained" onClick={() => { openFitting({ shot: shot.id, revision: shot.revision }); }}>
              Open it again
            </Button>
            {refused?.what.startsWith("another window") === true && (
              <Button onClick={() => { openFitting({ shot: shot.id, revision: shot.revision, over: true }); }}>Take it over</Button>
            )}
          </Box>
        </Box>
      )}
      {stale && (
        <Box role="alert" sx={{ borderLeft: 3, borderColor: "warning.main", pl: 1, mb: 1.5 }}>
          <Typography sx={{ fontSize: 12.5 }}>The shot has changed since this fitting was begun.</Typography>
          <Button size="small" onClick={() => { openFitting({ shot: shot.id, revision: shot.revision, carry: true }); }}>
            Go on with it as it hangs
          </Button>
          <Button size="small" onClick={() => { openFitting({ shot: shot.id, revision: shot.revision, anew: true }); }}>
            Begin anew
          </Button>
        </Box>
      )}
      {told !== null && line === "open" && (
        <>
          <HandsPanel told={told} />
          <Notes notes={told.pinched.map(({ garment, vertices, at }) => `${count(vertices, "vertex", "vertices")} of the ${garment} ${vertices === 1 ? "is" : "are"} pinched between bodies, about ${(100 * at[1]).toFixed(0)} cm high`)} />
          <PinsPanel told={told} />
          <ParkedPanel told={told} />
        </>
      )}
      {!empty && <Fittings shot={shot} told={line === "open" ? told : null} stale={stale} />}
      {told !== null && line === "open" && (
        <>
          <PiecesPanel shot={shot} told={told} />
          <WhichSpacing shot={shot} />
        </>
      )}
    </Card>
  );
}
