import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import type { ReactNode } from "react";
import type { MemberReading, Shot } from "../../api/client";
import { byReason, type Offer, takeOffer } from "../../domain/cast";
import { HUMAN_OUTLINE, STATURE } from "../../domain/stature";
import { capital } from "../../domain/words";
import { useEdit } from "../../state/queries";
import { useTakeOffers } from "./takeOffers";

/** What looks wrong about a figure, and the changes that would mend it. */
export function Offers({ shot, member, read }: { shot: Shot; member: string; read: MemberReading }) {
  const offers = read.judged.offers as Offer[];
  const changesShape = offers.some((one) => "unit" in one.member || "up" in one.member || "placed" in one.member);
  return (
    <OfferList shot={shot} name={member} offers={offers}>
      {changesShape && <BeforeAndAfter read={read} />}
    </OfferList>
  );
}

interface OfferListProps {
  shot: Shot;
  name: string;
  offers: readonly Offer[];
  children?: ReactNode;
}

/** Changes that are offered, each to be taken or left; those of one reason are alternatives. */
export function OfferList({ shot, name, offers, children }: OfferListProps) {
  const edit = useEdit(shot);
  const all = useTakeOffers(shot, name);
  const busy = edit.isPending || all.isPending;
  if (offers.length === 0) return null;
  const reasons = byReason(offers);
  const single = reasons.flatMap(([, ways]) => (ways.length === 1 ? ways : []));
  return (
    <Box role="group" aria-label={`What looks wrong about ${name}`} sx={{ mt: 0.75, pl: 1, borderLeft: 3, borderColor: "warning.main" }}>
      {children}
      {reasons.map(([because, ways]) => (
        <Box key={because} sx={{ mb: 0.75 }}>
          <Typography sx={{ fontSize: 12.5 }}>{capital(because)}.</Typography>
          {ways.map((offer) => (
            <Button
              key={offer.said}
              size="small"
              variant="outlined"
              disabled={busy}
              sx={{ mt: 0.25, mr: 0.5, textAlign: "left" }}
              onClick={() => {
                edit.mutate({ edit: (document) => takeOffer(document, name, offer) });
              }}
            >
              {offer.said}
            </Button>
          ))}
        </Box>
      ))}
      {single.length > 1 && (
        <Button
          size="small"
          variant="contained"
          disabled={busy}
          onClick={() => {
            all.mutate(single);
          }}
        >
          Do all {single.length}
        </Button>
      )}
    </Box>
  );
}

/** The figure's outline beside a human's, as it was read and as it would be. */
function BeforeAndAfter({ read }: { read: MemberReading }) {
  return (
    <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", gap: 1, mb: 0.75 }}>
      <Beside title="As read" outline={read.judged.before} />
      <Beside title="After" outline={read.judged.after} />
    </Box>
  );
}

const WIDE = 120;
const HIGH = 96;

function Beside({ title, outline }: { title: string; outline: number[][] }) {
  const low = Math.min(...outline.map(([height = 0]) => height));
  const tall = Math.max(...outline.map(([height = 0]) => height)) - low;
  const left = Math.min(...outline.map((row) => row[1] ?? 0));
  const right = Math.max(...outline.map((row) => row[2] ?? 0));
  // Room for the figure, a gap and a human, all on one ground and at one scale.
  const scale = Math.min(HIGH / Math.max(tall, STATURE), WIDE / (right - left + 0.8 * STATURE));
  const figure = [
    ...outline.map(([height = 0, , edge = 0]) => [edge - left, height - low] as const),
    ...[...outline].reverse().map(([height = 0, edge = 0]) => [edge - left, height - low] as const),
  ];
  const human = HUMAN_OUTLINE.map(([x, y]) => [right - left + STATURE * (0.4 + x), STATURE * y] as const);
  const path = (points: readonly (readonly [number, number])[]) =>
    `M${points.map(([x, y]) => `${(x * scale).toFixed(2)},${(HIGH - y * scale).toFixed(2)}`).join("L")}Z`;
  const said = `${title}: ${metres(tall)} tall beside a human of ${metres(STATURE)}`;
  return (
    <Box>
      <Typography sx={{ fontSize: 11.5, color: "text.secondary" }}>{title}</Typography>
      <svg viewBox={`0 0 ${WIDE} ${HIGH + 1}`} width="100%" role="img" aria-label={said}>
        <line x1={0} x2={WIDE} y1={HIGH + 0.5} y2={HIGH + 0.5} stroke="currentColor" strokeWidth={0.6} opacity={0.5} />
        <path d={path(figure)} fill="currentColor" opacity={0.8} />
        <path d={path(human)} fill="none" stroke="currentColor" strokeWidth={0.9} />
      </svg>
      <Typography className="figure" sx={{ fontSize: 11.5 }}>
        {metres(tall)} <span style={{ opacity: 0.65 }}>· human {metres(STATURE)}</span>
      </Typography>
    </Box>
  );
}

function metres(value: number): string {
  return `${value >= 100 ? value.toFixed(0) : value.toPrecision(3)} m`;
}
