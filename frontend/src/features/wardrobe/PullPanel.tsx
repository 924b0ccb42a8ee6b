import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useTheme } from "@mui/material/styles";
import Typography from "@mui/material/Typography";
import type { FabricRecord, LoadCurveRecord, Shot } from "../../api/client";
import { changeSwatch, curveFault, curveFrom, type Pull, pullLine, tidy, withPoint } from "../../domain/swatches";
import { notify } from "../../state/room";
import { useEdit } from "../../state/queries";
import { Panel } from "../../ui/Card";
import { NumberField, OptionalNumberField } from "../../ui/NumberField";

const MOST_POINTS = 12;

/** How the cloth answers a pull in one direction: a straight line, or measured points; and when pressed. */
export function PullPanel({ shot, fabric, pull }: { shot: Shot; fabric: FabricRecord; pull: Pull }) {
  const edit = useEdit(shot);
  const curve = fabric[pull.load] ?? null;
  const compress = pull.compress;
  const keep = (change: Partial<FabricRecord>, said: string) => {
    edit.mutate({ edit: (document) => changeSwatch(document, fabric.name, change, said) });
  };
  const keepCurve = (next: LoadCurveRecord | null) => {
    const fault = next === null ? null : curveFault(next);
    if (fault === null) keep({ [pull.load]: next }, next === null ? `${pull.direction} pulls in a straight line` : `${pull.direction} as measured`);
    else notify(fault, `The ${pull.direction} stays as it was`, true);
  };
  return (
    <Panel label={`Pull along ${pull.direction}`}>
      <Typography sx={{ fontWeight: 600, fontSize: 13, textTransform: "capitalize" }}>{pull.direction}</Typography>
      <PullPlot fabric={fabric} pull={pull} />
      {curve === null ? (
        <Typography sx={{ fontSize: 12.5 }}>
          A straight line of <span className="figure">{tidy(fabric[pull.stiffness]).toLocaleString("en")} N/m</span>.
        </Typography>
      ) : (
        <Points curve={curve} shear={compress === null} keep={keepCurve} />
      )}
      <Button
        sx={{ ml: -0.75, fontWeight: 400, fontSize: 12.5 }}
        onClick={() => {
          keepCurve(curve === null ? curveFrom(fabric[pull.stiffness]) : null);
        }}
      >
        {curve === null ? "Give measured points" : "Back to a straight line"}
      </Button>
      {compress !== null && (
        <OptionalNumberField
          label="Compression, N/m"
          none="as stretched"
          value={fabric[compress] ?? null}
          low={0.1}
          high={1e6}
          keep={(value) => {
            keep({ [compress]: value }, value === null ? `${pull.direction} pressed as stretched` : `${pull.direction} pressed ${value} N/m`);
          }}
        />
      )}
    </Panel>
  );
}

function Points({ curve, shear, keep }: { curve: LoadCurveRecord; shear: boolean; keep(curve: LoadCurveRecord | null): void }) {
  const changed = (values: readonly number[], index: number, value: number) => values.map((one, at) => (at === index ? value : one));
  const without = (values: readonly number[], index: number) => values.filter((_, at) => at !== index);
  return (
    <>
      {curve.strains.map((strain, index) => (
        <Box key={index} sx={{ display: "grid", gridTemplateColumns: "1fr 1fr auto", gap: 0.75, alignItems: "center" }}>
          <NumberField
            label={shear ? "Sine, %" : "Strain, %"}
            value={tidy(strain * 100)}
            low={0.001}
            high={shear ? 100 : 1000}
            keep={(value) => {
              keep({ ...curve, strains: changed(curve.strains, index, tidy(value / 100)) });
            }}
          />
          <NumberField
            label="Force, N/m"
            value={curve.forces[index] ?? 0}
            low={0.001}
            high={1e7}
            keep={(value) => {
              keep({ ...curve, forces: changed(curve.forces, index, value) });
            }}
          />
          <Button
            aria-label={`Take out point ${index + 1}`}
            disabled={curve.strains.length === 1}
            sx={{ minWidth: 0, px: 0.5, fontWeight: 400, fontSize: 12 }}
            onClick={() => {
              keep({ strains: without(curve.strains, index), forces: without(curve.forces, index) });
            }}
          >
            Out
          </Button>
        </Box>
      ))}
      <Button
        disabled={curve.strains.length >= MOST_POINTS}
        sx={{ ml: -0.75, mr: 1, fontWeight: 400, fontSize: 12.5 }}
        onClick={() => {
          keep(withPoint(curve));
        }}
      >
        One more point
      </Button>
    </>
  );
}

const WIDE = 236;
const HIGH = 84;

/** Force against strain, as the engine takes it. */
function PullPlot({ fabric, pull }: { fabric: FabricRecord; pull: Pull }) {
  const c = useTheme().cloth;
  const curve = fabric[pull.load] ?? null;
  const limit = pull.compress === null ? null : (fabric.strain_limit ?? null);
  const reach = 1.25 * Math.max(0.04, curve?.strains[curve.strains.length - 1] ?? 0, limit ?? 0);
  const line = pullLine(fabric, pull, reach);
  const forces = line.map(([, force]) => force);
  // What comes beyond the limit is so steep that the rest would lie flat: the line leaves the picture there.
  const tallest = limit === null ? Math.max(...forces) : 1.5 * (line[line.length - 2]?.[1] ?? 1);
  const [low, high] = [Math.min(0, ...forces), tallest];
  const left = line[0]?.[0] ?? 0;
  const x = (strain: number) => 2 + ((WIDE - 4) * (strain - left)) / (reach - left);
  const y = (force: number) => HIGH - 14 - ((HIGH - 18) * (force - low)) / (high - low);
  const text = { fill: c.softInk, fontSize: 10.5, fontFamily: "IBM Plex Mono" };
  return (
    <svg viewBox={`0 0 ${WIDE} ${HIGH}`} width="100%" style={{ overflow: "hidden" }} role="img" aria-label={`Force against strain along ${pull.direction}`}>
      <path d={`M2 ${y(0)} H${WIDE - 2} M${x(0)} 2 V${HIGH - 14}`} stroke={c.seam} fill="none" />
      <polyline points={line.map(([strain, force]) => `${x(strain)},${y(force)}`).join(" ")} stroke={c.indigo} strokeWidth="2" fill="none" />
      {(curve?.strains ?? []).map((strain, at) => (
        <circle key={strain} cx={x(strain)} cy={y(curve?.forces[at] ?? 0)} r="3" fill={c.panel} stroke={c.indigo} strokeWidth="1.6" />
      ))}
      {limit !== null && <path d={`M${x(limit)} 2 V${HIGH - 14}`} stroke={c.madder} strokeDasharray="3 3" />}
      <text {...text} x={2} y={HIGH - 2}>{`${tidy(Math.round(left * 1000) / 10)} %`}</text>
      <text {...text} x={WIDE - 2} y={HIGH - 2} textAnchor="end">{`${Math.round(reach * 1000) / 10} %`}</text>
      <text {...text} x={x(0) + 4} y={11}>{`${Math.round(high).toLocaleString("en")} N/m`}</text>
    </svg>
  );
}
