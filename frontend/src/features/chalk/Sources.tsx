import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useRef, useState } from "react";
import { bringIn, type GarmentReading, type MapRecord, type Reading, type Shot, type StepRecord, type Uploaded } from "../../api/client";
import { addStep, mapsOf } from "../../domain/chalk";
import { choiceSaid, PLAIN_CHOICE } from "../../domain/holds";
import { useFacts } from "../../state/facts";
import { complain, useEdit } from "../../state/queries";
import { notify, useRoom } from "../../state/room";
import { Fold } from "../../ui/Fold";
import { NumberField } from "../../ui/NumberField";
import { Pick } from "../../ui/Pick";

export type Add = (step: StepRecord) => void;

interface Of {
  shot: Shot;
  garment: string;
}

/** A gradient along a line that is drawn on the cloth. */
export function AlongLine() {
  const line = useRoom((room) => room.line);
  const set = useRoom((room) => room.set);
  const [ends, setEnds] = useState<[number, number]>([0, 1]);
  return (
    <Fold title="Along a line" said="drawn on the cloth">
      <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", columnGap: 1 }}>
        <NumberField label="Value at the start" value={ends[0]} low={0} high={1} keep={(value) => { setEnds([value, ends[1]]); }} />
        <NumberField label="Value at the end" value={ends[1]} low={0} high={1} keep={(value) => { setEnds([ends[0], value]); }} />
      </Box>
      <Button variant={line === null ? "outlined" : "contained"} fullWidth aria-pressed={line !== null} onClick={() => { set({ line: line === null ? ends : null }); }}>
        {line === null ? "Draw the line" : "Press and pull over the cloth"}
      </Button>
    </Fold>
  );
}

/** From what the garment keeps chosen, from a seam of it or a piece. */
export function FromKept({ shot, garment, read, add }: Of & { read: GarmentReading | undefined; add: Add }) {
  const kept = shot.document.garments.find((one) => one.name === garment)?.choices ?? [];
  const parts = [...(read?.rows ?? []).map((name) => ({ name, said: "seam" })), ...(read?.groups ?? []).map((name) => ({ name, said: (read?.rows ?? []).length > 0 ? "piece" : "group" }))];
  const every = [
    ...kept.map((one) => ({ value: `kept ${one.name}`, name: `${one.name} · ${choiceSaid(one.choose)}`, choose: { ...PLAIN_CHOICE, named: one.name } })),
    ...parts.map((one) => ({ value: `part ${one.name}`, name: `${one.name} · ${one.said}`, choose: { ...PLAIN_CHOICE, group: one.name } })),
  ];
  const [wanted, setWanted] = useState("");
  const [reach, setReach] = useState(60);
  const choice = every.find((one) => one.value === wanted) ?? every[0];
  return (
    <Fold title="From a choice, a seam, a piece" said={every.length === 0 ? "none is kept yet" : `${every.length} to choose from`}>
      {choice === undefined ? (
        <Typography sx={{ fontSize: 12.5 }}>Choose cloth on the Fasten bench and keep the choice under a name.</Typography>
      ) : (
        <>
          <Pick label="Choice" value={choice.value} options={every} keep={setWanted} />
          <NumberField label="Falls to 0 within, mm" value={reach} low={1} high={100_000} keep={setReach} />
          <Button variant="outlined" fullWidth onClick={() => { add({ kind: "from_choice", choose: choice.choose, reach_mm: reach, values: [1, 0] }); }}>
            Shade it from there
          </Button>
        </>
      )}
    </Fold>
  );
}

/** From the weights of a body's joints, or from how far the body is. */
export function FromBody({ reading, add }: { reading: Reading | undefined; add: Add }) {
  // Who has joints comes first: that is the body.
  const cast = Object.entries(reading?.cast ?? {}).sort(([, a], [, b]) => Math.sign(b.joints.length - a.joints.length));
  const [wanted, setWanted] = useState("");
  const [joints, setJoints] = useState<string[]>([]);
  const [reach, setReach] = useState(50);
  const [member, read] = cast.find(([name]) => name === wanted) ?? cast[0] ?? ["", undefined];
  if (read === undefined) return null;
  const meant = joints.filter((joint) => read.joints.includes(joint));
  return (
    <Fold title="From a body" said="its weights, its distance">
      <Pick label="Of" value={member} options={cast.map(([name]) => ({ value: name, name }))} keep={setWanted} />
      {read.joints.length > 0 && (
        <>
          <TextField
            select
            label="Skin weights of joints"
            margin="dense"
            value={meant}
            slotProps={{ select: { multiple: true } }}
            onChange={(event) => {
              const next: unknown = event.target.value;
              setJoints(Array.isArray(next) ? next.map(String) : [String(next)]);
            }}
          >
            {read.joints.map((joint) => (
              <MenuItem key={joint} value={joint}>
                {joint}
              </MenuItem>
            ))}
          </TextField>
          <Button variant="outlined" fullWidth disabled={meant.length === 0} onClick={() => { add({ kind: "from_weights", member, joints: meant }); }}>
            Take their weights
          </Button>
        </>
      )}
      <NumberField label="Falls to 0 within, mm" value={reach} low={1} high={100_000} keep={setReach} />
      <Button variant="outlined" fullWidth onClick={() => { add({ kind: "from_distance", member, reach_mm: reach, values: [1, 0] }); }}>
        Shade it by distance
      </Button>
    </Fold>
  );
}

