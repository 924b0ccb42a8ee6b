import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import IconButton from "@mui/material/IconButton";
import Typography from "@mui/material/Typography";
import { useMemo } from "react";
import { download, type MapRecord, part, type Shot } from "../../api/client";
import { apartOf, changeMap, lessOf, mapsOf, removeMap, removeStep, roleOf, spanOf, spreadOf, stepSaid } from "../../domain/chalk";
import { capital, count, signed } from "../../domain/words";
import { usePainted } from "../../state/painted";
import { useFacts } from "../../state/facts";
import { complain, useEdit } from "../../state/queries";
import { useRoom } from "../../state/room";
import { Section } from "../../ui/Card";
import { NumberField } from "../../ui/NumberField";
import { Pick } from "../../ui/Pick";

interface MapPanelProps {
  shot: Shot;
  garment: string;
  map: MapRecord;
}

/** What a map means, how its values lie, and the steps that made it. */
export function MapPanel({ shot, garment, map }: MapPanelProps) {
  const edit = useEdit(shot);
  const roles = useFacts().map_roles;
  const [low, high] = spanOf(map, roles);
  const keep = (span: [number, number]) => {
    edit.mutate({ edit: (document) => changeMap(document, garment, map.name, { span }, `means ${span[0]} to ${span[1]}`) });
  };
  return (
    <>
      <Section title={`What ${map.name} means`}>
        <Typography sx={{ fontSize: 12.5 }}>{capital(roleOf(map, roles).does)}.</Typography>
        {nothingFor(shot, garment, map) !== null && (
          <Typography role="alert" sx={{ fontSize: 12.5, pl: 1, borderLeft: 3, borderColor: "warning.main", my: 0.5 }}>
            {nothingFor(shot, garment, map)}
          </Typography>
        )}
        <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", columnGap: 1 }}>
          <NumberField label="0 means" value={low} low={0} high={10_000} keep={(value) => { keep([value, high]); }} />
          <NumberField label="1 means" value={high} low={0} high={10_000} keep={(value) => { keep([low, value]); }} />
        </Box>
        <Compare map={map} others={mapsOf(shot.document, garment).filter((one) => one.name !== map.name)} />
      </Section>
      <Section title="Steps">
        {map.steps.length === 0 && <Typography variant="body2" color="text.secondary">Nothing drawn yet: 0 everywhere.</Typography>}
        {map.steps.map((step, at) => (
          <Box key={at} sx={{ display: "flex", alignItems: "center", justifyContent: "space-between" }}>
            <Typography sx={{ fontSize: 12.5 }}>
              <span className="figure">{at + 1}.</span> {stepSaid(step)}
            </Typography>
            <IconButton size="small" aria-label={`Take back step ${at + 1}`} onClick={() => { edit.mutate({ edit: (document) => removeStep(document, garment, map.name, at) }); }}>
              ×
            </IconButton>
          </Box>
        ))}
        <SaveAs shot={shot} garment={garment} map={map} />
        <Button onClick={() => { edit.mutate({ edit: (document) => removeMap(document, garment, map.name) }); }} sx={{ ml: -0.75, fontWeight: 400, fontSize: 12.5 }}>
          Take out {map.name}
        </Button>
      </Section>
    </>
  );
}

/** Why a map in use would do nothing; null when it does something. */
function nothingFor(shot: Shot, garment: string, map: MapRecord): string | null {
  const worn = shot.document.garments.find((one) => one.name === garment);
  const fabric = (shot.document.fabrics ?? []).find((one) => one.name === worn?.fabric);
  if (map.role === "memory" && !fabric?.memory) return "The fabric remembers no folds: let it, on the Wardrobe bench.";
  if (map.role === "hold" && !(worn?.holds ?? []).some((hold) => hold.how.kind === "follows")) {
    return "Nothing follows the body yet: add such a hold, of all of it, on the Fasten bench.";
  }
  return null;
}

/** How its values lie, or where they differ from those of another map. */
function Compare({ map, others }: { map: MapRecord; others: readonly MapRecord[] }) {
  const wanted = useRoom((room) => room.less);
  const values = usePainted((painted) => painted.values);
  const set = useRoom((room) => room.set);
  const less = lessOf(others, map, wanted);
  const found = useMemo(() => (values === null ? null : apartOf(values)), [values]);
  return (
    <>
      {less === undefined ? (
        <Spread />
      ) : (
        found !== null && (
          <Typography sx={{ fontSize: 12.5, mt: 0.75 }}>
            {found.apart === 0 ? `The same as ${less.name} everywhere.` : `Unlike ${less.name} at ${count(found.apart, "vertex", "vertices")}: by ${signed(found.least)} to ${signed(found.most)}.`}
          </Typography>
        )
      )}
      {others.length > 0 && (
        <Pick
          label="Show the difference from"
          value={less?.name ?? ""}
          options={[{ value: "", name: "nothing, draw" }, ...others.map((one) => ({ value: one.name, name: one.name }))]}
          keep={(name) => { set({ less: name === "" ? null : name }); }}
        />
      )}
    </>
  );
}

const FILES = [
  { kind: "png", name: "PNG", said: "A grey picture of 16 bits over the UVs" },
  { kind: "ply", name: "PLY", said: "The mesh with the map as a property of its vertices" },
  { kind: "usda", name: "USD", said: "The mesh with the map as a primvar" },
] as const;

function SaveAs({ shot, garment, map }: MapPanelProps) {
  const path = `/api/shots/${shot.id}/revisions/${shot.revision}/garments/${part(garment)}/maps/${part(map.name)}/file`;
  return (
    <Box sx={{ display: "flex", alignItems: "center", gap: 0.75, my: 0.75 }}>
      <Typography noWrap sx={{ fontSize: 12.5, flex: "none" }}>Save it as</Typography>
      {FILES.map(({ kind, name, said }) => (
        <Button key={kind} size="small" variant="outlined" title={said} aria-label={`Save ${map.name} as ${name}`} onClick={() => { download(`${path}?kind=${kind}`, `${garment} ${map.name}.${kind}`).catch(complain); }}>
          {name}
        </Button>
      ))}
    </Box>
  );
}

/** How many vertices have which value. */
function Spread() {
  const values = usePainted((painted) => painted.values);
  const spread = useMemo(() => (values === null ? null : spreadOf(values)), [values]);
  if (spread === null || values === null) return null;
  const most = Math.max(...spread.tenths, 1);
  return (
    <>
      <Box role="img" aria-label={`Vertices in each tenth: ${spread.tenths.join(", ")}`} sx={{ display: "flex", alignItems: "flex-end", gap: "2px", height: 40, mt: 0.75 }}>
        {spread.tenths.map((vertices, tenth) => (
          <Box key={tenth} title={`${tenth / 10} to ${(tenth + 1) / 10}: ${vertices}`} sx={{ flex: 1, height: `${Math.max(2, (100 * vertices) / most)}%`, bgcolor: "primary.main", opacity: 0.35 + 0.06 * tenth }} />
        ))}
      </Box>
      <Typography sx={{ fontSize: 12, color: "text.secondary" }}>
        {count(spread.none, "vertex", "vertices")} at exactly 0, {spread.full} at 1, of {values.length}.
      </Typography>
    </>
  );
}
