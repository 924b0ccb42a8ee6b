import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import LinearProgress from "@mui/material/LinearProgress";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { bringIn, bringInNumbered, type Shot, type Uploaded } from "../../api/client";
import { type BroughtCache, useBringTakeIn } from "../../state/mending";
import { complain } from "../../state/queries";
import { useRoom } from "../../state/room";
import { Fold } from "../../ui/Fold";
import { OptionalNumberField } from "../../ui/NumberField";
import { UnitFields, type Up } from "../../ui/UnitFields";

/** A take made of caches that were simulated elsewhere: one for each garment. It is judged and mended like our own. */
export function BringTakeIn({ shot }: { shot: Shot }) {
  const bring = useBringTakeIn(shot.id);
  const set = useRoom((room) => room.set);
  const [found, setFound] = useState<Record<string, Uploaded>>({});
  const [share, setShare] = useState<number | null>(null);
  const [unit, setUnit] = useState<string>("m");
  const [up, setUp] = useState<Up>("y");
  const [start, setStart] = useState<number | null>(null);
  const garments = shot.document.garments.map((one) => one.name);
  if (garments.length === 0) return null;
  const take = (garment: string, files: readonly File[]) => {
    const [file] = files;
    if (file === undefined) return;
    setShare(0);
    (files.length > 1 ? bringInNumbered(files, setShare) : bringIn(file, setShare))
      .then((one) => {
        setFound((before) => ({ ...before, [garment]: one }));
      })
      .catch(complain)
      .finally(() => {
        setShare(null);
      });
  };
  const whole = garments.every((name) => found[name] !== undefined);
  const caches = (): BroughtCache[] =>
    garments.flatMap((garment) => {
      const one = found[garment];
      if (one === undefined) return [];
      const { beside } = one as { beside?: Record<string, string> };
      const files = beside !== undefined && Object.keys(beside).length > 0 ? beside : { [one.name]: one.sha };
      return [{ garment, files, unit: unit as BroughtCache["unit"], up, starts_at: start }];
    });
  return (
    <Fold title="Bring in a cache from elsewhere" said="">
      {garments.map((garment) => (
        <Box key={garment} sx={{ display: "flex", alignItems: "center", gap: 1, mb: 0.5 }}>
          <Button component="label" variant="outlined" disabled={share !== null} sx={{ fontSize: 12.5, py: 0.3, whiteSpace: "nowrap" }}>
            {garment}…
            <input
              type="file"
              hidden
              multiple
              accept=".pc2,.mdd,.abc,.usd,.usda,.usdc,.obj"
              aria-label={`Cache of the ${garment}`}
              onChange={(event) => {
                take(garment, [...(event.target.files ?? [])]);
                event.target.value = "";
              }}
            />
          </Button>
          <Typography noWrap sx={{ fontSize: 12, color: "text.secondary" }}>
            {found[garment]?.name ?? "PC2, MDD, Alembic, USD, numbered OBJ"}
          </Typography>
        </Box>
      ))}
      {share !== null && <LinearProgress variant={share < 1 ? "determinate" : "indeterminate"} value={100 * share} aria-label="Bringing in" />}
      <UnitFields of="Cache" unit={unit} up={up} change={(next) => { if ("unit" in next) setUnit(next.unit); else setUp(next.up); }} />
      <OptionalNumberField label="First frame" value={start} none="as its file says, else the shot’s" whole keep={setStart} />
      <Button
        variant="outlined"
        fullWidth
        disabled={!whole || bring.isPending}
        sx={{ mt: 0.5 }}
        onClick={() => {
          bring.mutate(
            { name: null, caches: caches() },
            {
              onSuccess: (made) => {
                setFound({});
                set({ shown: [made.id] });
              },
            },
          );
        }}
      >
        Make a take of {garments.length === 1 ? "it" : "them"}
      </Button>
    </Fold>
  );
}
