import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import type { BorderReading, Choice, HoldRecord, Reading, Shot } from "../../api/client";
import { holdsOf, removeHold } from "../../domain/edits";
import { count, metres } from "../../domain/words";
import { useEdit } from "../../state/queries";
import { useRoom } from "../../state/room";
import { Card, Panel, Section } from "../../ui/Card";
import { GarmentPicker, useGarmentAtHand } from "../../ui/GarmentPicker";
import { NewHold } from "./NewHold";

/** What holds the cloth: point at a border, and hold it to the body. */
export function FastenCard({ shot, reading }: { shot: Shot; reading: Reading | undefined }) {
  const names = shot.document.garments.map((garment) => garment.name);
  const garment = useGarmentAtHand(names);
  if (garment === undefined) {
    return (
      <Card title="Fasten" lead="What holds the cloth.">
        <Typography variant="body2">There is no garment to fasten yet. Bring one in on the Cast bench.</Typography>
      </Card>
    );
  }
  const borders = reading?.garments[garment]?.borders ?? [];
  return (
    <Card title="Fasten" lead="Point at a border of the cloth: it lights up. Press it, then hold it to the body.">
      <GarmentPicker names={names} garment={garment} />
      <Section title={`Borders of the ${garment}`}>
        {borders.length === 0 && <Typography variant="body2">This garment has no border.</Typography>}
        {borders.map((border) => (
          <BorderButton key={border.index} border={border} all={borders} />
        ))}
      </Section>
      <NewHold shot={shot} garment={garment} borders={borders} />
      <Section title="Holds">
        {holdsOf(shot.document, garment).length === 0 && (
          <Typography variant="body2" color="text.secondary">
            Nothing is held: the garment would fall.
          </Typography>
        )}
        {holdsOf(shot.document, garment).map((hold) => (
          <HoldPanel key={hold.name} shot={shot} garment={garment} hold={hold} />
        ))}
      </Section>
    </Card>
  );
}

/** A border's place among the others, in words. */
export function placeOf(border: BorderReading, all: readonly BorderReading[]): string {
  if (all.length === 1) return "Only border";
  const heights = all.map((one) => one.height);
  if (border.height === Math.max(...heights)) return "Highest border";
  if (border.height === Math.min(...heights)) return "Lowest border";
  return "Border between";
}

function BorderButton({ border, all }: { border: BorderReading; all: readonly BorderReading[] }) {
  const lit = useRoom((room) => room.litBorder);
  const chosen = useRoom((room) => room.chosenBorder);
  const set = useRoom((room) => room.set);
  const here = chosen === border.index;
  return (
    <Button
      fullWidth
      variant="outlined"
      aria-pressed={here}
      onPointerEnter={() => {
        set({ litBorder: border.index });
      }}
      onPointerLeave={() => {
        set({ litBorder: null });
      }}
      onFocus={() => {
        set({ litBorder: border.index });
      }}
      onClick={() => {
        set({ chosenBorder: here ? null : border.index });
      }}
      sx={{ display: "block", textAlign: "left", mb: 0.75, py: 0.7, color: "text.primary", borderWidth: here || lit === border.index ? 2 : 1, borderColor: here ? "primary.main" : "divider", fontWeight: 400 }}
    >
      <b>{placeOf(border, all)}</b>
      <Box component="span" className="figure" sx={{ display: "block", fontSize: 12 }}>
        {metres(border.length)} round, {metres(border.height)} up
        <br />
        {count(border.vertices, "vertex", "vertices")}
      </Box>
    </Button>
  );
}

/** What a hold chooses, in words. */
export function choiceSaid(choose: Choice): string {
  const rings = choose.rings ?? 0;
  const more = rings > 0 ? ` and ${count(rings, "row")} more` : "";
  if (choose.group) return `the faces called ${choose.group}${more}`;
  if (choose.border) return `the ${choose.border} border${more}`;
  return `${count(choose.vertices?.length ?? 0, "vertex", "vertices")}${more}`;
}

function HoldPanel({ shot, garment, hold }: { shot: Shot; garment: string; hold: HoldRecord }) {
  const edit = useEdit(shot);
  return (
    <Panel label={`Hold ${hold.name}`}>
      <Typography sx={{ fontWeight: 600, fontSize: 13 }}>{hold.name}</Typography>
      <Typography sx={{ fontSize: 12.5 }}>
        {choiceSaid(hold.choose)}, welded to the {hold.follows}
      </Typography>
      <Button
        aria-label={`Let go of ${hold.name}`}
        onClick={() => {
          edit.mutate({ edit: (document) => removeHold(document, garment, hold.name) });
        }}
        sx={{ ml: -0.75, fontWeight: 400, fontSize: 12.5 }}
      >
        Let go
      </Button>
    </Panel>
  );
}
