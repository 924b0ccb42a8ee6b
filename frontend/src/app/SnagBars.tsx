import { useTheme } from "@mui/material/styles";
import type { Snag, Take } from "../api/client";
import { bars, snagFigures, snagTitle } from "../domain/mending";
import { type TapeScale, xOf } from "../domain/tape";
import { useMend } from "../state/mend";
import { useMending } from "../state/mending";
import { useRoom } from "../state/room";

const TOP = 66; // px, of the first row
const ROWS = 3;
const NO_SNAGS: Snag[] = [];

/** The snags that the Mend bench lists of a take; null away from it, and while nothing was looked for. */
export function useSnagBars(take: number | undefined): Snag[] | null {
  const mending = useRoom((room) => (room.bench === "takes" ? room.mending : null));
  const { data } = useMending(mending !== null && take !== undefined ? mending : null);
  if (mending === null || data?.state !== "ready") return null;
  return data.snags.length === 0 ? NO_SNAGS : data.snags;
}

/** Snags as bars over the tape: full for what is open, outlined for what was accepted. */
export function SnagBars({ take, scale, width, height }: { take: Take | undefined; scale: TapeScale; width: number; height: number }) {
  const c = useTheme().cloth;
  const snags = useSnagBars(take?.id);
  const chosen = useMend((mend) => mend.snag);
  const set = useMend((mend) => mend.set);
  const room = useRoom((one) => one.set);
  if (snags === null) return null;
  const go = (snag: Snag) => {
    set({ snag: snag.key, region: null, span: null });
    room({ frame: snag.worst, playing: false });
  };
  return (
    <svg width={width} height={height} role="presentation" style={{ display: "block", position: "absolute", inset: 0, pointerEvents: "none" }}>
      {bars(snags, ROWS).map(({ snag, row }) => {
        const x = xOf(scale, snag.first) - 2.5;
        const wide = xOf(scale, snag.last) - xOf(scale, snag.first) + 5;
        const accepted = snag.accepted !== null;
        return (
          <rect
            key={snag.key}
            role="button"
            tabIndex={0}
            aria-label={`${snagTitle(snag)}, frames ${snag.first} to ${snag.last}${accepted ? ", accepted" : ""}`}
            x={x}
            y={TOP + 8 * row}
            width={wide}
            height={snag.key === chosen ? 7 : 5.5}
            rx="2.8"
            fill={accepted ? "none" : c.madder}
            stroke={accepted ? c.weld : snag.key === chosen ? c.ink : c.madder}
            strokeWidth={snag.key === chosen ? 1.6 : 1}
            style={{ pointerEvents: "auto", cursor: "pointer" }}
            onPointerDown={(event) => {
              event.stopPropagation();
            }}
            onClick={() => {
              go(snag);
            }}
            onKeyDown={(event) => {
              if (event.key === "Enter" || event.key === " ") {
                event.preventDefault();
                event.stopPropagation();
                go(snag);
              }
            }}
          >
            <title>{`${snagTitle(snag)} · ${snagFigures(snag)}`}</title>
          </rect>
        );
      })}
    </svg>
  );
}
