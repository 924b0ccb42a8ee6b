import Box from "@mui/material/Box";
import IconButton from "@mui/material/IconButton";
import MenuItem from "@mui/material/MenuItem";
import Select from "@mui/material/Select";
import { useTheme } from "@mui/material/styles";
import Typography from "@mui/material/Typography";
import { type KeyboardEvent, memo, type PointerEvent, useEffect, useMemo, useRef, useState } from "react";
import type { FramePulse, Reading, Shot, Take } from "../api/client";
import { valueAt } from "../domain/keys";
import type { Lane } from "../domain/lanes";
import { worst } from "../domain/pulse";
import { figureStep, frameAt, lane, spans, type TapeScale, xOf } from "../domain/tape";
import { capital, jerkSaid, mm, percent, span } from "../domain/words";
import { usePulse, useSelfCuts } from "../state/queries";
import { useRoom } from "../state/room";
import { KeysLane, LANE, useLane } from "./KeysLane";
import { SnagBars, useSnagBars } from "./SnagBars";

const LEFT = 158;
const HEIGHT = 150;
const EDGE = 92; // upper edge of the tape itself

export interface TapeProps {
  shot: Shot;
  reading: Reading | undefined;
  take: Take | undefined;
}

/** The time strip: frames as marks on a tailor's measuring tape, with the shot's pulse above. */
export function Tape({ shot, reading, take }: TapeProps) {
  const box = useRef<HTMLDivElement>(null);
  const [width, setWidth] = useState(1100);
  const frame = useRoom((room) => room.frame);
  const set = useRoom((room) => room.set);
  const ink = useTheme().cloth.ink;
  useEffect(() => {
    const watcher = new ResizeObserver(([entry]) => {
      if (entry) setWidth(entry.contentRect.width);
    });
    if (box.current) watcher.observe(box.current);
    return () => {
      watcher.disconnect();
    };
  }, []);
  const first = shot.first_simulated;
  const last = Math.max(shot.document.frames[1], take?.last ?? -Infinity);
  const { lane: keys, lanes } = useLane(shot);
  const edge = EDGE + (keys === undefined ? 0 : LANE);
  const scale: TapeScale = useMemo(() => ({ first, last, left: 14, right: width - 18 }), [first, last, width]);

  const scrub = (event: PointerEvent<HTMLElement>) => {
    const x = event.clientX - event.currentTarget.getBoundingClientRect().left;
    set({ frame: frameAt(scale, x), playing: false, follow: false });
  };
  const keyed = (event: KeyboardEvent) => {
    const step = { ArrowLeft: -1, ArrowRight: 1, PageUp: -10, PageDown: 10 }[event.key];
    const to = event.key === "Home" ? first : event.key === "End" ? last : step === undefined ? null : frame + step;
    if (to === null) return;
    event.preventDefault();
    event.stopPropagation();
    set({ frame: Math.min(last, Math.max(first, to)), playing: false, follow: false });
  };

  return (
    <Box component="footer" sx={{ gridColumn: "1 / -1", display: "grid", gridTemplateColumns: `${LEFT}px 1fr`, height: HEIGHT + edge - EDGE, borderTop: 1, borderColor: "divider", bgcolor: "background.default" }}>
      <Transport shot={shot} reading={reading} take={take} first={first} last={last} lanes={lanes} lane={keys} />
      <Box ref={box} sx={{ position: "relative", minWidth: 0, overflow: "hidden" }}>
      <Box
        role="slider"
        tabIndex={0}
        aria-label="Frame"
        aria-valuemin={first}
        aria-valuemax={last}
        aria-valuenow={frame}
        onKeyDown={keyed}
        onPointerDown={(event) => {
          event.currentTarget.setPointerCapture(event.pointerId);
          scrub(event);
        }}
        onPointerMove={(event) => {
          if (event.buttons > 0) scrub(event);
        }}
        sx={{ cursor: "ew-resize", touchAction: "none" }}
      >
        <svg width={width} height={HEIGHT + edge - EDGE} role="presentation" style={{ display: "block" }}>
          <TapeDrawing shot={shot} reading={reading} take={take} scale={scale} edge={edge} />
          <path d={`M${xOf(scale, frame)} 12 V${edge + 38}`} stroke={ink} strokeWidth="1.4" />
          <path d={`M${xOf(scale, frame) - 6} 5 h12 l-6 9z`} fill={ink} />
        </svg>
      </Box>
      <SnagBars take={take} scale={scale} width={width} height={HEIGHT + edge - EDGE} />
      {keys !== undefined && (
        // Beside the slider of frames, not in it: a key is a control of its own.
        <svg width={width} height={HEIGHT + edge - EDGE} role="presentation" style={{ display: "block", position: "absolute", inset: 0, pointerEvents: "none" }}>
          <KeysLane shot={shot} reading={reading} lane={keys} scale={scale} top={EDGE - 4} />
        </svg>
      )}
      </Box>
    </Box>
  );
}

