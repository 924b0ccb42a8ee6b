import Box from "@mui/material/Box";
import FormControlLabel from "@mui/material/FormControlLabel";
import LinearProgress from "@mui/material/LinearProgress";
import Switch from "@mui/material/Switch";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import type { Shot, Take } from "../../api/client";
import { bodiesSaid, bytes, faultsOf, patienceSaid, span, stretchSaid, takeState, when } from "../../domain/words";
import { useBeginFrom, useTakeDeed, useWearFinished } from "../../state/queries";
import { useRoom } from "../../state/room";
import { FaultNote, Panel, Small } from "../../ui/Card";
import { NameField } from "../../ui/NameField";
import { GoOn } from "./GoOn";

const MOST_SHOWN = 3; // takes side by side

/** One take: how it went, what it was made with, and what can be done with it. */
export function TakePanel({ shot, take }: { shot: Shot; take: Take }) {
  const shown = useRoom((room) => room.shown);
  const at = shown.indexOf(take.id);
  const faults = faultsOf(take);
  const stretched = stretchSaid(take);
  return (
    <Panel label={take.name}>
      <TakeName shot={shot} take={take} />
      <Typography sx={{ fontSize: 12, color: "text.secondary" }}>
        {take.origin === "simulated" ? (patienceSaid[take.patience] ?? take.patience) : take.origin} · {take.first} to {take.last} · {when(take.made_at)} · {bytes(Math.max(1, take.bytes))}
      </Typography>
      <Typography sx={{ fontSize: 12.5, fontWeight: 600 }}>{takeState(take)}</Typography>
      <Running take={take} />
      {stretched !== "" && (
        <Box sx={{ "& > p": { fontSize: 12.5, mt: 0.4, lineHeight: 1.35 } }}>
          <Typography>{stretched}</Typography>
          <Typography color={faults === "" ? undefined : "error"}>{faults === "" ? "no crossings with colliders or with itself" : faults}</Typography>
          {bodiesSaid(take).map(({ said, bad }) => (
            <Typography key={said} color={bad ? "error" : undefined}>
              {said}
            </Typography>
          ))}
        </Box>
      )}
      <AfterRunIn take={take} />
      {take.fault !== null && <FaultNote fault={take.fault} />}
      <Stale take={take} />
      <WearFinished shot={shot} take={take} />
      <Deeds shot={shot} take={take} at={at} />
    </Panel>
  );
}

/** What the run-in has not put right, as soon as it is over. */
function AfterRunIn({ take }: { take: Take }) {
  const lines = take.garments.flatMap((one) => one.after_run_in.map((said) => `${one.garment}: ${said}`));
  if (lines.length === 0) return null;
  return (
    <Box role="note" aria-label="After the run-in" sx={{ mt: 0.5, pl: 1, borderLeft: 3, borderColor: "warning.main" }}>
      <Typography sx={{ fontSize: 12.5, color: "warning.main", fontWeight: 600 }}>the run-in has not put everything right</Typography>
      {lines.map((line) => (
        <Typography key={line} sx={{ fontSize: 12 }}>
          {line}
        </Typography>
      ))}
    </Box>
  );
}

function TakeName({ shot, take }: { shot: Shot; take: Take }) {
  const [renaming, setRenaming] = useState(false);
  const deed = useTakeDeed(shot.id);
  if (renaming) {
    return (
      <NameField
        focus
        label="New name"
        value={take.name}
        keep={(name) => {
          deed.mutate({ take: take.id, deed: { do: "rename", name } });
        }}
        leave={() => {
          setRenaming(false);
        }}
      />
    );
  }
  return (
    <Box sx={{ display: "flex", alignItems: "baseline" }}>
      <Typography sx={{ fontWeight: 600, fontSize: 13.5, flex: 1, overflowWrap: "anywhere" }}>{take.name}</Typography>
      <Small
        label={`Rename ${take.name}`}
        act={() => {
          setRenaming(true);
        }}
      >
        Rename
      </Small>
    </Box>
  );
}

function Running({ take }: { take: Take }) {
  const onStage = useRoom((room) => room.shown[0] === take.id);
  const follow = useRoom((room) => room.follow);
  const set = useRoom((room) => room.set);
  if (take.state !== "running" && take.state !== "waiting") return null;
  const known = take.state === "running" && take.phase === "simulating";
  return (
    <Box sx={{ my: 0.5 }}>
      <LinearProgress variant={known ? "determinate" : "indeterminate"} value={(100 * take.done) / Math.max(1, take.total)} aria-label={`${take.name}, progress`} />
      <Typography className="figure" sx={{ fontSize: 11.5, mt: 0.25 }}>
        {take.done} of {take.total} frames
        {take.seconds_per_frame !== null && `, ${take.seconds_per_frame.toFixed(2)} s a frame`}
        {take.seconds_left !== null && `, ${span(take.seconds_left)} left`}
      </Typography>
      {onStage && (
        <FormControlLabel
          control={
            <Switch
              size="small"
              checked={follow}
              onChange={(event) => {
                set({ follow: event.target.checked });
              }}
            />
          }
          label="Follow the newest frame"
          slotProps={{ typography: { sx: { fontSize: 12.5 } } }}
        />
      )}
    </Box>
  );
}

