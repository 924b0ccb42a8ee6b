import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import Typography from "@mui/material/Typography";
import type { Shot } from "../../api/client";
import { changeTogether, dressFurtherIn, simulateAgain } from "../../domain/edits";
import { useEdit } from "../../state/queries";
import { Section } from "../../ui/Card";

/** What is worn over what, and whether it is simulated in one. Nothing to say about a single garment. */
export function DressingOrder({ shot }: { shot: Shot }) {
  const edit = useEdit(shot);
  const garments = shot.document.garments;
  const together = shot.document.together ?? true;
  if (garments.length < 2) return null;
  return (
    <Section title="Dressing order">
      {garments.map((garment, place) => (
        <Box key={garment.name} sx={{ display: "flex", alignItems: "center", minHeight: 28 }}>
          <Typography sx={{ fontSize: 13, flex: 1, overflowWrap: "anywhere" }}>
            <span className="figure">{place + 1}</span> {garment.name}
            {place === 0 && <Typography component="span" sx={{ fontSize: 12, color: "text.secondary" }}> innermost</Typography>}
            {garment.finished && (
              <Typography sx={{ fontSize: 12, color: "text.secondary" }}>finished, worn as in {garment.finished.take}</Typography>
            )}
          </Typography>
          {garment.finished && (
            <Button
              size="small"
              aria-label={`Simulate ${garment.name} again`}
              sx={{ fontWeight: 400, fontSize: 12.5 }}
              onClick={() => {
                edit.mutate({ edit: (document) => simulateAgain(document, garment.name) });
              }}
            >
              Simulate again
            </Button>
          )}
          {place > 0 && (
            <Button
              size="small"
              aria-label={`Wear ${garment.name} further in`}
              sx={{ fontWeight: 400, fontSize: 12.5 }}
              onClick={() => {
                edit.mutate({ edit: (document) => dressFurtherIn(document, garment.name) });
              }}
            >
              Further in
            </Button>
          )}
        </Box>
      ))}
      <FormControlLabel
        control={
          <Checkbox
            size="small"
            checked={together}
            sx={{ py: 0.4 }}
            onChange={(_, checked) => {
              edit.mutate({ edit: (document) => changeTogether(document, checked) });
            }}
          />
        }
        label={<Typography sx={{ fontSize: 13 }}>Simulate them together</Typography>}
      />
      <Typography sx={{ fontSize: 12, color: "text.secondary" }}>
        {together
          ? "They push each other and never pass through each other."
          : "Each moves as if those not finished were not there: quicker while looking for settings."}{" "}
        A garment whose take is good can be worn as it is: the others meet it, and it costs hardly anything.
      </Typography>
    </Section>
  );
}
