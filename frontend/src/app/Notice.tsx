import Alert from "@mui/material/Alert";
import Snackbar from "@mui/material/Snackbar";
import { useRoom } from "../state/room";

/** The latest thing the person was told; faults stay until they are closed. */
export function Notice() {
  const notice = useRoom((room) => room.notice);
  const set = useRoom((room) => room.set);
  const close = () => {
    set({ notice: null });
  };
  return (
    <Snackbar
      open={notice !== null}
      autoHideDuration={notice?.bad ? null : 5000}
      onClose={(_, reason) => {
        if (reason !== "clickaway") close();
      }}
      anchorOrigin={{ vertical: "top", horizontal: "center" }}
      sx={{ top: { sm: 96 } }}
    >
      {notice === null ? undefined : (
        <Alert severity={notice.bad ? "error" : "info"} onClose={close} sx={{ maxWidth: 560 }}>
          {notice.text}
          {notice.remedy && (
            <>
              <br />
              {notice.remedy}.
            </>
          )}
        </Alert>
      )}
    </Snackbar>
  );
}
