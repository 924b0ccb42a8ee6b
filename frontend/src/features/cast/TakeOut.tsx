import Button from "@mui/material/Button";
import type { Shot } from "../../api/client";
import { takeOut } from "../../domain/edits";
import { useEdit } from "../../state/queries";

/** Take a member or garment out of the shot; Undo brings it back. */
export function TakeOut({ shot, name }: { shot: Shot; name: string }) {
  const edit = useEdit(shot);
  return (
    <Button
      aria-label={`Take out ${name}`}
      onClick={() => {
        edit.mutate({ edit: (document) => takeOut(document, name) });
      }}
      sx={{ mt: 0.25, ml: -0.75, fontWeight: 400, fontSize: 12.5 }}
    >
      Take out
    </Button>
  );
}
