import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useRoom } from "../state/room";

const MOST_SHOWN = 4;

/** Two windows changed the same: what each made of it, and which shall stand. */
export function ClashNote() {
  const clash = useRoom((room) => room.clash);
  const set = useRoom((room) => room.set);
  if (clash === null) return null;
  const close = () => {
    set({ clash: null });
  };
  return (
    <Box role="alertdialog" aria-label="Two windows changed the same" sx={{ position: "fixed", top: 52, left: "50%", transform: "translateX(-50%)", zIndex: 1300, width: 520 }}>
      <Alert severity="warning" icon={false} sx={{ border: 1, borderColor: "warning.main", boxShadow: 3 }}>
        <Typography sx={{ fontSize: 13.5, fontWeight: 600 }}>Another window changed this while you did. Its value stands now.</Typography>
        {clash.apart.slice(0, MOST_SHOWN).map(({ where, mine, theirs }) => (
          <Typography key={where} sx={{ fontSize: 12.5, mt: 0.5, overflowWrap: "anywhere" }}>
            {where}: <b>{said(theirs)}</b> there, <b>{said(mine)}</b> here
          </Typography>
        ))}
        {clash.apart.length > MOST_SHOWN && <Typography sx={{ fontSize: 12.5 }}>and {clash.apart.length - MOST_SHOWN} more</Typography>}
        <Box sx={{ display: "flex", gap: 1, mt: 1 }}>
          <Button
            variant="contained"
            onClick={() => {
              close();
              clash.again();
            }}
          >
            Use mine: {said(clash.apart[0]?.mine)}
          </Button>
          <Button variant="outlined" onClick={close}>
            Leave theirs: {said(clash.apart[0]?.theirs)}
          </Button>
        </Box>
      </Alert>
    </Box>
  );
}

function said(value: unknown): string {
  if (value === undefined || value === null) return "nothing";
  const text = typeof value === "string" ? value : JSON.stringify(value);
  return text.length > 40 ? `${text.slice(0, 40)}…` : text;
}
