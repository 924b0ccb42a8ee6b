import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { NeedleMark } from "./NeedleMark";

/** The frame of the application while no shot is open. */
export function Shell() {
  return (
    <Box sx={{ minHeight: "100vh", display: "grid", gridTemplateRows: "40px 1fr" }}>
      <Box
        component="header"
        sx={{
          display: "flex",
          alignItems: "center",
          gap: 1.5,
          px: 2,
          borderBottom: 1,
          borderColor: "divider",
        }}
      >
        <NeedleMark />
        <Typography component="h1" sx={{ fontSize: 15, fontWeight: 600 }}>
          Patient Needle
        </Typography>
      </Box>
      <Box component="main" sx={{ display: "grid", placeContent: "center", gap: 1.5, p: 3 }}>
        <Typography component="h2" sx={{ fontSize: 20, fontWeight: 600 }}>
          No shot is open
        </Typography>
        <Typography color="text.secondary" sx={{ fontSize: 15, maxWidth: 560 }}>
          Shots are simulated from the command line for now. This one hangs a signal flag from a
          swinging yard and takes about ten seconds:
        </Typography>
        <Box
          component="code"
          sx={{
            fontFamily: '"IBM Plex Mono", monospace',
            fontSize: 14,
            p: 1.5,
            border: 1,
            borderColor: "divider",
            borderRadius: 1,
          }}
        >
          ./needle sim demo/flag/shot.json --out out/flag
        </Box>
      </Box>
    </Box>
  );
}
