import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import FormControlLabel from "@mui/material/FormControlLabel";
import Radio from "@mui/material/Radio";
import RadioGroup from "@mui/material/RadioGroup";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import type { Reading, Shot, Take } from "../../api/client";
import { costOf, costSaid } from "../../domain/cost";
import { startAsMade } from "../../domain/edits";
import { count } from "../../domain/words";
import { failedEdits, useEdit, usePaces, usePending, useRun } from "../../state/queries";
import { useRoom } from "../../state/room";
import { Card, Section } from "../../ui/Card";
import { AirAndTime } from "./AirAndTime";
import { BringTakeIn } from "./BringTakeIn";
import { DressingOrder } from "./DressingOrder";
import { TakePanel } from "./TakePanel";

type Patience = "first-look" | "working" | "final";
const PATIENCE: readonly { value: Patience; name: string; said: string }[] = [
  { value: "first-look", name: "First look", said: "quick, to judge the motion" },
  { value: "working", name: "Working", said: "twice the steps, for folds" },
  { value: "final", name: "Final", said: "four times the steps, to deliver" },
];

/** Run takes, watch them, compare them. */
export function TakesCard({ shot, reading, takes }: { shot: Shot; reading: Reading | undefined; takes: Take[] }) {
  const [name, setName] = useState("");
  const [chosen, setChosen] = useState<Patience | null>(null);
  const patience = chosen ?? shot.document.patience;
  const set = useRoom((room) => room.set);
  const run = useRun(shot);
  const blocked = blockedBy(shot, reading);
  const pending = usePending(shot.id);
  return (
    <Card title="Takes" lead="Change one thing, run, look, compare with the last one. A take is never overwritten.">
      <TextField
        label="Name of the take"
        placeholder={`Take ${takes.length + 1}`}
        value={name}
        onChange={(event) => {
          setName(event.target.value.slice(0, 80));
        }}
        slotProps={{ inputLabel: { shrink: true } }}
      />
      <RadioGroup
        aria-label="Patience"
        value={patience}
        onChange={(_, value) => {
          setChosen(value as Patience);
        }}
        sx={{ my: 1 }}
      >
        {PATIENCE.map((one) => (
          <FormControlLabel
            key={one.value}
            value={one.value}
            control={<Radio size="small" sx={{ py: 0.4 }} />}
            label={
              <Typography component="span" sx={{ fontSize: 13 }}>
                {one.name} <Typography component="span" sx={{ fontSize: 12, color: "text.secondary" }}>{one.said}</Typography>
              </Typography>
            }
          />
        ))}
      </RadioGroup>
      <DressingOrder shot={shot} />
      <AirAndTime shot={shot} />
      <StartNote shot={shot} />
      <Button
        variant="contained"
        fullWidth
        disabled={blocked !== null || run.isPending}
        sx={{ py: 0.9 }}
        onClick={() => {
          run.mutate(
            { name: name.trim() || null, patience, failed: failedEdits(shot.id) },
            {
              onSuccess: (take) => {
                setName("");
                set({ shown: [take.id], frame: shot.first_simulated });
              },
            },
          );
        }}
      >
        Run frames {shot.document.frames[0]} to {shot.document.frames[1]}
      </Button>
      {blocked === null && <CostNote shot={shot} reading={reading} patience={patience} />}
      {run.isPending && pending > 0 && (
        <Typography role="status" sx={{ fontSize: 12.5, color: "text.secondary", mt: 0.75 }}>
          It starts when {count(pending, "change")} made before {pending === 1 ? "is" : "are"} kept.
        </Typography>
      )}
      {blocked !== null && (
        <Typography role="alert" sx={{ fontSize: 12.5, color: "error.main", mt: 0.75 }}>
          {blocked}
        </Typography>
      )}
      {blocked === null && <LooksWrong reading={reading} />}
      <Section title="Takes so far">
        {takes.length === 0 && (
          <Typography variant="body2" color="text.secondary">
            None yet. The first look of this shot takes a few minutes; frames can be watched as they come.
          </Typography>
        )}
        <BringTakeIn shot={shot} />
        {takes.map((take) => (
          <TakePanel key={take.id} shot={shot} take={take} />
        ))}
      </Section>
    </Card>
  );
}

