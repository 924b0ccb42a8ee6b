import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import { useEffect, useState } from "react";
import { type BorderReading, type Choice, floats, part, type Shot, verticesOf } from "../../api/client";
import { freeName, holdsOf } from "../../domain/edits";
import { addHold, borderOf, type Kind, KINDS, newHold, targetsOf } from "../../domain/holds";
import { complain, useEdit } from "../../state/queries";
import { useRoom } from "../../state/room";
import { Section } from "../../ui/Card";
import { Pick } from "../../ui/Pick";
import { placeOf } from "../../ui/Choosing";

interface NewHoldProps {
  shot: Shot;
  garment: string;
  borders: readonly BorderReading[];
}

/** The hold that what is chosen would get. */
export function NewHold({ shot, garment, borders }: NewHoldProps) {
  const chosen = useRoom((room) => room.chosen);
  const set = useRoom((room) => room.set);
  const [kind, setKind] = useState<Kind>("follows");
  const [wanted, setWanted] = useState("");
  const [name, setName] = useState("");
  const edit = useEdit(shot);
  const taken = holdsOf(shot.document, garment).map((hold) => hold.name);
  const border = borderOf(chosen, borders);
  const place = border === undefined ? (chosen?.named ?? "hold") : placeOf(border, borders).toLowerCase();
  const suggested = chosen === null ? "" : freeName(place, taken);
  useEffect(() => {
    setName(suggested);
  }, [suggested]);
  if (chosen === null) return null;
  const targets = targetsOf(shot, garment, kind);
  const to = targets.includes(wanted) ? wanted : targets[0];
  const needs = kind !== "handle" && kind !== "elastic";
  const usable = name.trim() !== "" && !taken.includes(name.trim());
  const make = async () => {
    const middle = kind === "handle" ? await middleOf(shot, garment, chosen) : [];
    const hold = newHold(kind, name.trim(), chosen, to ?? "", middle);
    edit.mutate(
      { edit: (document) => addHold(document, garment, hold) },
      {
        onSuccess: () => {
          set({ chosen: null, litBorder: null, hold: hold.name });
        },
      },
    );
  };
  return (
    <Section title="Hold it">
      <Pick label="How" value={kind} options={KINDS.map((one) => ({ value: one.kind, name: one.name }))} keep={(next) => { setKind(next as Kind); }} />
      <TextField label="Name" value={name} margin="dense" error={!usable} onChange={(event) => { setName(event.target.value); }} />
      {needs && <Pick label="To" value={to ?? ""} options={targets.map((one) => ({ value: one, name: one }))} keep={setWanted} />}
      <Button
        variant="contained"
        fullWidth
        disabled={!usable || (needs && to === undefined) || edit.isPending}
        sx={{ py: 0.9, mt: 0.5 }}
        onClick={() => {
          make().catch(complain);
        }}
      >
        {saidOf(kind, to)}
      </Button>
    </Section>
  );
}

function saidOf(kind: Kind, to: string | undefined): string {
  if (kind === "handle") return "Give it a handle";
  if (kind === "elastic") return "Draw it together";
  if (to === undefined) return kind === "stitched" ? "There is no other garment" : "There is nobody to hold it to";
  return { follows: `Hold it to the ${to}`, sticks: `Stick it to the ${to}`, stitched: `Stitch it to the ${to}`, tether: `Tether it to the ${to}` }[kind];
}

/** The middle of what is chosen, m, as the garment was made. */
async function middleOf(shot: Shot, garment: string, chosen: Choice): Promise<number[]> {
  const base = `/api/shots/${shot.id}/revisions/${shot.revision}/garments/${part(garment)}`;
  const [{ values }, vertices] = await Promise.all([floats(`${base}/mesh/rest`), verticesOf(`${base}/chosen`, chosen)]);
  const sum = [0, 0, 0];
  for (const vertex of vertices) for (let axis = 0; axis < 3; axis += 1) sum[axis] = (sum[axis] ?? 0) + (values[3 * vertex + axis] ?? 0);
  return sum.map((value) => value / Math.max(1, vertices.length));
}
