import ToggleButton from "@mui/material/ToggleButton";
import ToggleButtonGroup from "@mui/material/ToggleButtonGroup";
import { type Look, useRoom } from "../state/room";
import { looksAtTakes } from "../stage/description";

const OF_TAKES: readonly Look[] = ["map", "stretch", "closeness"];

const LOOKS: readonly { look: Look; name: string; said: string }[] = [
  { look: "cloth", name: "Cloth", said: "Cloth in daylight" },
  { look: "threads", name: "Threads", said: "The mesh's edges" },
  { look: "map", name: "Map", said: "The chosen map, as it is now, on the take's cloth" },
  { look: "stretch", name: "Stretch", said: "How far each place is stretched" },
  { look: "closeness", name: "Closeness", said: "How near each place is to a collider" },
  { look: "inside", name: "Inside", said: "Only the inside of the cloth" },
];

/** How the cloth is shown. */
export function LookBar() {
  const look = useRoom((room) => room.look);
  const bench = useRoom((room) => room.bench);
  const taken = useRoom((room) => room.shown.length > 0) && looksAtTakes(bench);
  const set = useRoom((room) => room.set);
  return (
    <ToggleButtonGroup
      exclusive
      size="small"
      value={look}
      aria-label="Look"
      onChange={(_, next: Look | null) => {
        if (next !== null) set({ look: next });
      }}
      sx={{ position: "absolute", top: 12, left: 14, bgcolor: "background.default", boxShadow: 1 }}
    >
      {LOOKS.map(({ look: value, name, said }) => (
        <ToggleButton
          key={value}
          value={value}
          title={said}
          disabled={OF_TAKES.includes(value) && !taken}
          sx={{
            border: 0,
            px: 1.4,
            py: 0.6,
            fontSize: 12.5,
            color: "text.primary",
            textTransform: "none",
            "&.Mui-selected, &.Mui-selected:hover": { bgcolor: "primary.main", color: "primary.contrastText" },
          }}
        >
          {name}
        </ToggleButton>
      ))}
    </ToggleButtonGroup>
  );
}
