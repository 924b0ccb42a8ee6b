import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Divider from "@mui/material/Divider";
import IconButton from "@mui/material/IconButton";
import MenuItem from "@mui/material/MenuItem";
import Select from "@mui/material/Select";
import Typography from "@mui/material/Typography";
import { useEffect, useRef } from "react";
import { importShot, type Shot, type ShotLine, type Workroom } from "../api/client";
import { freeName } from "../domain/edits";
import { bytes, count } from "../domain/words";
import { client, complain, keys, useNewShot, usePending, useStepBack } from "../state/queries";
import { useRoom } from "../state/room";
import { NeedleMark } from "./NeedleMark";

const NEW = -1;
const IMPORT = -2;

export interface HeaderProps {
  shots: ShotLine[];
  shot: Shot | undefined;
  workroom: Workroom | undefined;
  open(id: number): void;
}

/** The top line: which shot, what can be taken back, how the house is. */
export function Header({ shots, shot, workroom, open }: HeaderProps) {
  const theme = useRoom((room) => room.theme);
  const set = useRoom((room) => room.set);
  const make = useNewShot(open);
  const chooser = useRef<HTMLInputElement>(null);
  const bring = (file: File | undefined) => {
    if (file === undefined) return;
    importShot(file)
      .then((made) => {
        void client.invalidateQueries({ queryKey: keys.shots });
        open(made.id);
      })
      .catch(complain);
  };
  const undo = useStepBack(shot, "undo");
  const redo = useStepBack(shot, "redo");
  return (
    <Box component="header" sx={{ gridColumn: "1 / -1", display: "flex", alignItems: "center", gap: 1.25, px: 2, borderBottom: 1, borderColor: "divider", minWidth: 0 }}>
      <NeedleMark />
      <input
        ref={chooser}
        type="file"
        hidden
        accept=".zip"
        aria-label="Shot to import"
        onChange={(event) => {
          bring(event.target.files?.[0]);
          event.target.value = "";
        }}
      />
      <Typography component="h1" sx={{ fontSize: 14.5, fontWeight: 600, whiteSpace: "nowrap" }}>
        Patient Needle
      </Typography>
      {shot !== undefined && (
        <>
          <Select
            variant="standard"
            disableUnderline
            value={shot.id}
            inputProps={{ "aria-label": "Shot" }}
            onChange={(event) => {
              if (event.target.value === NEW) make.mutate(freeName("New shot", shots.map((one) => one.name)));
              else if (event.target.value === IMPORT) chooser.current?.click();
              else open(event.target.value);
            }}
            sx={{ fontSize: 13.5, ml: 1 }}
          >
            {shots.map((one) => (
              <MenuItem key={one.id} value={one.id}>
                {one.name}
              </MenuItem>
            ))}
            <Divider />
            <MenuItem value={NEW}>Make a new shot</MenuItem>
            <MenuItem value={IMPORT}>Import a shot…</MenuItem>
          </Select>
          <Typography className="figure" sx={{ fontSize: 12.5, color: "text.secondary", whiteSpace: "nowrap" }}>
            {shot.document.frames[0]} to {shot.document.frames[1]} · {shot.document.frame_rate ?? 24}/s
          </Typography>
          <Button
            disabled={shot.undo_said === null}
            title={shot.undo_said === null ? "Nothing to undo" : `Undo: ${shot.undo_said}`}
            onClick={() => {
              undo.mutate();
            }}
          >
            Undo
          </Button>
          <Button
            disabled={shot.redo_said === null}
            title={shot.redo_said === null ? "Nothing to redo" : `Redo: ${shot.redo_said}`}
            onClick={() => {
              redo.mutate();
            }}
          >
            Redo
          </Button>
          <Button href={`/api/shots/${shot.id}/export`} title="The shot and its files as one zip, for ./needle sim or another workroom">
            Export
          </Button>
        </>
      )}
      <Pending shot={shot?.id} />
      <Box sx={{ flex: 1 }} />
      {workroom !== undefined && (
        <Typography sx={{ fontSize: 12.5, color: "text.secondary", whiteSpace: "nowrap" }}>
          {workroom.working > 0 ? `${workroom.working} at work` : "workers idle"} · {bytes(workroom.bytes_used)} kept
        </Typography>
      )}
      <Button
        aria-pressed={theme === "dimmed"}
        title="Change between daylight and a dimmed room"
        onClick={() => {
          const next = theme === "dimmed" ? "daylight" : "dimmed";
          window.localStorage.setItem("theme", next);
          set({ theme: next });
        }}
      >
        {theme === "dimmed" ? "Daylight" : "Dim"}
      </Button>
      <IconButton
        size="small"
        color="primary"
        aria-label="Keys and gestures"
        onClick={() => {
          set({ sheet: true });
        }}
        sx={{ fontSize: 15, width: 28, height: 28 }}
      >
        ?
      </IconButton>
    </Box>
  );
}

/** How many changes are not kept yet. */
function Pending({ shot }: { shot: number | undefined }) {
  const pending = usePending(shot);
  useEffect(() => {
    if (pending === 0) return;
    const ask = (event: BeforeUnloadEvent) => {
      event.preventDefault(); // the browser asks before it leaves the page
    };
    window.addEventListener("beforeunload", ask);
    return () => {
      window.removeEventListener("beforeunload", ask);
    };
  }, [pending]);
  return (
    <Typography role="status" noWrap sx={{ fontSize: 12.5, color: "text.secondary" }}>
      {pending > 0 && `keeping ${count(pending, "change")}…`}
    </Typography>
  );
}
