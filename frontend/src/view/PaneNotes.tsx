import { type ReactNode, useMemo } from "react";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { type FramePulse, Problem, type Shot, type Take } from "../api/client";
import { rampCss } from "../domain/ramp";
import { worst } from "../domain/pulse";
import { area, count, percent, signed } from "../domain/words";
import { useFacts } from "../state/facts";
import { useFitting } from "../state/fitting";
import { useAgainst, usePulse } from "../state/queries";
import { useRoom } from "../state/room";
import { lessOf, mapAtHand, mapsOf, meaning, means, spanOf } from "../domain/chalk";
import { useGarmentAtHand } from "../state/garment";
import { usePainted, valueUnder } from "../state/painted";
import { atRest, hasFrames, looksAtTakes } from "../stage/description";

const NOTE = { position: "absolute", bottom: 12, bgcolor: "background.default", px: 1.2, py: 0.6, borderRadius: 1, fontSize: 12.5 } as const;

const MOST_LINES = 3;

/** Why the shot could not be read, and trying again. */
export interface Failed {
  error: Error;
  again(): void;
}

/** Under each pane: what is seen, and its figures at this frame; in the middle the legend of a map. */
export function PaneNotes({ shot, shown, read, failed }: { shot: Shot; shown: Take[]; read: boolean; failed: Failed | null }) {
  const bench = useRoom((room) => room.bench);
  const takes = looksAtTakes(bench) ? shown : [];
  if (failed !== null) return <FailedNote failed={failed} />;
  if (!read) return <Typography sx={{ ...NOTE, left: 14 }}>Reading the shot…</Typography>;
  if (takes.length === 0) {
    return (
      <>
        {!atRest(bench) && <OnItsWay takes={takes} />}
        <MadeNote shot={shot} />
        {bench === "chalk" && <ChalkLegend shot={shot} />}
      </>
    );
  }
  return (
    <>
      <OnItsWay takes={takes} />
      {takes.map((take, pane) => (
        <TakeNote key={take.id} take={take} first={takes[0] ?? take} left={`calc(${(100 * pane) / takes.length}% + 14px)`} width={`${92 / takes.length}%`} />
      ))}
      {takes.slice(1).map((take, pane) => (
        <Box key={take.id} aria-hidden sx={{ position: "absolute", top: 0, bottom: 0, left: `${(100 * (pane + 1)) / takes.length}%`, width: "1px", bgcolor: "divider" }} />
      ))}
      <Legend shot={shot} />
    </>
  );
}

/** Which frame stands on the stage while another one is on its way. */
function OnItsWay({ takes }: { takes: readonly Take[] }) {
  const wanted = useRoom((room) => room.frame);
  const staged = useRoom((room) => room.staged);
  const there = staged !== null && takes.every((take) => !hasFrames(take) || staged.takes.includes(take.id));
  if (staged?.frame === wanted && there) return null;
  return (
    <Typography role="status" sx={{ ...NOTE, bottom: "auto", top: 56, left: 14 }}>
      Frame <span className="figure">{wanted}</span> is on its way
      {staged !== null && (
        <>
          ; the stage shows frame <b className="figure">{staged.frame}</b>
          {!there && (staged.takes.length === 0 ? ", with the garments as made" : " of another take")}
        </>
      )}
    </Typography>
  );
}

/** What kept the shot from being read, with what to do about it. */
function FailedNote({ failed: { error, again } }: { failed: Failed }) {
  return (
    <Box role="alert" sx={{ ...NOTE, left: 14, maxWidth: 420, borderLeft: 3, borderColor: "error.main" }}>
      <Typography sx={{ fontSize: 12.5 }}>The shot could not be read: {error.message}.</Typography>
      {error instanceof Problem && error.remedy !== "" && <Typography sx={{ fontSize: 12 }}>{error.remedy}.</Typography>}
      <Button size="small" onClick={again}>
        Read it again
      </Button>
    </Box>
  );
}

function MadeNote({ shot }: { shot: Shot }) {
  const bench = useRoom((room) => room.bench);
  const fitted = useFitting((fitting) => fitting.line === "open");
  if (bench === "drape" && fitted) return null;
  if (shot.document.garments.length === 0) {
    return <Typography sx={{ ...NOTE, left: 14 }}>No garment yet: bring one in on the Cast bench</Typography>;
  }
  const said =
    atRest(bench)
      ? "The garment as made, on the rest pose"
      : bench === "cast"
        ? "The garment as made, shown only at the start of the run-in"
        : "No take yet: run one on the Takes bench";
  return <Typography sx={{ ...NOTE, left: 14 }}>{said}</Typography>;
}

function TakeNote({ take, first, left, width }: { take: Take; first: Take; left: string; width: string }) {
  // The figures are those of what stands on the stage, whatever frame is wanted.
  const frame = useRoom((room) => (room.staged?.takes.includes(take.id) ? room.staged.frame : null));
  const pulse = usePulse(take.id).data;
  const frames = useMemo(() => worst(pulse?.garments ?? {}), [pulse]);
  const here = frames.find((one) => one.frame === frame);
  if (!hasFrames(take)) {
    return (
      <Typography sx={{ ...NOTE, left, maxWidth: width }}>
        <b>{take.name}</b> · no frame yet: the garments as made
      </Typography>
    );
  }
  if (frame === null) return null;
  const simulated = take.garments.some(({ first, last }) => first !== null && last !== null && frame >= first && frame <= last);
  return (
    <Box sx={{ ...NOTE, left, maxWidth: width }}>
      <Typography sx={{ fontSize: 12.5 }}>
        <b>{take.name}</b> · <span className="figure">{frame}</span> ·{" "}
        {here !== undefined ? frameSaid(here) : simulated ? "its figures are on their way" : "not simulated yet"}
      </Typography>
      {take.id !== first.id && <Apart take={take} first={first} />}
    </Box>
  );
}

