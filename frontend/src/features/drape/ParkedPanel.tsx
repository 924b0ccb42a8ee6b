import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import type { Told } from "../../domain/fitting";
import { tell } from "../../state/fitting";
import { Section, Small } from "../../ui/Card";

/** What is parked of each garment; whole garments are parked here. */
export function ParkedPanel({ told }: { told: Told }) {
  return (
    <Section title="Parked">
      {told.garments.map(({ name, vertices, parked }) => (
        <Box key={name} sx={{ display: "flex", alignItems: "baseline", gap: 0.75 }}>
          <Typography sx={{ fontSize: 12.5, flex: 1, minWidth: 0 }} noWrap>
            {name}{" "}
            <Typography component="span" sx={{ fontSize: 12, color: "text.secondary" }}>
              {parked === 0 ? "moves" : parked === vertices ? "all of it" : <span className="figure">{`${Math.round((100 * parked) / vertices)} %`}</span>}
            </Typography>
          </Typography>
          {parked < vertices && (
            <Small label={`Park all of the ${name}`} act={() => { tell({ do: "park", garment: name, parked: true }); }}>
              Park all
            </Small>
          )}
          {parked > 0 && (
            <Small label={`Take all of the ${name} up`} act={() => { tell({ do: "park", garment: name, parked: false }); }}>
              Take up
            </Small>
          )}
        </Box>
      ))}
    </Section>
  );
}