interface TransportProps extends TapeProps {
  first: number;
  last: number;
  lanes: readonly Lane[];
  lane: Lane | undefined;
}

function Transport({ shot, reading, take, first, last, lanes, lane }: TransportProps) {
  const frame = useRoom((room) => room.frame);
  const playing = useRoom((room) => room.playing);
  const loop = useRoom((room) => room.loop);
  const set = useRoom((room) => room.set);
  const shotOnly = loop !== null;
  return (
    <Box sx={{ pl: 2, pt: 1.2, position: "relative" }}>
      <LaneFigures reading={reading} take={take} frame={frame} />
      {lane !== undefined && <LanePick lanes={lanes} lane={lane} frame={frame} />}
      <Box sx={{ display: "flex", alignItems: "center", gap: 0.5, mt: 0.6 }}>
        <Typography className="figure" sx={{ fontSize: 20, minWidth: 56 }} aria-live="off">
          {frame}
        </Typography>
        <IconButton
          size="small"
          color="primary"
          aria-label={playing ? "Pause" : "Play"}
          onClick={() => {
            const start = !playing && frame >= (loop?.[1] ?? last) ? (loop?.[0] ?? first) : frame;
            set({ playing: !playing, frame: start });
          }}
        >
          <svg width="18" height="18" viewBox="0 0 18 18" aria-hidden>
            {playing ? <path d="M4 3h3.5v12H4zM10.5 3H14v12h-3.5z" fill="currentColor" /> : <path d="M4 2.5v13l11-6.5z" fill="currentColor" />}
          </svg>
        </IconButton>
      </Box>
      <Box sx={{ display: "flex", gap: 1, alignItems: "baseline" }}>
        <Typography className="figure" sx={{ fontSize: 11.5, color: "text.secondary" }}>
          {shot.document.frame_rate ?? 24}/s
        </Typography>
        <Box
          component="button"
          type="button"
          aria-pressed={shotOnly}
          onClick={() => {
            set({ loop: shotOnly ? null : shot.document.frames, frame: shotOnly ? frame : Math.max(frame, shot.document.frames[0]) });
          }}
          sx={{ all: "unset", cursor: "pointer", fontSize: 11.5, color: "primary.main", textDecoration: "underline", "&:focus-visible": { outline: 2 } }}
        >
          {shotOnly ? "loops the shot" : "loops with run-in"}
        </Box>
      </Box>
    </Box>
  );
}

/** The lanes' names, with their figures at the frame that is shown. */
function LaneFigures({ reading, take, frame }: { reading: Reading | undefined; take: Take | undefined; frame: number }) {
  const pulse = usePulse(take?.id).data;
  const frames = useMemo(() => worst(pulse?.garments ?? {}), [pulse]);
  const here = frames.find((one) => one.frame === frame);
  const speed = reading?.pulse.body_speed[frame - reading.pulse.first];
  const lanes: readonly [string, string][] = [
    ["Body speed", speed === undefined ? "" : `${speed.toFixed(1)}\u00a0m/s`],
    ["Stretch", here === undefined ? "" : `${(100 * here.stretch).toFixed(1)} to ${percent(here.worst_edge)}`],
    ["Snags", here === undefined ? "" : snagsHere(here)],
  ];
  return (
    <>
      {lanes.map(([name, value]) => (
        <Box key={name} sx={{ display: "flex", gap: 0.75, height: 26, fontSize: 12, whiteSpace: "nowrap" }}>
          <Box component="span" sx={{ color: "text.secondary" }}>
            {name}
          </Box>
          <span>{value}</span>
        </Box>
      ))}
    </>
  );
}

