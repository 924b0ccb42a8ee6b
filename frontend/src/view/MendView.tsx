/** What stands over the stage on the Mend bench: the lens on a place, and the proof with its flick. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useTheme } from "@mui/material/styles";
import Typography from "@mui/material/Typography";
import { useEffect, useState } from "react";
import type { Shot, Snag } from "../api/client";
import { crossings } from "../domain/mending";
import type { Section } from "../stage/section";
import type { Stage } from "../stage/stage";
import { useMend } from "../state/mend";
import { useMending } from "../state/mending";
import { useTakes } from "../state/queries";
import { useRoom } from "../state/room";

const RADIUS = 0.07; // m that the lens shows around its place
const LENS = 230; // px

export function MendView({ stage, shot }: { stage: Stage | null; shot: Shot }) {
  const mending = useRoom((room) => (room.bench === "takes" ? room.mending : null));
  const { data } = useMending(mending);
  const chosen = useMend((mend) => mend.snag);
  const snag = data?.snags.find((one) => one.key === chosen);
  useFlick(mending !== null);
  const key = snag?.key;
  useEffect(() => {
    if (stage === null || snag === undefined) return;
    // Once the frame stands: its cloth says from where the place is seen.
    const fly = window.setTimeout(() => {
      stage.flyTo(snag.place as [number, number, number]);
    }, 350);
    return () => {
      window.clearTimeout(fly);
    };
    // Flies when another snag is chosen, not whenever the list is fetched.
  }, [stage, key]);
  if (mending === null || data === undefined) return null;
  return (
    <>
      {stage !== null && snag !== undefined && <Lens stage={stage} snag={snag} />}
      <ProofBar shot={shot} take={mending} />
    </>
  );
}

/** While B is held the take stands there as it was before. */
function useFlick(active: boolean): void {
  useEffect(() => {
    if (!active) return;
    const { set } = useMend.getState();
    const typed = (target: EventTarget | null) => target instanceof HTMLElement && /^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName);
    const down = (event: KeyboardEvent) => {
      if (event.key.toLowerCase() === "b" && !typed(event.target) && !event.ctrlKey && !event.metaKey) set({ before: true });
    };
    const up = (event: KeyboardEvent) => {
      if (event.key.toLowerCase() === "b") set({ before: false });
    };
    const away = () => {
      set({ before: false });
    };
    window.addEventListener("keydown", down);
    window.addEventListener("keyup", up);
    window.addEventListener("blur", away);
    return () => {
      away();
      window.removeEventListener("keydown", down);
      window.removeEventListener("keyup", up);
      window.removeEventListener("blur", away);
    };
  }, [active]);
}

/** A cut through the place at hand, seen from above by the eye: depth along the sight is up and down. */
function Lens({ stage, snag }: { stage: Stage; snag: Snag }) {
  const c = useTheme().cloth;
  const staged = useRoom((room) => room.staged);
  const [section, setSection] = useState<Section | null>(null);
  const [shut, setShut] = useState(false);
  const [x, y, z] = snag.place as [number, number, number];
  useEffect(() => {
    let last = "";
    const look = () => {
      const eye = stage.camera.eye.position;
      const now = [staged?.frame, staged?.takes.join(), eye.x.toFixed(3), eye.y.toFixed(3), eye.z.toFixed(3)].join(" ");
      if (now === last) return;
      last = now;
      setSection(stage.section([x, y, z], RADIUS));
    };
    look();
    const watch = window.setInterval(look, 150);
    return () => {
      window.clearInterval(watch);
    };
  }, [stage, staged, x, y, z]);
  if (shut) {
    return (
      <Button sx={{ position: "absolute", right: 14, top: 92, bgcolor: "background.paper", boxShadow: 1 }} onClick={() => { setShut(false); }}>
        Lens
      </Button>
    );
  }
  const scale = LENS / 2 / RADIUS;
  const path = (segments: readonly number[]) => {
    let out = "";
    for (let k = 0; k < segments.length; k += 4) {
      const [a, b, d, e] = [0, 1, 2, 3].map((j) => (segments[k + j] as number) * scale) as [number, number, number, number];
      out += `M${a.toFixed(1)} ${(-b).toFixed(1)}L${d.toFixed(1)} ${(-e).toFixed(1)}`;
    }
    return out;
  };
  const frame = staged?.frame ?? snag.worst;
  return (
    <Box role="group" aria-label="Lens" sx={{ position: "absolute", right: 16, top: 92, width: LENS }}>
      <svg width={LENS} height={LENS} viewBox={`${-LENS / 2} ${-LENS / 2} ${LENS} ${LENS}`} role="img" aria-label={`A cut through the place, ${2 * RADIUS * 100} cm across`} style={{ display: "block" }}>
        <defs>
          <clipPath id="lens">
            <circle r={LENS / 2 - 3} />
          </clipPath>
        </defs>
        <circle r={LENS / 2 - 2} fill={c.stage} fillOpacity="0.95" stroke={c.calico} strokeWidth="4" />
        <g clipPath="url(#lens)">
          <path d={path(section?.body ?? [])} stroke="#8a6f52" strokeWidth="3.5" strokeLinecap="round" fill="none" />
          <path d={path(section?.cloth ?? [])} stroke={c.indigo} strokeWidth="2.2" strokeLinecap="round" fill="none" />
          <circle r="3" fill="none" stroke={c.madder} strokeWidth="1.6" />
          <path d={`M${-LENS / 2 + 52} ${LENS / 2 - 34}h${0.02 * scale}`} stroke={c.ink} strokeWidth="2" />
          <text x={-LENS / 2 + 52} y={LENS / 2 - 39} fontSize="10.5" fill={c.ink} fontFamily='"IBM Plex Mono", monospace'>
            2 cm
          </text>
        </g>
      </svg>
      <Box sx={{ display: "flex", alignItems: "center", gap: 0.5, bgcolor: "background.paper", borderRadius: 1, boxShadow: 1, px: 1, py: 0.25, mt: 0.5 }}>
        <Typography className="figure" sx={{ fontSize: 11.5, flex: 1 }}>
          cut at frame {frame}: <span style={{ color: c.indigo }}>cloth</span>, <span style={{ color: "#6f553a" }}>bodies</span>
        </Typography>
        <Button sx={{ minWidth: 0, px: 0.5, py: 0, fontSize: 11.5 }} onClick={() => { setShut(true); }}>
          Shut
        </Button>
      </Box>
    </Box>
  );
}

