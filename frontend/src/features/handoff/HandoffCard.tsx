import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import type { Delivery, DeliveryAsk, Shot, Take } from "../../api/client";
import { useFacts } from "../../state/facts";
import { useDeliver } from "../../state/queries";
import { useRoom } from "../../state/room";
import { Card, Section } from "../../ui/Card";
import { NumberField } from "../../ui/NumberField";
import { Pick } from "../../ui/Pick";
import { UNITS } from "../../ui/UnitFields";
import { DeliveryPanel } from "./DeliveryPanel";

/** Write a take the way the next department wants it, and prove that it is right. */
export function HandoffCard({ shot, takes, deliveries }: { shot: Shot; takes: Take[]; deliveries: Delivery[] }) {
  const shown = useRoom((room) => room.shown);
  const usable = takes.filter((take) => take.garments.length > 0);
  const take = usable.find((one) => one.id === shown[0]) ?? usable[0];
  return (
    <Card title="Hand-off" lead="Write the cache the next department wants. It is read back and checked before you get it.">
      {take === undefined ? (
        <Typography variant="body2">There is nothing to hand off yet. Run a take first.</Typography>
      ) : (
        <Asking key={take.id} shot={shot} take={take} takes={usable} />
      )}
      <Section title="Deliveries">
        {deliveries.length === 0 && (
          <Typography variant="body2" color="text.secondary">
            None yet.
          </Typography>
        )}
        {deliveries.map((delivery) => (
          <DeliveryPanel key={delivery.id} shot={shot} delivery={delivery} take={takes.find((one) => one.id === delivery.take)} />
        ))}
      </Section>
    </Card>
  );
}

/** The unit and axis of a garment's own file: whoever sent it probably wants them back. */
function asItCame(shot: Shot, garment: string): { unit: DeliveryAsk["unit"]; up: DeliveryAsk["up"] } {
  const recipe = shot.document.garments.find((one) => one.name === garment)?.recipe;
  if (recipe?.kind !== "file") return { unit: "m", up: "y" };
  const unit = UNITS.find((one) => one.unit === recipe.unit)?.unit ?? "m";
  return { unit: unit as DeliveryAsk["unit"], up: recipe.up === "z" ? "z" : "y" };
}

function Asking({ shot, take, takes }: { shot: Shot; take: Take; takes: Take[] }) {
  const set = useRoom((room) => room.set);
  const deliver = useDeliver(shot.id);
  const written = useFacts().written;
  const finished = Math.max(take.first, ...take.garments.map((garment) => garment.last ?? take.first));
  const garment = take.garments[0]?.garment ?? "";
  const [ask, setAsk] = useState<DeliveryAsk>({
    garment,
    format: "abc",
    ...asItCame(shot, garment),
    frame_rate: shot.document.frame_rate ?? 24,
    first: take.first,
    last: Math.min(take.last, finished),
    handles: 0,
  });
  const change = (part: Partial<DeliveryAsk>) => {
    setAsk({ ...ask, ...part });
  };
  const samples = Math.floor(((ask.last - ask.first + 2 * (ask.handles ?? 0)) / (shot.document.frame_rate ?? 24)) * ask.frame_rate + 1e-9) + 1;
  return (
    <>
      <Pick
        label="Take"
        value={String(take.id)}
        options={takes.map((one) => ({ value: String(one.id), name: one.name }))}
        keep={(value) => {
          set({ shown: [Number(value)] });
        }}
      />
      <Pick label="Garment" value={ask.garment} options={take.garments.map((one) => ({ value: one.garment, name: one.garment }))} keep={(garment) => { change({ garment }); }} />
      <Pick label="Format" value={ask.format ?? "abc"} options={written.map((one) => ({ value: one.format, name: one.said }))} keep={(value) => { change({ format: value as DeliveryAsk["format"] }); }} />
      <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", columnGap: 1 }}>
        <Pick label="Unit" value={ask.unit ?? "m"} options={UNITS.map((one) => ({ value: one.unit, name: one.name }))} keep={(unit) => { change({ unit: unit as "m" }); }} />
        <Pick label="Up" value={ask.up ?? "y"} options={[{ value: "y", name: "Y up" }, { value: "z", name: "Z up" }]} keep={(up) => { change({ up: up === "z" ? "z" : "y" }); }} />
        <NumberField label="First frame" value={ask.first} whole low={take.first_simulated} keep={(first) => { change({ first }); }} />
        <NumberField label="Last frame" value={ask.last} whole high={take.last} keep={(last) => { change({ last }); }} />
        <NumberField label="Handle frames" value={ask.handles ?? 0} whole low={0} high={200} keep={(handles) => { change({ handles }); }} />
        <NumberField label="Frames a second" value={ask.frame_rate} low={1} high={1000} keep={(frame_rate) => { change({ frame_rate }); }} />
      </Box>
      <Typography sx={{ fontSize: 12, color: "text.secondary", my: 0.75 }}>
        {samples.toLocaleString("en")} samples; the run-in is left out{(ask.handles ?? 0) > 0 ? " but for the handle frames" : ""}
        {ask.frame_rate !== (shot.document.frame_rate ?? 24) && "; resampled with a cubic in time"}.
      </Typography>
      <Button
        variant="contained"
        fullWidth
        sx={{ py: 0.9 }}
        disabled={deliver.isPending || samples < 1}
        onClick={() => {
          deliver.mutate({ take: take.id, ask });
        }}
      >
        Write and check
      </Button>
    </>
  );
}
