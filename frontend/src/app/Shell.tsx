import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import LinearProgress from "@mui/material/LinearProgress";
import Typography from "@mui/material/Typography";
import { useEffect, useMemo, useState } from "react";
import type { Delivery, Reading, Shot, Take } from "../api/client";
import { newestFrame } from "../domain/pulse";
import { threadOf } from "../domain/thread";
import { CastCard } from "../features/cast/CastCard";
import { ChalkCard } from "../features/chalk/ChalkCard";
import { DrapeCard } from "../features/drape/DrapeCard";
import { FastenCard } from "../features/fasten/FastenCard";
import { HandoffCard } from "../features/handoff/HandoffCard";
import { MendCard } from "../features/mend/MendCard";
import { TakesCard } from "../features/takes/TakesCard";
import { WardrobeCard } from "../features/wardrobe/WardrobeCard";
import { StageView } from "../view/StageView";
import { useEvents } from "../state/events";
import { useDeliveries, useNewShot, useReading, useShot, useShots, useTakes, useWorkroom } from "../state/queries";
import { useMend } from "../state/mend";
import { useRoom } from "../state/room";
import { Banner } from "./Banner";
import { ClashNote } from "./ClashNote";
import { Header } from "./Header";
import { Notice } from "./Notice";
import { Sheet } from "./Sheet";
import { useShortcuts } from "./shortcuts";
import { Tape } from "./Tape";
import { Thread } from "./Thread";

const NO_TAKES: Take[] = [];
const NO_DELIVERIES: Delivery[] = [];

/** The frame of the workroom: thread, stage, work card, tape. */
export function Shell() {
  useEvents();
  const shots = useShots();
  const id = useRoom((room) => room.shot);
  const set = useRoom((room) => room.set);
  const shot = useShot(id).data;
  const workroom = useWorkroom();
  useOpened(shots.data?.[0]?.id, shot);
  const open = (next: number) => {
    set({ shot: next, shown: [], garment: null, chosen: null, litBorder: null, hold: null, lane: null, leavingOut: null, mending: null, playing: false, follow: false, loop: null, staged: null });
  };
  return (
    <Box sx={{ height: "100vh", display: "grid", gridTemplate: "40px minmax(0, 1fr) auto / 158px minmax(0, 1fr) 300px" }}>
      <Header shots={shots.data ?? []} shot={shot} workroom={workroom.data} open={open} />
      <Banner workroom={workroom.data} error={workroom.error} />
      {shot === undefined ? <Waiting empty={shots.data?.length === 0} open={open} /> : <OpenShot key={shot.id} shot={shot} />}
      <ClashNote />
      <Notice />
      <Sheet />
    </Box>
  );
}

/** Open the first shot, and stand at its first frame when another one is opened. */
function useOpened(first: number | undefined, shot: Shot | undefined): void {
  const set = useRoom((room) => room.set);
  const id = useRoom((room) => room.shot);
  useEffect(() => {
    if (id === null && first !== undefined) set({ shot: first });
  }, [id, first, set]);
  const opened = shot?.id;
  const start = shot === undefined ? 0 : shot.first_simulated;
  useEffect(() => {
    if (opened !== undefined) set({ frame: start });
    // Only when another shot is opened: an edit of the run-in leaves the frame alone.
  }, [opened, set]);
}

/** A frame that an edit of the range has left outside comes back to the nearest end; who stood at the start of the
 * run-in stays there, where the garments are to be seen as they were made. */
function useFrameWithin(first: number, last: number): void {
  const frame = useRoom((room) => room.frame);
  const set = useRoom((room) => room.set);
  const [start, setStart] = useState(first);
  const within = frame === start ? first : Math.min(last, Math.max(first, frame));
  useEffect(() => {
    setStart(first);
    if (within !== frame) set({ frame: within, playing: false });
  }, [within, frame, first, set]);
}

