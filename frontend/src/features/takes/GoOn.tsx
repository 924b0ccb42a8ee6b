import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState } from "react";
import type { Shot, Take } from "../../api/client";
import { useTakeDeed } from "../../state/queries";
import { NumberField } from "../../ui/NumberField";
import { Small } from "../../ui/Card";

/** Let a take that ended go on; a finished one to a later frame. */
export function GoOn({ shot, take }: { shot: Shot; take: Take }) {
  const deed = useTakeDeed(shot.id);
  const [last, setLast] = useState<number | null>(null);
  if (take.state !== "finished") {
    return (
      <Small
        label={`Go on with ${take.name}`}
        act={() => {
          deed.mutate({ take: take.id, deed: { do: "go-on", last: null } });
        }}
      >
        Go on
      </Small>
    );
  }
  if (last === null) {
    return (
      <Small
        label={`Extend ${take.name}`}
        act={() => {
          setLast(take.last + 12);
        }}
      >
        Extend
      </Small>
    );
  }
  return (
    <Box sx={{ display: "flex", alignItems: "center", gap: 1, width: "100%", pl: 0.75 }}>
      <NumberField label="To frame" value={last} whole low={take.last + 1} keep={setLast} />
      <Button
        variant="outlined"
        onClick={() => {
          deed.mutate({ take: take.id, deed: { do: "go-on", last } });
          setLast(null);
        }}
      >
        Extend
      </Button>
    </Box>
  );
}
