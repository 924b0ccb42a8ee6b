import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import type { ColliderRecord, MemberReading, UnderstudyRecord } from "../../api/client";
import { mm } from "../../domain/words";
import { useRoom } from "../../state/room";
import { Figure } from "../../ui/Card";
import { NumberField } from "../../ui/NumberField";

export type Keep = (change: Partial<ColliderRecord>, said: string) => void;

const SHAPES: readonly (readonly [UnderstudyRecord["shape"], string])[] = [
  ["reduced", "its mesh with fewer triangles"],
  ["refined", "its mesh with smaller triangles"],
  ["capsule", "a capsule on each part"],
  ["box", "a box on each part"],
  ["cylinder", "a cylinder on each part"],
  ["sphere", "a ball on each part"],
  ["hull", "a convex hull on each part"],
];

const PLAIN: UnderstudyRecord = { shape: "reduced", triangles: 4000, full: [], edge_mm: 60 };

interface UnderstudyFieldsProps {
  member: string;
  collider: ColliderRecord;
  read: MemberReading | undefined;
  keep: Keep;
}

/** What cloth meets in a member's place, how well it stands in for it, and what it saves. */
export function UnderstudyFields({ member, collider, read, keep }: UnderstudyFieldsProps) {
  const asked = collider.understudy;
  const put = (understudy: UnderstudyRecord | null, said: string) => {
    keep({ understudy }, said);
  };
  return (
    <Box role="group" aria-label={`Understudy of ${member}`} sx={{ mb: 0.5 }}>
      <TextField
        select
        label="Understudy"
        value={asked?.shape ?? "none"}
        margin="dense"
        onChange={(event) => {
          const shape = SHAPES.find(([one]) => one === event.target.value);
          if (shape === undefined) put(null, "meets cloth itself");
          else put({ ...(asked ?? PLAIN), shape: shape[0] }, `understudy: ${shape[1]}`);
        }}
      >
        <MenuItem value="none">none: cloth meets the mesh itself</MenuItem>
        {SHAPES.map(([shape, said]) => (
          <MenuItem key={shape} value={shape}>
            {said}
          </MenuItem>
        ))}
      </TextField>
      {asked?.shape === "reduced" && (
        <NumberField label="Triangles" value={asked.triangles} whole low={50} high={1_000_000} keep={(triangles) => { put({ ...asked, triangles }, `understudy of ${triangles} triangles`); }} />
      )}
      {asked !== null && asked.shape !== "reduced" && asked.shape !== "hull" && (
        <NumberField label="Longest edge, mm" value={asked.edge_mm} low={1} high={10_000} keep={(edge_mm) => { put({ ...asked, edge_mm }, `understudy's edges ${edge_mm} mm`); }} />
      )}
      {read?.understudy != null && <Held member={member} read={read.understudy} />}
    </Box>
  );
}

function Held({ member, read }: { member: string; read: NonNullable<MemberReading["understudy"]> }) {
  const shown = useRoom((room) => room.understudy === member);
  const set = useRoom((room) => room.set);
  return (
    <>
      <Figure name="Vertices" value={read.vertices.toLocaleString("en")} />
      <Figure name="Triangles" value={`${read.triangles.toLocaleString("en")} of ${read.of_full.toLocaleString("en")}`} />
      <Figure name="Watertight" value={read.closed ? "yes" : "no"} />
      <Figure name="Largest deviation" value={mm(read.worst)} />
      <Figure name="Mean deviation" value={mm(read.mean)} />
      <Figure name="Cost of search" value={`about ${Math.round((100 * read.triangles) / read.of_full)} %`} />
      <Button
        size="small"
        aria-pressed={shown}
        onClick={() => {
          set({ understudy: shown ? null : member });
        }}
      >
        {shown ? "Show the member" : "Show the understudy"}
      </Button>
      {shown && <Typography sx={{ fontSize: 12, color: "text.secondary" }}>Dark: 6 mm or more away at some frame.</Typography>}
    </>
  );
}
