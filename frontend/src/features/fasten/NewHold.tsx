import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import Slider from "@mui/material/Slider";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useEffect, useState } from "react";
import type { BorderReading, Shot } from "../../api/client";
import { addHold, freeName, holdsOf } from "../../domain/edits";
import { useEdit } from "../../state/queries";
import { useRoom } from "../../state/room";
import { Section } from "../../ui/Card";
import { placeOf } from "./FastenCard";

/** The hold that the chosen border would get. */
export function NewHold({ shot, garment, borders }: { shot: Shot; garment: string; borders: readonly BorderReading[] }) {
  const chosen = useRoom((room) => room.chosenBorder);
  const rings = useRoom((room) => room.rings);
  const set = useRoom((room) => room.set);
  const border = borders.find((one) => one.index === chosen);
  const cast = shot.document.cast ?? [];
  const [follows, setFollows] = useState("");
  const [name, setName] = useState("");
  const taken = holdsOf(shot.document, garment).map((hold) => hold.name);
  const edit = useEdit(shot);
  const suggested = border === undefined ? "" : freeName(placeOf(border, borders).toLowerCase(), taken);
  useEffect(() => {
    setName(suggested);
  }, [suggested]);
  if (border === undefined) return null;
  const to = cast.some((member) => member.name === follows) ? follows : (cast.find((m) => m.kind === "character") ?? cast[0])?.name;
  const usable = name.trim() !== "" && !taken.includes(name.trim());
  return (
    <Section title="Hold it">
      <TextField
        label="Name"
        value={name}
        margin="dense"
        error={!usable}
        onChange={(event) => {
          setName(event.target.value);
        }}
      />
      <TextField
        select
        label="To"
        value={to ?? ""}
        margin="dense"
        onChange={(event) => {
          setFollows(event.target.value);
        }}
      >
        {cast.map((member) => (
          <MenuItem key={member.name} value={member.name}>
            {member.name}
          </MenuItem>
        ))}
      </TextField>
      <Typography id="rows" sx={{ fontSize: 12.5, mt: 0.5 }}>
        Rows beyond the border: <span className="figure">{rings}</span>
      </Typography>
      <Slider
        aria-labelledby="rows"
        value={rings}
        min={0}
        max={12}
        onChange={(_, value) => {
          set({ rings: value as number });
        }}
      />
      <Button
        variant="contained"
        fullWidth
        disabled={!usable || to === undefined || edit.isPending}
        sx={{ py: 0.9 }}
        onClick={() => {
          if (to === undefined) return;
          edit.mutate(
            { edit: (document) => addHold(document, garment, { name: name.trim(), choose: { ...border.choose, rings }, follows: to }) },
            {
              onSuccess: () => {
                set({ chosenBorder: null, litBorder: null, rings: 0 });
              },
            },
          );
        }}
      >
        {to === undefined ? "There is nobody to hold it to" : `Hold it to the ${to}`}
      </Button>
    </Section>
  );
}