/** Counts before and after of the mended take, and the two ways to see both. */
function ProofBar({ shot, take }: { shot: Shot; take: number }) {
  const c = useTheme().cloth;
  const takes = useTakes(shot.id).data ?? [];
  const here = takes.find((one) => one.id === take);
  const after = useMending(take).data;
  const base = useMending(here?.mends ?? null).data;
  const before = useMend((mend) => mend.before);
  const beside = useMend((mend) => mend.beside);
  const set = useMend((mend) => mend.set);
  if (here === undefined || here.mends === null || here.mends === undefined) return null;
  const sum = (counts: readonly number[][] | undefined) => (counts ?? []).reduce((all, [, pairs = 0]) => all + pairs, 0);
  const first = after?.remedies.find((one) => one.proof !== null && one.state === "kept")?.proof;
  const waits = (after?.remedies ?? []).length > 0 && (after?.remedies ?? []).every((one) => one.state !== "kept");
  const was = base?.state === "ready" ? sum(base.counts) : first === undefined || first === null ? null : crossings(first).before;
  return (
    <Box role="group" aria-label="Before and after" sx={{ position: "absolute", left: 14, top: 92, display: "flex", alignItems: "center", gap: 1, bgcolor: "background.paper", borderRadius: 1, boxShadow: 1, px: 1.25, py: 0.6, fontSize: 13 }}>
      {waits && <Typography sx={{ fontSize: 13, whiteSpace: "nowrap" }}>nothing is laid over the take yet</Typography>}
      {!waits && was !== null && after?.state === "ready" && (
        <Typography sx={{ fontSize: 13, whiteSpace: "nowrap" }}>
          <span style={{ color: c.madder, fontWeight: 600 }}>before {was}</span> → <span style={{ color: sum(after.counts) === 0 ? c.verdigris : c.ink, fontWeight: 600 }}>after {sum(after.counts)}</span> crossings
        </Typography>
      )}
      <Button
        aria-pressed={before}
        sx={{ minWidth: 0, px: 0.75, py: 0.1, fontSize: 12.5, textDecoration: before ? "underline" : "none" }}
        onPointerDown={() => { set({ before: true }); }}
        onPointerUp={() => { set({ before: false }); }}
        onPointerLeave={() => { set({ before: false }); }}
      >
        {before ? "as it was before" : "hold B to see before"}
      </Button>
      <Button aria-pressed={beside} sx={{ minWidth: 0, px: 0.75, py: 0.1, fontSize: 12.5, textDecoration: beside ? "underline" : "none" }} onClick={() => { set({ beside: !beside }); }}>
        side by side
      </Button>
    </Box>
  );
}
