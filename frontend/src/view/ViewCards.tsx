import Button from "@mui/material/Button";
import Stack from "@mui/material/Stack";
import { useRoom, type View } from "../state/room";

const VIEWS: readonly { view: View; name: string }[] = [
  { view: "front", name: "Front" },
  { view: "back", name: "Back" },
  { view: "three-quarter", name: "Three-quarter" },
  { view: "side", name: "Side" },
];

const TABLE: readonly { view: View; name: string }[] = [
  { view: "table", name: "Table" },
  { view: "table and figure", name: "Table and figure" },
];

/** Where the shot is looked at from. table: whether pieces lie on the table. */
export function ViewCards({ table }: { table: boolean }) {
  return (
    <>
      <Cards which="figure" />
      {table && <Cards which="table" />}
    </>
  );
}

function Cards({ which }: { which: "figure" | "table" }) {
  const view = useRoom((room) => room.view);
  const pressed = useRoom((room) => room.viewPressed);
  const set = useRoom((room) => room.set);
  return (
    <Stack direction="row" spacing={0.75} role="group" aria-label={which === "table" ? "View of the table" : "View"} sx={{ position: "absolute", top: which === "table" ? 50 : 12, right: 14 }}>
      {(which === "table" ? TABLE : VIEWS).map(({ view: value, name }) => (
        <Button
          key={value}
          aria-pressed={view === value}
          onClick={() => {
            set({ view: value, viewPressed: pressed + 1 });
          }}
          sx={{
            minWidth: 0,
            px: 1.2,
            py: 0.45,
            fontWeight: 400,
            fontSize: 12.5,
            color: "text.primary",
            bgcolor: "background.default",
            outline: view === value ? 2 : 0,
            outlineStyle: "solid",
            outlineColor: "primary.main",
            "&:hover": { bgcolor: "background.paper" },
          }}
        >
          {name}
        </Button>
      ))}
    </Stack>
  );
}
