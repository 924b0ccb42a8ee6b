import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import type { Pop } from "../api/client";

/** A change that makes the cloth pop, and the frames that prevent it at a press. */
export function PopNote({ pop, widen }: { pop: Pop; widen(): void }) {
  return (
    <Box role="alert" sx={{ mt: 0.5, pl: 1, borderLeft: 3, borderColor: "warning.main" }}>
      <Typography sx={{ fontSize: 12.5 }}>
        The cloth will pop: {pop.said} from frame {pop.first} to {pop.last}. It needs {Math.ceil(pop.needs)} frames.
      </Typography>
      <Button size="small" onClick={widen}>
        Spread it over {pop.wider[0]} to {pop.wider[1]}
      </Button>
    </Box>
  );
}