function snagsHere(here: FramePulse): string {
  const kinds = [
    here.in_the_body > 0 ? "in a collider" : "",
    here.body_shows !== null ? "body shows" : "",
    here.pinched > 0 ? "pinched" : "",
    here.through_itself > 0 ? "through itself" : "",
    here.through_another > 0 ? "through another garment" : "",
    here.overstretched > 0 ? "overstretched" : "",
  ].filter((kind) => kind !== "");
  if (kinds.length === 0) return "none";
  const said = kinds.length === 1 ? (kinds[0] ?? "") : `${kinds.length} kinds`;
  return here.deepest > 0 ? `${said}, ${mm(here.deepest)}` : said;
}

/** Whose keys are shown, and their value at the frame that is shown. */
function LanePick({ lanes, lane, frame }: { lanes: readonly Lane[]; lane: Lane; frame: number }) {
  const set = useRoom((room) => room.set);
  const here = Number(valueAt(lane.value, frame).toPrecision(3));
  return (
    <Box sx={{ height: LANE, pt: 0.25 }}>
      <Select
        variant="standard"
        disableUnderline
        value={lane.id}
        inputProps={{ "aria-label": "Keys shown" }}
        onChange={(event) => {
          set({ lane: event.target.value });
        }}
        sx={{ fontSize: 12, maxWidth: LEFT - 22, color: "text.secondary", "& .MuiSelect-select": { py: 0 } }}
      >
        {lanes.map((one) => (
          <MenuItem key={one.id} value={one.id} sx={{ fontSize: 12.5 }}>
            {capital(one.name)}
          </MenuItem>
        ))}
      </Select>
      <Typography className="figure" sx={{ fontSize: 12, lineHeight: 1.1 }}>
        {here} {lane.unit}
      </Typography>
    </Box>
  );
}

/** Everything on the tape that stays where it is while frames go by. */
const TapeDrawing = memo(function TapeDrawing({ shot, reading, take, scale, edge }: TapeProps & { scale: TapeScale; edge: number }) {
  const c = useTheme().cloth;
  const pulse = usePulse(take?.id).data;
  const frames = useMemo(() => worst(pulse?.garments ?? {}), [pulse]);
  const speeds = (reading?.pulse.body_speed ?? []).map((value, k) => ({ frame: (reading?.pulse.first ?? 0) + k, value }));
  const start = shot.document.frames[0];
  const x = (at: number) => xOf(scale, at);
  return (
    <>
      <path d={lane(scale, speeds, Math.max(1, ...speeds.map((s) => s.value)), 36, 24)} fill="none" stroke={c.indigo} strokeWidth="1.5" />
      <path d={lane(scale, frames.map((f) => ({ frame: f.frame, value: f.stretch })), Math.max(0.03, ...frames.map((f) => f.stretch)), 62, 22)} fill="none" stroke={c.madder} strokeWidth="1.5" />
      <Jerks reading={reading} scale={scale} />
      <Snags frames={frames} scale={scale} take={take} />
      <Cuts shot={shot} scale={scale} />
      <rect x={x(scale.first)} y={edge} width={x(scale.last) - x(scale.first)} height="38" fill={c.tape} stroke={c.tapeEdge} />
      <rect x={x(scale.first)} y={edge} width={Math.max(0, x(start) - x(scale.first))} height="38" fill={c.runIn} />
      <Marks scale={scale} edge={edge} />
      {spans(frames.map((f) => f.frame)).map(([a, b]) => (
        <path key={a} d={`M${x(a)} ${edge + 3.5} H${x(b)}`} stroke={c.indigo} strokeWidth="3" strokeDasharray="9 5" />
      ))}
      <Captions shot={shot} take={take} scale={scale} frames={frames.length} edge={edge} />
    </>
  );
});

/** Where a run-in throws somebody into the shot harder than the shot itself moves. */
function Jerks({ reading, scale }: { reading: Reading | undefined; scale: TapeScale }) {
  const c = useTheme().cloth;
  return (reading?.pulse.jerks ?? []).map((jerk) => (
    <g key={jerk.of} role="img" aria-label={jerkSaid(jerk)}>
      <path d={`M${xOf(scale, jerk.frame)} 12 l5 9 h-10z`} fill={c.madder}>
        <title>{jerkSaid(jerk)}</title>
      </path>
    </g>
  ));
}

