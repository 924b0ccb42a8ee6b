import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { part, type Shot } from "../../api/client";
import { Fold } from "../../ui/Fold";
import { Pick } from "../../ui/Pick";
import { UNITS } from "../../ui/UnitFields";

const KINDS = [
  { value: "obj", name: "OBJ" },
  { value: "usda", name: "USD, text" },
  { value: "usdc", name: "USD, binary" },
  { value: "glb", name: "glTF, binary" },
];

/** A character in its rest pose as a file, for whoever dresses it elsewhere. */
export function RestFile({ shot, member }: { shot: Shot; member: string }) {
  const [kind, setKind] = useState("obj");
  const [unit, setUnit] = useState("m");
  const [up, setUp] = useState("y");
  const fixed = kind === "glb"; // the format has one unit and one axis
  const asked = new URLSearchParams({ kind, unit: fixed ? "m" : unit, up: fixed ? "y" : up });
  return (
    <Fold title="Rest pose out" said="to dress it elsewhere">
      <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", columnGap: 1 }}>
        <Pick label="Format" value={kind} options={KINDS} keep={setKind} />
        {!fixed && <Pick label="Rest pose unit" value={unit} options={UNITS.map((one) => ({ value: one.unit, name: one.name }))} keep={setUnit} />}
        {!fixed && <Pick label="Rest pose up" value={up} options={[{ value: "y", name: "Y up" }, { value: "z", name: "Z up" }]} keep={setUp} />}
      </Box>
      <Typography sx={{ fontSize: 12, color: "text.secondary" }}>
        {fixed ? "glTF is always in metres, Y up." : kind === "obj" ? "OBJ states no unit: tell it to whoever reads the file." : "The file states its unit and axis."} A costume made on it
        fits this shot when it comes back.
      </Typography>
      <Button component="a" size="small" variant="outlined" sx={{ mt: 0.5 }} href={`/api/shots/${shot.id}/revisions/${shot.revision}/cast/${part(member)}/rest-file?${asked.toString()}`} download>
        Download the rest pose
      </Button>
    </Fold>
  );
}