/** A frame's figures in words. */
export function frameSaid(here: FramePulse): string {
  const bodies = here.bodies.join(" and the ");
  return [
    `most edges stretch ${percent(here.stretch)}, the worst ${percent(here.worst_edge)}`,
    here.in_the_body > 0 ? `${count(here.in_the_body, "crossing")} with colliders` : "clear of all colliders",
    ...(bodies === "" ? [] : [here.body_shows === null ? `nothing of the full ${bodies} shows through` : `the full ${bodies} shows through ${area(here.body_shows)}`]),
    ...(here.left_out_shows === null ? [] : [`left-out parts through ${area(here.left_out_shows)}`]),
    ...(here.through_itself > 0 ? [`${count(here.through_itself, "crossing")} through itself`] : []),
    ...(here.through_another > 0 ? [`${count(here.through_another, "crossing")} through another garment`] : []),
    ...(here.pinched > 0 ? [`${count(here.pinched, "vertex", "vertices")} pinched`] : []),
    ...(here.overstretched > 0 ? [`${count(here.overstretched, "edge")} overstretched`] : []),
  ].join(" · ");
}

/** What a take was made from that the first one beside it was not. */
function Apart({ take, first }: { take: Take; first: Take }) {
  const lines = useAgainst(take.id, first.id).data?.lines;
  if (lines === undefined) return null;
  const said = lines.length === 0 ? `made from the same as ${first.name}` : `unlike ${first.name}: ${lines.slice(0, MOST_LINES).join("; ")}`;
  const more = lines.length > MOST_LINES ? ` and ${lines.length - MOST_LINES} more` : "";
  return (
    <Typography sx={{ fontSize: 12, color: "text.secondary" }}>
      {said}
      {more}
    </Typography>
  );
}

/** What the shades of a map mean, and its value under the pointer. */
function ChalkLegend({ shot }: { shot: Shot }) {
  const roles = useFacts().map_roles;
  const garment = useGarmentAtHand(shot);
  const wanted = useRoom((room) => room.chalk);
  const here = usePainted(valueUnder);
  const wantedLess = useRoom((room) => room.less);
  const maps = garment === undefined ? [] : mapsOf(shot.document, garment);
  const map = mapAtHand(maps, wanted);
  if (map === undefined) return null;
  const less = lessOf(maps, map, wantedLess);
  if (less !== undefined) {
    return (
      <RampNote said={`${map.name} less ${less.name}: -1 to 1`} ends={["−1", "0, the same", "+1"]}>
        {map.name} less {less.name}: <span className="figure">{here === null ? "–" : signed(here)}</span>
      </RampNote>
    );
  }
  const [low, high] = spanOf(map, roles).map((end) => meaning(map, end));
  return (
    <RampNote said={`${map.name}: ${low} to ${high}`} ends={[low ?? "", high ?? ""]}>
      {map.name}: <span className="figure">{here === null ? "–" : `${here.toFixed(2)}, ${meaning(map, means(map, roles, here))}`}</span>
    </RampNote>
  );
}

/** What the shades of the map on a take's cloth mean. */
function MapLegend({ shot }: { shot: Shot }) {
  const roles = useFacts().map_roles;
  const garment = useGarmentAtHand(shot);
  const wanted = useRoom((room) => room.chalk);
  const map = garment === undefined ? undefined : mapAtHand(mapsOf(shot.document, garment), wanted);
  if (map === undefined) return <Typography sx={{ ...NOTE, right: 14 }}>No map to show: draw one on the Chalk bench</Typography>;
  const [low, high] = spanOf(map, roles).map((end) => meaning(map, end));
  return (
    <RampNote above said={`${map.name} of the ${garment}: ${low} to ${high}`} ends={[low ?? "", high ?? ""]}>
      {map.name} of the {garment}
    </RampNote>
  );
}

function Legend({ shot }: { shot: Shot }) {
  const look = useRoom((room) => room.look);
  if (look === "map") return <MapLegend shot={shot} />;
  if (look !== "stretch" && look !== "closeness") return null;
  const [low, high, said] =
    look === "stretch" ? (["0 %", "5 %", "Stretch of each place"] as const) : (["20 mm", "0 mm", "Distance from the nearest collider"] as const);
  return (
    <RampNote above said={`${said}: ${low} to ${high}`} ends={[low, high]}>
      {said}
    </RampNote>
  );
}

/** The ramp of shades with what its ends mean; above, where notes of takes stand below. */
function RampNote({ said, ends, above = false, children }: { said: string; ends: readonly string[]; above?: boolean; children: ReactNode }) {
  return (
    <Box sx={{ ...NOTE, right: 14, width: 250, ...(above ? { bottom: "auto", top: 56 } : {}) }} role="figure" aria-label={said}>
      <Typography noWrap sx={{ fontSize: 12.5 }}>
        {children}
      </Typography>
      <Box sx={{ height: 10, borderRadius: 0.5, my: 0.4, background: rampCss }} />
      <Box className="figure" sx={{ display: "flex", justifyContent: "space-between", fontSize: 11.5 }}>
        {ends.map((end) => (
          <span key={end}>{end}</span>
        ))}
      </Box>
    </Box>
  );
}
