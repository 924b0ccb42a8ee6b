import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import Slider from "@mui/material/Slider";
import TextField from "@mui/material/TextField";
import ToggleButton from "@mui/material/ToggleButton";
import ToggleButtonGroup from "@mui/material/ToggleButtonGroup";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import type { BorderReading, Choice, GarmentReading, Shot } from "../api/client";
import { borderOf, choiceSaid, dropChoice, keepChoice, PLAIN_CHOICE } from "../domain/holds";
import { count, metres } from "../domain/words";
import { useEdit } from "../state/queries";
import { type Room, useRoom } from "../state/room";
import { Section } from "./Card";
import { Pick } from "./Pick";

interface ChoosingProps {
  shot: Shot;
  garment: string;
  read: GarmentReading | undefined;
}

const TOOLS: readonly { tool: Room["tool"]; name: string; said: string }[] = [
  { tool: "border", name: "Point", said: "Press a border of the cloth" },
  { tool: "lasso", name: "Draw", said: "Draw around cloth; Shift adds, Alt takes away, turn with the right button" },
  { tool: "box", name: "Box", said: "Pull a box over cloth; Shift adds, Alt takes away, turn with the right button" },
];

/** Choose cloth: by its borders, by drawing on the stage, or a choice that was kept. */
export function Choosing({ shot, garment, read }: ChoosingProps) {
  const tool = useRoom((room) => room.tool);
  const facing = useRoom((room) => room.facing);
  const set = useRoom((room) => room.set);
  const borders = read?.borders ?? [];
  return (
    <Section title={`Choose on the ${garment}`}>
      <ToggleButtonGroup
        exclusive
        fullWidth
        size="small"
        value={tool}
        aria-label="How to choose"
        onChange={(_, next: Room["tool"] | null) => {
          if (next !== null) set({ tool: next });
        }}
        sx={{ mb: 0.75 }}
      >
        {TOOLS.map((one) => (
          <ToggleButton key={one.tool} value={one.tool} title={one.said} sx={{ textTransform: "none", fontSize: 12.5, py: 0.5, color: "text.primary" }}>
            {one.name}
          </ToggleButton>
        ))}
      </ToggleButtonGroup>
      {tool !== "border" && (
        <>
          <FormControlLabel
            control={<Checkbox size="small" checked={facing} sx={{ py: 0.4 }} onChange={(_, checked) => { set({ facing: checked }); }} />}
            label={<Typography sx={{ fontSize: 13 }}>Only what is seen</Typography>}
          />
          <Typography sx={{ fontSize: 12, color: "text.secondary", mb: 0.5 }}>{TOOLS.find((one) => one.tool === tool)?.said}.</Typography>
        </>
      )}
      {read !== undefined && borders.length === 0 && <Typography variant="body2">This garment has no border.</Typography>}
      {tool === "border" && (
        <Button size="small" onClick={() => { set({ chosen: { ...PLAIN_CHOICE, whole: true }, litBorder: null }); }} sx={{ ml: -0.75, fontWeight: 400 }}>
          The whole garment, for a grip map
        </Button>
      )}
      {tool === "border" && borders.map((border) => <BorderButton key={border.index} border={border} all={borders} />)}
      {tool === "border" && read !== undefined && <NamedParts rows={read.rows} groups={read.groups} />}
      <KeptChoices shot={shot} garment={garment} />
      <Chosen shot={shot} garment={garment} />
    </Section>
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
  const chosen = useRoom((room) => room.chosen);
  const set = useRoom((room) => room.set);
  const here = borderOf(chosen, all)?.index === border.index;
  return (
    <Button
      fullWidth
      variant="outlined"
      aria-pressed={here}
      onPointerEnter={() => { set({ litBorder: border.index }); }}
      onPointerLeave={() => { set({ litBorder: null }); }}
      onFocus={() => { set({ litBorder: border.index }); }}
      onClick={() => { set({ chosen: here ? null : { ...PLAIN_CHOICE, ...border.choose } }); }}
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

/** Seams and pieces of a sewn garment, or the groups of a file: chosen by name. */
function NamedParts({ rows, groups }: { rows: readonly string[]; groups: readonly string[] }) {
  const chosen = useRoom((room) => room.chosen);
  const set = useRoom((room) => room.set);
  if (rows.length + groups.length < 2) return null;
  const none = "";
  return (
    <Pick
      label={rows.length > 0 ? "A seam or a piece" : "A group of faces"}
      value={chosen?.group ?? none}
      options={[
        { value: none, name: "None" },
        ...rows.map((value) => ({ value, name: `Seam: ${value}` })),
        ...groups.map((value) => ({ value, name: rows.length > 0 ? `Piece: ${value}` : value })),
      ]}
      keep={(group) => { set({ chosen: group === none ? null : { ...PLAIN_CHOICE, group }, litBorder: null }); }}
    />
  );
}

/** Choices that were kept under a name: press one to choose it again. */
function KeptChoices({ shot, garment }: { shot: Shot; garment: string }) {
  const edit = useEdit(shot);
  const chosen = useRoom((room) => room.chosen);
  const set = useRoom((room) => room.set);
  const kept = shot.document.garments.find((one) => one.name === garment)?.choices ?? [];
  return (
    <>
      {kept.map(({ name, choose }) => (
        <Box key={name} sx={{ display: "flex", gap: 0.5, mb: 0.5 }}>
          <Button
            variant="outlined"
            aria-pressed={chosen?.named === name}
            onClick={() => { set({ chosen: chosen?.named === name ? null : { ...PLAIN_CHOICE, named: name } }); }}
            sx={{ flex: 1, justifyContent: "flex-start", fontWeight: 400, py: 0.4, color: "text.primary", borderColor: chosen?.named === name ? "primary.main" : "divider" }}
          >
            {name} · {choiceSaid(choose)}
          </Button>
          <Button aria-label={`Drop the choice ${name}`} title="Drop this choice" sx={{ minWidth: 30 }} onClick={() => { edit.mutate({ edit: (document) => dropChoice(document, garment, name) }); }}>
            ×
          </Button>
        </Box>
      ))}
    </>
  );
}

/** What is chosen now, and how far it reaches. */
function Chosen({ shot, garment }: { shot: Shot; garment: string }) {
  const chosen = useRoom((room) => room.chosen);
  const set = useRoom((room) => room.set);
  const edit = useEdit(shot);
  const [name, setName] = useState("");
  if (chosen === null) return null;
  const change = (part: Partial<Choice>) => { set({ chosen: { ...chosen, ...part } }); };
  return (
    <Box role="group" aria-label="Chosen" sx={{ mt: 0.5 }}>
      <Typography sx={{ fontSize: 12.5, fontWeight: 600 }}>Chosen: {choiceSaid(chosen)}</Typography>
      <Reach label="Only one row, edges from the border" value={chosen.row} keep={(row) => { change({ row }); }} />
      <Reach label="Grow by, rows" low={-6} value={chosen.rings} keep={(rings) => { change({ rings }); }} />
      <Reach label="Fade over, rows" value={chosen.fade} keep={(fade) => { change({ fade }); }} />
      <Box sx={{ display: "flex", gap: 1, alignItems: "center" }}>
        <TextField label="Keep it as" value={name} margin="dense" onChange={(event) => { setName(event.target.value); }} />
        <Button
          disabled={name.trim() === "" || chosen.named !== null}
          onClick={() => {
            edit.mutate({ edit: (document) => keepChoice(document, garment, name.trim(), chosen) });
            setName("");
          }}
        >
          Keep
        </Button>
      </Box>
    </Box>
  );
}

function Reach({ label, low = 0, value, keep }: { label: string; low?: number; value: number; keep(value: number): void }) {
  const id = label.replaceAll(" ", "-");
  return (
    <Box sx={{ px: 0.5 }}>
      <Typography id={id} sx={{ fontSize: 12.5, mt: 0.25 }}>
        {label}: <span className="figure">{value}</span>
      </Typography>
      <Slider size="small" aria-labelledby={id} value={value} min={low} max={12} onChange={(_, next) => { keep(next as number); }} sx={{ py: 0.75 }} />
    </Box>
  );
}
