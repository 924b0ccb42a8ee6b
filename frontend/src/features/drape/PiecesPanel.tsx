import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import type { Shot } from "../../api/client";
import type { Told } from "../../domain/fitting";
import { valueAt } from "../../domain/keys";
import { count } from "../../domain/words";
import { tell } from "../../state/fitting";
import { Fold } from "../../ui/Fold";
import { NumberField } from "../../ui/NumberField";
import { Section, Small } from "../../ui/Card";

/** Props and set pieces, in or out; how far cloth keeps from each collider, and how it rubs. */
export function PiecesPanel({ shot, told }: { shot: Shot; told: Told }) {
  const colliders = (shot.document.cast ?? []).filter((member) => member.collider != null && told.members.includes(member.name));
  return (
    <Section title="Standing by">
      {told.pieces.length === 0 && <Typography sx={{ fontSize: 12.5, color: "text.secondary" }}>No prop or set piece keeps cloth off.</Typography>}
      {told.pieces.map((piece) => (
        <Box key={piece.name} sx={{ display: "flex", alignItems: "baseline", gap: 0.75 }}>
          <Typography sx={{ fontSize: 12.5, flex: 1, minWidth: 0 }} noWrap>
            {piece.name}{" "}
            <Typography component="span" sx={{ fontSize: 12, color: "text.secondary" }}>
              {piece.is === "coming" ? "comes in" : piece.is}
            </Typography>
          </Typography>
          <Small label={`${piece.is === "out" ? "Bring" : "Take"} ${piece.name} ${piece.is === "out" ? "in" : "out"}`} act={() => { tell({ do: "piece", name: piece.name, comes: piece.is === "out" }); }}>
            {piece.is === "out" ? "Bring in" : "Take out"}
          </Small>
        </Box>
      ))}
      <Fold title="Clearance and friction" said={count(colliders.length, "collider")}>
      {colliders.map((member) => {
        const { clearance_mm: clearance, friction } = member.collider ?? { clearance_mm: 3, friction: 0.3 };
        const [far, rubs] = [clearance, friction].map((value) => (typeof value === "number" ? value : valueAt(value, told.time)));
        return (
          <Box key={member.name} role="group" aria-label={`How cloth meets ${member.name}`} sx={{ mb: 1 }}>
            <Typography sx={{ fontSize: 12.5 }}>{member.name}</Typography>
            <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", columnGap: 1 }}>
              <NumberField label="Clearance, mm" value={far ?? 3} low={0} high={200} keep={(mm) => { tell({ do: "clearance", member: member.name, mm }); }} />
              <NumberField label="Friction" value={rubs ?? 0.3} low={0} high={5} keep={(value) => { tell({ do: "friction", member: member.name, value }); }} />
            </Box>
            <Small label={`The shot's own clearance of ${member.name}`} act={() => { tell({ do: "clearance", member: member.name, mm: null }); }}>
              The shot’s own again
            </Small>
          </Box>
        );
      })}
      </Fold>
    </Section>
  );
}
