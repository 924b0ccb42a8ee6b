import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableRow from "@mui/material/TableRow";
import { useRoom } from "../state/room";
import { SHORTCUTS } from "./shortcuts";

/** What can be done with keys, mouse, trackpad and pen. */
export function Sheet() {
  const open = useRoom((room) => room.sheet);
  const set = useRoom((room) => room.set);
  const close = () => {
    set({ sheet: false });
  };
  return (
    <Dialog open={open} onClose={close} aria-labelledby="sheet-title">
      <DialogTitle id="sheet-title">Keys and gestures</DialogTitle>
      <DialogContent>
        <Table size="small">
          <TableBody>
            {SHORTCUTS.map(({ keys, does }) => (
              <TableRow key={keys}>
                <TableCell className="figure" sx={{ whiteSpace: "nowrap" }}>
                  {keys}
                </TableCell>
                <TableCell>{does}</TableCell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
      </DialogContent>
      <DialogActions>
        <Button onClick={close}>Close</Button>
      </DialogActions>
    </Dialog>
  );
}
