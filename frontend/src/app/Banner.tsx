import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import type { Workroom } from "../api/client";
import { capital } from "../domain/words";

/** What of the house does not run, and what to do; nothing when all is well. */
export function Banner({ workroom, error }: { workroom: Workroom | undefined; error: Error | null }) {
  const said = saying(workroom, error);
  if (said === null) return null;
  return (
    <Box role="status" sx={{ position: "fixed", top: 44, left: "50%", transform: "translateX(-50%)", zIndex: 1200, maxWidth: 640 }}>
      <Alert severity="warning" variant="filled" sx={{ color: "#1F2D3A", bgcolor: "#E4C46A", "& .MuiAlert-icon": { color: "#1F2D3A" } }}>
        {said}
      </Alert>
    </Box>
  );
}

export function saying(workroom: Workroom | undefined, error: Error | null): string | null {
  if (error !== null) return `${capital(error.message)}. The page keeps its picture and goes on when it returns.`;
  if (workroom === undefined) return null;
  if (workroom.workers === 0) return "No worker is running, so takes wait. ./needle up starts one; ./needle worker adds one.";
  if (!workroom.desk) return "The desk process is away, so nothing can be pointed at. ./needle up starts it again.";
  return null;
}