function Stale({ take }: { take: Take }) {
  if (take.stale.length === 0) return null;
  return (
    <Box sx={{ mt: 0.5, pl: 1, borderLeft: 3, borderColor: "warning.main" }}>
      <Typography sx={{ fontSize: 12.5, color: "warning.main", fontWeight: 600 }}>stale: the shot has changed since</Typography>
      {take.stale.slice(0, 5).map((line) => (
        <Typography key={line} sx={{ fontSize: 12 }}>
          {line}
        </Typography>
      ))}
      {take.stale.length > 5 && <Typography sx={{ fontSize: 12 }}>and {take.stale.length - 5} more</Typography>}
    </Box>
  );
}

/** Where there is more than one garment: those of this take that can be worn as they are here. */
function WearFinished({ shot, take }: { shot: Shot; take: Take }) {
  const wear = useWearFinished(shot);
  const garments = shot.document.garments;
  if (take.state !== "finished" || garments.length < 2) return null;
  const left = garments.filter((garment) => !garment.finished && take.garments.some((one) => one.garment === garment.name));
  // The last one that is simulated stays so: there would be nothing left to run.
  if (garments.filter((garment) => !garment.finished).length < 2) return null;
  return (
    <Box sx={{ display: "flex", flexWrap: "wrap", ml: -0.75 }}>
      {left.map((garment) => (
        <Small
          key={garment.name}
          label={`Wear ${garment.name} as in ${take.name}`}
          off={wear.isPending}
          act={() => {
            wear.mutate({ take: take.id, garment: garment.name });
          }}
        >
          Finish the {garment.name}
        </Small>
      ))}
    </Box>
  );
}

/** Start the next runs from the pose this take has settled into. */
function BeginFrom({ shot, take }: { shot: Shot; take: Take }) {
  const begin = useBeginFrom(shot);
  const settled = take.garments.some(({ last }) => last !== null && last >= Math.min(take.first, take.first_simulated + shot.document.run_in.settle));
  if (!settled) return null;
  const now = shot.document.garments.some((one) => one.begins?.take === take.name);
  return (
    <Small
      label={`Start from its pose, ${take.name}’s`}
      pressed={now}
      off={begin.isPending || now}
      act={() => {
        begin.mutate(take.id);
      }}
    >
      Start from its pose
    </Small>
  );
}

function Deeds({ shot, take, at }: { shot: Shot; take: Take; at: number }) {
  const shown = useRoom((room) => room.shown);
  const set = useRoom((room) => room.set);
  const deed = useTakeDeed(shot.id);
  const [sure, setSure] = useState(false);
  const running = take.state === "running" || take.state === "waiting";
  const beside = at > 0;
  const room = shown.length < MOST_SHOWN && shown.some((id) => id !== take.id);
  return (
    <Box sx={{ display: "flex", flexWrap: "wrap", ml: -0.75, mt: 0.25 }}>
      <Small
        label={`Show ${take.name}`}
        pressed={at === 0 && shown.length === 1}
        act={() => {
          set({ shown: [take.id] });
        }}
      >
        Show
      </Small>
      <Small
        label={`Show ${take.name} beside`}
        pressed={beside}
        off={!beside && !room}
        act={() => {
          set({ shown: beside ? shown.filter((id) => id !== take.id) : [...shown.filter((id) => id !== take.id), take.id] });
        }}
      >
        Beside
      </Small>
      {running && (
        <Small
          label={`Stop ${take.name}`}
          off={take.stopping}
          act={() => {
            deed.mutate({ take: take.id, deed: { do: "stop" } });
          }}
        >
          Stop
        </Small>
      )}
      {!running && take.state === "finished" && (
        <Small
          label={`Mend ${take.name}`}
          act={() => {
            set({ mending: take.id, shown: [take.id], follow: false, frame: Math.max(take.first, useRoom.getState().frame) });
          }}
        >
          Mend
        </Small>
      )}
      {!running && take.origin === "simulated" && <GoOn shot={shot} take={take} />}
      {take.origin === "simulated" && <BeginFrom shot={shot} take={take} />}
      {take.state !== "running" && (
        <Small
          label={sure ? `Really delete ${take.name}` : `Delete ${take.name}`}
          act={() => {
            if (!sure) {
              setSure(true);
              return;
            }
            set({ shown: shown.filter((id) => id !== take.id) });
            deed.mutate({ take: take.id, deed: { do: "delete" } });
          }}
        >
          {sure ? `Really delete? frees ${bytes(Math.max(1, take.bytes))}` : "Delete"}
        </Small>
      )}
    </Box>
  );
}
