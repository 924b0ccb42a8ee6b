import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import LinearProgress from "@mui/material/LinearProgress";
import Typography from "@mui/material/Typography";
import { useEffect, useState } from "react";
import { api, got, type Shaken, type Shot } from "../../api/client";
import { mm } from "../../domain/words";
import { PAGE } from "../../state/page";
import { complain } from "../../state/queries";

interface Test {
  revision: number;
  found: Shaken | null;
  running: boolean;
}

/** Swing what the hold holds on to for two seconds, at once, and say all the while how far it slipped. */
export function ShakeTest({ shot, garment, hold }: { shot: Shot; garment: string; hold: string }) {
  const { test, start, stop } = useShaking(shot, garment, hold);
  const found = test?.revision === shot.revision ? test.found : null;
  const running = test?.running === true && test.revision === shot.revision;
  return (
    <>
      <Button size="small" variant="outlined" fullWidth onClick={running ? stop : start}>
        {running ? "Stop shaking" : "Shake it"}
      </Button>
      {(running || found !== null) && (
        <Box ref={toSee} sx={{ mt: 0.5, minHeight: 56 }}>
          {running && (
            <LinearProgress
              aria-label="Shaken so far"
              variant={found === null ? "indeterminate" : "determinate"}
              value={found === null ? 0 : (100 * found.slip.length) / found.of}
            />
          )}
          <Typography role="status" sx={{ fontSize: 12.5 }}>
            {found === null ? "Making ready…" : said(found)}
          </Typography>
        </Box>
      )}
    </>
  );
}

/** Brought into view once, when it appears. */
function toSee(box: HTMLElement | null) {
  box?.scrollIntoView({ block: "nearest" });
}

function said(found: Shaken): string {
  if (found.held === 0) return "It holds on to nothing.";
  const over = found.slip.length === found.of;
  const slipped = `lipped ${mm(found.worst)} at worst.`;
  const crossed = found.crossed ? " Cloth got inside something." : "";
  if (over) return `S${slipped} The body was swayed and ${turned(found)} for two seconds.${crossed}`;
  return `Frame ${found.slip.length} of ${found.of}, ${turned(found)}: s${slipped}${crossed}`;
}

function turned(found: Shaken): string {
  return found.part === "everything" ? "turned about the hold" : `turned at the ${found.part}`;
}

/** A test that goes on, part by part, until it is over, stopped or of another revision. */
function useShaking(shot: Shot, garment: string, hold: string) {
  const [test, setTest] = useState<Test | null>(null);
  const [control, setControl] = useState<AbortController | null>(null);
  // Left behind when the shot goes on to another revision, or the panel goes away.
  useEffect(() => () => { control?.abort(); }, [control, shot.revision]);
  const stop = () => {
    control?.abort();
    setTest((now) => (now === null ? null : { ...now, running: false }));
  };
  const start = () => {
    control?.abort();
    const own = new AbortController();
    setControl(own);
    void shakeOn(shot, garment, hold, own.signal, setTest);
  };
  return { test, start, stop };
}

async function shakeOn(shot: Shot, garment: string, hold: string, signal: AbortSignal, tell: (test: Test) => void) {
  const revision = shot.revision;
  let found: Shaken | null = null;
  tell({ revision, found, running: true });
  const further = (frames: number) =>
    got<Shaken>(
      api.POST("/api/shots/{shot_id}/revisions/{number}/garments/{name}/holds/{hold}/shake", {
        params: { path: { shot_id: shot.id, number: revision, name: garment, hold } },
        body: { frames, page: PAGE },
        signal,
      }),
    );
  try {
    for (let frames = 0; found === null || frames < found.of; frames = found.slip.length) {
      found = await further(frames);
      if (signal.aborted) return;
      tell({ revision, found, running: found.slip.length < found.of });
    }
  } catch (error) {
    if (signal.aborted) return;
    tell({ revision, found, running: false });
    complain(error);
  }
}