function Snags({ frames, scale, take }: { frames: FramePulse[]; scale: TapeScale; take: Take | undefined }) {
  const c = useTheme().cloth;
  const listed = useSnagBars(take?.id);
  const kinds: readonly [keyof FramePulse, string, number][] = [
    ["in_the_body", "inside a collider", 69],
    ["body_shows", "the full body shows through", 69],
    ["pinched", "pinched", 75],
    ["through_itself", "through itself", 81],
    ["through_another", "through another garment", 81],
    ["overstretched", "overstretched", 75],
  ];
  if (listed !== null) return null; // the Mend bench draws what it lists
  return (
    <>
      {kinds.map(([key, said, y]) => {
        const runs = spans(frames.filter((f) => f[key] !== null && (key === "body_shows" || (f[key] as number) > 0)).map((f) => f.frame));
        const light = key.startsWith("through") || key === "body_shows" || key === "overstretched";
        return runs.map(([a, b]) => (
          <rect key={`${key} ${a}`} x={xOf(scale, a) - 2} y={y} width={xOf(scale, b) - xOf(scale, a) + 4} height="4.5" rx="2.2" fill={light ? "none" : c.madder} stroke={c.madder} strokeWidth="1">
            <title>{`${said}, frames ${a} to ${b}`}</title>
          </rect>
        ));
      })}
    </>
  );
}

/** Frames in which the member that is looked at cuts into itself. */
function Cuts({ shot, scale }: { shot: Shot; scale: TapeScale }) {
  const c = useTheme().cloth;
  const member = useRoom((room) => (room.bench === "cast" ? room.cutting : null));
  const found = useSelfCuts(shot, member ?? "", member !== null).data;
  return (
    <>
      {spans((found?.cuts ?? []).map((cut) => cut.frame)).map(([a, b]) => (
        <rect key={a} x={xOf(scale, a) - 2} y={75} width={xOf(scale, b) - xOf(scale, a) + 4} height="4.5" rx="2.2" fill="none" stroke={c.madder} strokeWidth="1">
          <title>{`${member ?? ""} cuts into itself, frames ${a} to ${b}`}</title>
        </rect>
      ))}
    </>
  );
}

function Marks({ scale, edge }: { scale: TapeScale; edge: number }) {
  const c = useTheme().cloth;
  const step = figureStep(scale);
  const each = (scale.right - scale.left) / Math.max(1, scale.last - scale.first);
  const marks = [];
  for (let at = scale.first; at <= scale.last; at += 1) {
    const big = (((at - 1) % 10) + 10) % 10 === 0;
    const middle = (((at - 1) % 5) + 5) % 5 === 0;
    if (each < 3 && !middle) continue;
    marks.push(<path key={at} d={`M${xOf(scale, at)} ${edge + 38} v${big ? -16 : middle ? -11 : -7}`} stroke={c.tapeInk} strokeWidth={big ? 1.2 : 0.8} />);
    if ((((at - 1) % step) + step) % step === 0 && xOf(scale, at) < scale.right - 30) {
      marks.push(
        <text key={`t${at}`} x={xOf(scale, at) + 3} y={edge + 20} fontSize="10.5" fontFamily='"IBM Plex Mono", monospace' fill={c.tapeInk}>
          {at}
        </text>,
      );
    }
  }
  return <>{marks}</>;
}

function Captions({ shot, take, scale, frames, edge }: { shot: Shot; take: Take | undefined; scale: TapeScale; frames: number; edge: number }) {
  const c = useTheme().cloth;
  const start = xOf(scale, shot.document.frames[0]);
  const run = shot.document.run_in;
  const runSaid = `run-in: settle ${run.settle}, move ${run.move}`;
  const made =
    take === undefined
      ? ""
      : take.state === "running" && take.seconds_per_frame !== null
        ? `${take.name}: ${take.seconds_per_frame.toFixed(2)} s a frame, ${span(take.seconds_left ?? 0)} left`
        : frames > 0
          ? `${take.name}: ${frames} frames cached`
          : `${take.name}: nothing cached yet`;
  const y = edge + 52;
  return (
    <>
      {start - scale.left > 150 && (
        <text x={scale.left + 2} y={y} fontSize="11" fill={c.softInk}>
          {runSaid}
        </text>
      )}
      <text x={start + 2} y={y} fontSize="11" fill={c.softInk}>
        {start - scale.left > 150 ? "shot" : `shot (${runSaid})`}
      </text>
      <text x={scale.right} y={y} fontSize="11" fill={c.indigo} textAnchor="end">
        {made}
      </text>
    </>
  );
}