function OpenShot({ shot }: { shot: Shot }) {
  const bench = useRoom((room) => room.bench);
  const shownIds = useRoom((room) => room.shown);
  const set = useRoom((room) => room.set);
  const takes = useTakes(shot.id).data ?? NO_TAKES;
  const deliveries = useDeliveries(shot.id).data ?? NO_DELIVERIES;
  const { data: reading, error, refetch } = useReading(shot);
  const failed = useMemo(() => (error === null ? null : { error, again: () => void refetch() }), [error, refetch]);
  const { shown, ready } = useShown(shownIds, takes);
  const newest = takes[0]?.id;
  useEffect(() => {
    if (shownIds.length === 0 && newest !== undefined) set({ shown: [newest] });
  }, [shownIds, newest, set]);
  const last = Math.max(shot.document.frames[1], shown[0]?.last ?? -Infinity);
  useFrameWithin(shot.first_simulated, last);
  useFollowing(shown[0]);
  useShortcuts(shot.first_simulated, last);
  const knots = useMemo(() => threadOf(shot.document, reading, takes, deliveries, shot.stale_fittings), [shot, reading, takes, deliveries]);
  return (
    <>
      <Thread
        knots={knots}
        bench={bench}
        go={(next) => {
          set({ bench: next });
        }}
      />
      <StageView shot={shot} reading={reading} failed={failed} shown={shown} ready={ready} />
      <WorkCard shot={shot} reading={reading} takes={takes} deliveries={deliveries} />
      <Tape shot={shot} reading={reading} take={shown[0]} />
    </>
  );
}

/** The takes on the stage. On the Mend bench: the take that is mended, beside it or flicked to what it mends. */
function useShown(shownIds: readonly number[], takes: readonly Take[]): { shown: Take[]; ready: Take[] } {
  const mending = useRoom((room) => (room.bench === "takes" ? room.mending : null));
  const before = useMend((mend) => mend.before);
  const beside = useMend((mend) => mend.beside);
  return useMemo(() => {
    const found = (ids: readonly (number | null)[]) => ids.map((one) => takes.find((take) => take.id === one)).filter((take) => take !== undefined);
    const [take] = found([mending]);
    if (take === undefined) return { shown: found(shownIds), ready: [] };
    const base = found([take.mends]);
    if (beside && base.length > 0) return { shown: [...base, take], ready: [] };
    return before && base.length > 0 ? { shown: base, ready: [take] } : { shown: [take], ready: base };
  }, [shownIds, takes, mending, before, beside]);
}

/** Stand at the newest frame of a take that runs, for as long as nobody chooses another frame. */
function useFollowing(take: Take | undefined): void {
  const follow = useRoom((room) => room.follow);
  const set = useRoom((room) => room.set);
  const running = take?.state === "running";
  const newest = take === undefined || !running ? null : newestFrame(take);
  useEffect(() => {
    if (follow && newest !== null) set({ frame: newest, playing: false });
  }, [follow, newest, set]);
  useEffect(() => {
    if (follow && take !== undefined && !running && take.state !== "waiting") set({ follow: false });
  }, [follow, take, running, set]);
}

function WorkCard(props: { shot: Shot; reading: Reading | undefined; takes: Take[]; deliveries: Delivery[] }) {
  const bench = useRoom((room) => room.bench);
  switch (bench) {
    case "cast":
      return <CastCard {...props} />;
    case "wardrobe":
      return <WardrobeCard {...props} />;
    case "chalk":
      return <ChalkCard {...props} />;
    case "fasten":
      return <FastenCard {...props} />;
    case "drape":
      return <DrapeCard {...props} />;
    case "takes":
      return <TakesOrMend {...props} />;
    case "hand-off":
      return <HandoffCard {...props} />;
  }
}

/** The Mend bench opens on a take. */
function TakesOrMend(props: { shot: Shot; reading: Reading | undefined; takes: Take[] }) {
  const mending = useRoom((room) => room.mending);
  const take = props.takes.find((one) => one.id === mending);
  return take === undefined ? <TakesCard {...props} /> : <MendCard key={take.mends ?? take.id} shot={props.shot} take={take} takes={props.takes} />;
}

function Waiting({ empty, open }: { empty: boolean; open(id: number): void }) {
  const make = useNewShot(open);
  return (
    <Box component="main" sx={{ gridColumn: "1 / -1", display: "grid", placeContent: "center", gap: 1.5 }}>
      <Typography variant="h2">{empty ? "There is no shot yet" : "Opening the workroom…"}</Typography>
      {empty ? (
        <Button
          variant="contained"
          onClick={() => {
            make.mutate("New shot");
          }}
        >
          Make a shot
        </Button>
      ) : (
        <LinearProgress aria-label="Opening" />
      )}
    </Box>
  );
}
