import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Slider from "@mui/material/Slider";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import type { GarmentRecord, Pop, Shot, WindRecord } from "../../api/client";
import { addWind, changeGarment, changeLeastSubsteps, changeTimeStretch, changeWind, type Gust, gustOf, removeWind, widenWind, windOf, windsOf } from "../../domain/edits";
import { useEdit, useReading } from "../../state/queries";
import { Panel, Section } from "../../ui/Card";
import { Fold } from "../../ui/Fold";
import { KeyedField } from "../../ui/KeyedField";
import { NumberField } from "../../ui/NumberField";
import { PopNote } from "../../ui/PopNote";

/** Wind, calm and time: what acts on the cloth apart from the cast, folded away until it is wanted. */
export function AirAndTime({ shot }: { shot: Shot }) {
  return (
    <Fold title="Wind, calm and time" said={summary(shot)}>
      <Winds shot={shot} winds={windsOf(shot.document)} />
      <Section title="Calm">
        <Typography sx={{ fontSize: 12, color: "text.secondary" }}>
          Takes out flutter. In wind the whole garment swings as before; where the body kicks it, it swings less too.
        </Typography>
        {shot.document.garments.map((garment) => (
          <CalmSlider key={garment.name} shot={shot} garment={garment} />
        ))}
      </Section>
      <TimeStretch shot={shot} />
      <LeastEffort shot={shot} />
    </Fold>
  );
}

/** What is set, in a few words. */
function summary(shot: Shot): string {
  const winds = windsOf(shot.document).length;
  const calmed = shot.document.garments.some((garment) => (garment.calm ?? 0) > 0);
  const parts = [winds === 0 ? "still air" : winds === 1 ? "1 wind" : `${winds} winds`];
  if (calmed) parts.push("calmed");
  if ((shot.document.time_stretch ?? 1) !== 1) parts.push("stretched");
  if ((shot.document.least_substeps ?? 1) !== 1) parts.push("effort raised");
  return parts.join(", ");
}

function Winds({ shot, winds }: { shot: Shot; winds: WindRecord[] }) {
  const edit = useEdit(shot);
  const pops = useReading(shot).data?.winds;
  return (
    <Section title="Wind">
      {winds.map((wind) => (
        <WindPanel key={wind.name} shot={shot} wind={wind} pops={pops?.[wind.name] ?? []} />
      ))}
      <Button
        variant="outlined"
        fullWidth
        onClick={() => {
          edit.mutate({ edit: addWind });
        }}
      >
        Let {winds.length === 0 ? "a" : "another"} wind blow
      </Button>
    </Section>
  );
}

function WindPanel({ shot, wind, pops }: { shot: Shot; wind: WindRecord; pops: Pop[] }) {
  const edit = useEdit(shot);
  const gust = gustOf(wind, shot.document.frames[0]);
  // Each change is made to the wind as the newest document has it: another may be under way.
  const change = (how: (newest: WindRecord) => WindRecord) => {
    edit.mutate({ edit: (document) => changeWind(document, wind.name, how) });
  };
  const keep = (how: (gust: Gust) => Partial<Gust>) => {
    change((newest) => {
      const now = gustOf(newest, shot.document.frames[0]);
      return now === null ? newest : windOf({ ...now, ...how(now) }, newest);
    });
  };
  return (
    <Panel label={`Wind ${wind.name}`}>
      <Typography sx={{ fontWeight: 600, fontSize: 13 }}>{wind.name}</Typography>
      {gust === null ? (
        <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", columnGap: 1 }}>
          <KeyedField label="Strength, m/s" value={wind.strength} low={0} high={60} keep={(strength) => { change((newest) => ({ ...newest, strength })); }} />
          <KeyedField label="Blows to, degrees" value={wind.heading} low={-360} high={360} keep={(heading) => { change((newest) => ({ ...newest, heading })); }} />
        </Box>
      ) : (
        <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", columnGap: 1 }}>
          <NumberField label="Strength, m/s" value={gust.strength} low={0} high={60} keep={(strength) => { keep(() => ({ strength })); }} />
          <NumberField label="Blows to, degrees" value={gust.heading} low={-360} high={360} keep={(heading) => { keep(() => ({ heading })); }} />
          <NumberField label="Still until frame" value={gust.from} whole keep={(from) => { keep((now) => ({ from, full: Math.max(from, now.full) })); }} />
          <NumberField label="Full from frame" value={gust.full} whole low={gust.from} keep={(full) => { keep(() => ({ full })); }} />
          <NumberField label="Gustiness, %" value={Math.round(gust.turbulence * 100)} low={0} high={200} keep={(percent) => { keep(() => ({ turbulence: percent / 100 })); }} />
        </Box>
      )}
      {pops.map((pop) => (
        <PopNote key={`${pop.keyed} ${pop.first}`} pop={pop} widen={() => { edit.mutate({ edit: (document) => widenWind(document, wind.name, pop) }); }} />
      ))}
      <Typography sx={{ fontSize: 12, color: "text.secondary" }}>0 degrees blows along x, 90 along z.</Typography>
      <Button
        aria-label={`Take out ${wind.name}`}
        onClick={() => {
          edit.mutate({ edit: (document) => removeWind(document, wind.name) });
        }}
        sx={{ ml: -0.75, fontWeight: 400, fontSize: 12.5 }}
      >
        Take out
      </Button>
    </Panel>
  );
}

function CalmSlider({ shot, garment }: { shot: Shot; garment: GarmentRecord }) {
  const edit = useEdit(shot);
  const kept = Math.round((garment.calm ?? 0) * 100);
  const [percent, setPercent] = useState(kept);
  const [seen, setSeen] = useState(kept);
  if (seen !== kept) {
    setSeen(kept);
    setPercent(kept);
  }
  const id = `calm-${garment.name}`;
  return (
    <Box sx={{ px: 0.5 }}>
      <Typography id={id} sx={{ fontSize: 12.5, mt: 0.5 }}>
        {garment.name}: <span className="figure">{percent} %</span>
      </Typography>
      <Slider
        aria-labelledby={id}
        value={percent}
        min={0}
        max={100}
        step={5}
        onChange={(_, value) => {
          setPercent(value as number);
        }}
        onChangeCommitted={(_, value) => {
          const calm = (value as number) / 100;
          if (calm !== garment.calm) edit.mutate({ edit: (document) => changeGarment(document, garment.name, { calm }, `calm ${value as number} %`) });
        }}
      />
    </Box>
  );
}

function TimeStretch({ shot }: { shot: Shot }) {
  const edit = useEdit(shot);
  const stretch = shot.document.time_stretch ?? 1;
  return (
    <Section title="Time">
      <KeyedField
        label="Seconds for the cloth per second of the shot"
        value={stretch}
        low={0.05}
        high={50}
        keep={(value) => {
          edit.mutate({ edit: (document) => changeTimeStretch(document, value) });
        }}
      />
    </Section>
  );
}

/** The floor of the effort; the engine goes above it by itself where motion is fast. */
function LeastEffort({ shot }: { shot: Shot }) {
  const edit = useEdit(shot);
  const least = shot.document.least_substeps ?? 1;
  return (
    <Section title="Effort">
      <KeyedField
        label="Substeps per frame, at least"
        value={least}
        low={1}
        high={32}
        keep={(value) => {
          edit.mutate({ edit: (document) => changeLeastSubsteps(document, value) });
        }}
      />
      <Typography sx={{ fontSize: 12, color: "text.secondary" }}>More are taken by themselves where the motion is fast.</Typography>
    </Section>
  );
}