/** A map of another garment, by nearness. */
export function FromGarment({ shot, garment, add }: Of & { add: Add }) {
  const every = shot.document.garments
    .filter((one) => one.name !== garment)
    .flatMap((one) => mapsOf(shot.document, one.name).map((map) => ({ value: `${one.name}/${map.name}`, name: `${map.name} of the ${one.name}`, garment: one.name, map: map.name })));
  const [wanted, setWanted] = useState("");
  const [reach, setReach] = useState(50);
  const from = every.find((one) => one.value === wanted) ?? every[0];
  if (from === undefined) return null;
  return (
    <Fold title="From another garment" said={`${every.length} to choose from`}>
      <Pick label="Map" value={from.value} options={every} keep={setWanted} />
      <NumberField label="Reach, mm" value={reach} low={1} high={100_000} keep={setReach} />
      <Button variant="outlined" fullWidth onClick={() => { add({ kind: "from_garment", garment: from.garment, map: from.map, reach_mm: reach }); }}>
        Take it over
      </Button>
    </Fold>
  );
}

/** From a picture over the UVs, or a mesh of the same vertices with values. */
export function FromFile({ shot, garment, map, vertices }: Of & { map: MapRecord; vertices: number | undefined }) {
  const endings = useFacts().maps_in;
  const edit = useEdit(shot);
  const chooser = useRef<HTMLInputElement>(null);
  const [found, setFound] = useState<Uploaded | null>(null);
  const take = (file: Uploaded, named: string | null) => {
    setFound(null);
    const given = file.values.find((one) => one.name === named)?.count;
    if (file.picture === null && given === undefined) {
      notify(`${file.name} has no values of vertices`, "Bring in a grey PNG, or a PLY or USD mesh with a property of one number to a vertex", true);
      return;
    }
    if (given !== undefined && vertices !== undefined && given !== vertices) {
      notify(`${file.name} has values for ${given} vertices, the ${garment} has ${vertices}`, "Save the map from this mesh, or bring in the mesh that it was made for", true);
      return;
    }
    edit.mutate({
      edit: (document) => addStep(document, garment, map.name, { kind: "from_file", file: file.name, named }),
      uploads: { [file.name]: file.sha },
      onNewest: true,
    });
  };
  const hear = (file: File | undefined) => {
    if (file === undefined) return;
    bringIn(file, () => undefined)
      .then((one) => {
        if (one.values.length > 1) setFound(one);
        else take(one, one.values[0]?.name ?? null);
      })
      .catch(complain)
      .finally(() => {
        if (chooser.current !== null) chooser.current.value = "";
      });
  };
  return (
    <Fold title="From a file" said="PNG, PLY, USD">
      <Typography sx={{ fontSize: 12, color: "text.secondary", mb: 0.5 }}>A grey PNG over the UVs, or a PLY or USD mesh of the same vertices with values from 0 to 1.</Typography>
      <Button variant="outlined" fullWidth onClick={() => chooser.current?.click()}>
        Bring in a map…
      </Button>
      <input ref={chooser} type="file" hidden accept={endings.join(",")} aria-label="Map to bring in" onChange={(event) => { hear(event.target.files?.[0]); }} />
      {found !== null && (
        <Box role="group" aria-label="Which values" sx={{ mt: 0.75 }}>
          <Typography sx={{ fontSize: 12.5 }}>Which of its values?</Typography>
          {found.values.map((one) => (
            <Button key={`${one.mesh} ${one.name}`} size="small" variant="outlined" sx={{ mr: 0.5, mt: 0.5 }} onClick={() => { take(found, one.name); }}>
              {one.name} · {one.count} vertices
            </Button>
          ))}
        </Box>
      )}
    </Fold>
  );
}
