import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState } from "react";
import type { BorderReading, MapRecord, Reading, Shot, StepRecord } from "../../api/client";
import { addStep } from "../../domain/chalk";
import { PLAIN_CHOICE } from "../../domain/holds";
import { useEdit } from "../../state/queries";
import { Section } from "../../ui/Card";
import { Fold } from "../../ui/Fold";
import { NumberField } from "../../ui/NumberField";
import { Pick } from "../../ui/Pick";
import { placeOf } from "../../ui/Choosing";
import { type Add, AlongLine, FromBody, FromFile, FromGarment, FromKept } from "./Sources";

interface RulesProps {
  shot: Shot;
  garment: string;
  map: MapRecord;
  maps: readonly MapRecord[];
  reading: Reading | undefined;
}


/** What a hand is slow at: fills, gradients, changes of all values at once. */
export function Rules({ shot, garment, map, maps, reading }: RulesProps) {
  const borders = reading?.garments[garment]?.borders ?? [];
  const edit = useEdit(shot);
  const add = (step: StepRecord) => { edit.mutate({ edit: (document) => addStep(document, garment, map.name, step), onNewest: true }); };
  const others = maps.filter((one) => one.name !== map.name);
  return (
    <Section title="By rule">
      <Fill add={add} />
      <ByHeight add={add} borders={borders} />
      {borders.length > 0 && <FromBorder add={add} borders={borders} />}
      <AlongLine />
      <FromKept shot={shot} garment={garment} read={reading?.garments[garment]} add={add} />
      <FromBody reading={reading} add={add} />
      <FromGarment shot={shot} garment={garment} add={add} />
      <FromFile shot={shot} garment={garment} map={map} vertices={reading?.garments[garment]?.vertices} />
      <Fold title="All values" said="invert, clamp, smooth, mirror">
        <Changes add={add} />
      </Fold>
      {others.length > 0 && (
        <Fold title="With another map" said={`${others.length} to choose from`}>
          <Together add={add} others={others} />
        </Fold>
      )}
    </Section>
  );
}

function Fill({ add }: { add: Add }) {
  const [fill, setFill] = useState(1);
  return (
    <Fold title="Fill" said="the same everywhere">
      <NumberField label="Value" value={fill} low={0} high={1} keep={setFill} />
      <Button variant="outlined" fullWidth onClick={() => { add({ kind: "fill", value: fill }); }}>Fill all of it</Button>
    </Fold>
  );
}

function ByHeight({ add, borders }: { add: Add; borders: readonly BorderReading[] }) {
  const heights = borders.map((border) => border.height);
  const [low, setLow] = useState(Math.min(...heights, 1));
  const [high, setHigh] = useState(Math.max(...heights, low + 0.1));
  return (
    <Fold title="By height" said="from below to above">
      <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", columnGap: 1 }}>
        <NumberField label="0 below, m" value={low} keep={setLow} />
        <NumberField label="1 above, m" value={high} keep={setHigh} />
      </Box>
      <Button variant="outlined" fullWidth disabled={low === high} onClick={() => { add({ kind: "along", start: [0, low, 0], end: [0, high, 0], values: [0, 1] }); }}>
        Shade it by height
      </Button>
    </Fold>
  );
}

function FromBorder({ add, borders }: { add: Add; borders: readonly BorderReading[] }) {
  const [index, setIndex] = useState(String(borders[0]?.index ?? 0));
  const [reach, setReach] = useState(100);
  const [row, setRow] = useState(0);
  const border = borders.find((one) => String(one.index) === index) ?? borders[0];
  if (border === undefined) return null;
  return (
    <Fold title="From a border" said="along the cloth">
      <Pick label="Border" value={String(border.index)} options={borders.map((one) => ({ value: String(one.index), name: placeOf(one, borders) }))} keep={setIndex} />
      <NumberField label="Row, edges in from the border" value={row} low={0} high={500} keep={(value) => { setRow(Math.round(value)); }} />
      <NumberField label="Falls to 0 within, mm" value={reach} low={1} high={100_000} keep={setReach} />
      <Button
        variant="outlined"
        fullWidth
        onClick={() => { add({ kind: "from_choice", choose: { ...PLAIN_CHOICE, ...border.choose, row }, reach_mm: reach, values: [1, 0] }); }}
      >
        Shade it from there
      </Button>
    </Fold>
  );
}

function Changes({ add }: { add: Add }) {
  const [over, setOver] = useState(30);
  const [times, setTimes] = useState(0.5);
  const [ends, setEnds] = useState<[number, number]>([0, 0.5]);
  return (
    <>
      <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", gap: 0.75, alignItems: "center" }}>
        <Button variant="outlined" onClick={() => { add({ kind: "change", how: "invert", amount: 1, other: 1 }); }}>Invert</Button>
        <Button variant="outlined" onClick={() => { add({ kind: "mirror", side: 1 }); }}>Left to right</Button>
        <NumberField label="Over, mm" value={over} low={1} high={2000} keep={setOver} />
        <Button variant="outlined" onClick={() => { add({ kind: "change", how: "smooth", amount: over, other: 1 }); }}>Smooth</Button>
        <NumberField label="By" value={times} low={0} high={100} keep={setTimes} />
        <Button variant="outlined" onClick={() => { add({ kind: "change", how: "scale", amount: times, other: 1 }); }}>Scale</Button>
        <Box sx={{ display: "flex", gap: 0.5 }}>
          <NumberField label="From" value={ends[0]} low={0} high={1} keep={(low) => { setEnds([low, Math.max(low, ends[1])]); }} />
          <NumberField label="To" value={ends[1]} low={0} high={1} keep={(high) => { setEnds([Math.min(high, ends[0]), high]); }} />
        </Box>
        <Button variant="outlined" onClick={() => { add({ kind: "change", how: "clamp", amount: ends[0], other: ends[1] }); }}>Clamp</Button>
      </Box>
    </>
  );
}

const WAYS = [
  { value: "multiply", name: "Times it" },
  { value: "least", name: "The lesser of both" },
  { value: "most", name: "The greater of both" },
] as const;

function Together({ add, others }: { add: Add; others: readonly MapRecord[] }) {
  const [other, setOther] = useState(others[0]?.name ?? "");
  const [how, setHow] = useState<(typeof WAYS)[number]["value"]>("multiply");
  const named = others.some((one) => one.name === other) ? other : (others[0]?.name ?? "");
  return (
    <>
      <Pick label="Map" value={named} options={others.map((one) => ({ value: one.name, name: one.name }))} keep={setOther} />
      <Pick label="How" value={how} options={WAYS} keep={(value) => { setHow(WAYS.find((one) => one.value === value)?.value ?? "multiply"); }} />
      <Button variant="outlined" fullWidth onClick={() => { add({ kind: "with_map", map: named, how }); }}>Put them together</Button>
    </>
  );
}