/** What the garments start from, where that is not how they were made. */
function StartNote({ shot }: { shot: Shot }) {
  const edit = useEdit(shot);
  const begun = shot.document.garments.filter((one) => one.begins !== null);
  if (begun.length === 0) return null;
  const takes = [...new Set(begun.map((one) => one.begins?.take))].join(" and ");
  return (
    <Box role="note" aria-label="Where it starts" sx={{ mb: 0.75 }}>
      <Typography sx={{ fontSize: 12.5 }}>
        {begun.map((one) => `The ${one.name}`).join(", ")} {begun.length === 1 ? "starts" : "start"} from the pose of {takes}.
      </Typography>
      <Button
        sx={{ ml: -0.75, fontWeight: 400, fontSize: 12.5 }}
        onClick={() => {
          edit.mutate({ edit: startAsMade });
        }}
      >
        Start as made
      </Button>
    </Box>
  );
}

/** What the run is likely to cost, before anybody waits for it. */
function CostNote({ shot, reading, patience }: { shot: Shot; reading: Reading | undefined; patience: Patience }) {
  const paces = usePaces(shot).data;
  const vertices = Object.values(reading?.garments ?? {}).reduce((sum, one) => sum + one.vertices, 0);
  if (paces === undefined || vertices === 0) return null;
  const frames = shot.document.frames[1] - shot.first_simulated + 1;
  const cost = costOf(paces, vertices, frames, patience);
  return (
    <Typography role="note" aria-label="What it costs" sx={{ fontSize: 12.5, color: "text.secondary", mt: 0.5 }}>
      <span className="figure">{vertices.toLocaleString("en")}</span> vertices, <span className="figure">{frames}</span> frames with the run-in:{" "}
      {cost === null ? "no take has been measured yet" : `about ${costSaid(cost)}, by ${cost.from}`}.
    </Typography>
  );
}

/** What the Cast bench has to say before anybody waits for a run. */
function LooksWrong({ reading }: { reading: Reading | undefined }) {
  const set = useRoom((room) => room.set);
  const lines = looksWrong(reading);
  if (lines.length === 0) return null;
  return (
    <Box role="note" aria-label="Before you run" sx={{ mt: 0.75, pl: 1, borderLeft: 3, borderColor: "warning.main" }}>
      {lines.map((line) => (
        <Typography key={line} sx={{ fontSize: 12.5 }}>
          {line}.
        </Typography>
      ))}
      <Button
        size="small"
        onClick={() => {
          set({ bench: "cast" });
        }}
      >
        See the ways out on the Cast bench
      </Button>
    </Box>
  );
}

/** What a reading says looks wrong about members and garments, a line each. */
export function looksWrong(reading: Reading | undefined): string[] {
  const said = (name: string, offers: readonly { because: string }[]) => offers.map(({ because }) => `${name}: ${because}`);
  const cast = Object.entries(reading?.cast ?? {}).flatMap(([name, read]) => said(name, read.judged.offers));
  const garments = Object.entries(reading?.garments ?? {}).flatMap(([name, read]) => said(name, read.offers));
  return [...new Set([...cast, ...garments])];
}

/** Why nothing can be run, in words; null when it can. */
export function blockedBy(shot: Shot, reading: Reading | undefined): string | null {
  if (shot.document.garments.length === 0) return "There is no garment to simulate: bring one in on the Cast bench.";
  const faults = Object.entries(reading?.faults ?? {});
  const first = faults[0];
  if (first === undefined) return null;
  const made = shot.document.garments.some((one) => one.name === first[0] && one.recipe.kind !== "file");
  return `${first[0]}: ${first[1].what}. Mend it on the ${made ? "Wardrobe" : "Cast"} bench.`;
}
