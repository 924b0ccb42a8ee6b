import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import ButtonBase from "@mui/material/ButtonBase";
import Menu from "@mui/material/Menu";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { part, type FittingRecord, type Shot } from "../../api/client";
import { beginFromFitting, beginsAs, dropFitting, freeName } from "../../domain/edits";
import { freeFitting, type Told } from "../../domain/fitting";
import { useEdit, useFittedMesh, useKeepFitting } from "../../state/queries";
import { openFitting, tell, useFitting } from "../../state/fitting";
import { Section } from "../../ui/Card";

const NO_FITTINGS: FittingRecord[] = [];

/** The kept poses as pictures. Each is gone back to, or takes start from it; none is ever written over. */
export function Fittings({ shot, told, stale }: { shot: Shot; told: Told | null; stale: boolean }) {
  const fittings = shot.document.fittings ?? NO_FITTINGS;
  const [typed, setTyped] = useState<string | null>(null);
  const name = typed ?? freeFitting(fittings.map((one) => one.name));
  const keep = useKeepFitting(shot);
  const takePicture = useFitting((fitting) => fitting.picture);
  const taken = fittings.some((one) => one.name === name.trim());
  return (
    <Section title="Fittings">
      <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", gap: 1 }}>
        {fittings.map((fitting) => (
          <Kept key={fitting.name} shot={shot} fitting={fitting} open={told !== null} />
        ))}
      </Box>
      {told !== null && (
        <Box component="form" onSubmit={(event) => {
          event.preventDefault();
          if (taken || name.trim() === "" || stale) return;
          void Promise.resolve(takePicture?.() ?? null).then((picture) => {
            keep.mutate({ name: name.trim(), picture }, { onSuccess: () => { setTyped(null); } });
          });
        }}>
          <TextField label="Name" value={name} margin="dense" fullWidth error={taken} helperText={taken ? "There is one of that name, and none is written over" : undefined} onChange={(event) => { setTyped(event.target.value); }} />
          <Button type="submit" variant="contained" fullWidth disabled={keep.isPending || taken || name.trim() === "" || stale}>
            {keep.isPending ? "Keeping…" : "Keep this fitting"}
          </Button>
          <Button
            fullWidth
            sx={{ fontWeight: 400, fontSize: 12.5 }}
            disabled={taken || name.trim() === "" || stale || told.keep_as !== null}
            title="It goes on until nothing has more than 0.2 mm to go, also when this page is closed, and is kept then"
            onClick={() => { tell({ do: "to rest", until_mm: 0.2, seconds: 300, keep: name.trim() }); }}
          >
            {told.keep_as === null ? "To rest first, then keep it" : `Goes to rest, then kept as ${told.keep_as}`}
          </Button>
        </Box>
      )}
    </Section>
  );
}

function Kept({ shot, fitting, open }: { shot: Shot; fitting: FittingRecord; open: boolean }) {
  const edit = useEdit(shot);
  const [more, setMore] = useState<HTMLElement | null>(null);
  const changed = shot.stale_fittings[fitting.name] ?? [];
  const begins = beginsAs(shot.document) === fitting.name;
  const atRest = fitting.frame === shot.first_simulated;
  return (
    <Box role="group" aria-label={`Fitting ${fitting.name}`} sx={{ border: 2, borderColor: begins ? "primary.main" : "divider", borderRadius: 1, overflow: "hidden", bgcolor: "background.paper" }}>
      <ButtonBase
        disabled={!open}
        aria-label={`Go back to fitting ${fitting.name}`}
        title="Go back to it: all as it was kept"
        onClick={() => { openFitting({ shot: shot.id, revision: shot.revision, fitting: fitting.name }); }}
        sx={{ display: "block", width: "100%", height: 78, bgcolor: (theme) => theme.cloth.stage }}
      >
        {fitting.picture != null && <img src={`/api/shots/${shot.id}/fittings/${part(fitting.name)}/picture`} alt="" style={{ width: "100%", height: "100%", objectFit: "cover" }} />}
      </ButtonBase>
      <Box sx={{ px: 0.75, py: 0.5 }}>
        <Typography sx={{ fontSize: 12.5, fontWeight: 600 }} noWrap title={fitting.name}>
          {fitting.name}
        </Typography>
        <Typography noWrap sx={{ fontSize: 11.5, color: changed.length > 0 ? "warning.main" : "text.secondary" }} title={changed.join("; ")}>
          {changed.length > 0 ? `stale: ${changed.join("; ")}` : begins ? "takes begin here" : atRest ? "at rest" : `at frame ${Math.round(fitting.frame)}`}
        </Typography>
        <Button aria-label={`What to do with fitting ${fitting.name}`} onClick={(event) => { setMore(event.currentTarget); }} sx={{ minWidth: 0, px: 0.75, py: 0.2, ml: -0.75, fontSize: 12.5, fontWeight: 400 }}>
          Use it…
        </Button>
      </Box>
      <Menu anchorEl={more} open={more !== null} onClose={() => { setMore(null); }} onClick={() => { setMore(null); }}>
        <MenuItem dense disabled={!begins && !atRest} onClick={() => { edit.mutate({ edit: (document) => beginFromFitting(document, begins ? null : fitting) }); }}>
          {begins ? "Let takes begin as made again" : atRest ? "Let takes begin here" : "Takes begin at rest: walk it back there first"}
        </MenuItem>
        {fitting.garments.flatMap(({ garment }) => [
          <AsMesh key={`prop ${garment}`} shot={shot} fitting={fitting.name} garment={garment} becomes="prop" />,
          <AsMesh key={`set ${garment}`} shot={shot} fitting={fitting.name} garment={garment} becomes="set piece" />,
          <AsMesh key={`made ${garment}`} shot={shot} fitting={fitting.name} garment={garment} becomes="made shape" />,
          ...(["obj", "usda", "glb"] as const).map((kind) => (
            <MenuItem key={`${kind} ${garment}`} dense component="a" href={`/api/shots/${shot.id}/revisions/${shot.revision}/fittings/${part(fitting.name)}/garments/${part(garment)}/file?kind=${kind}`}>
              {garment} as {kind.toUpperCase()}, metres, Y up
            </MenuItem>
          )),
        ])}
        <MenuItem dense onClick={() => { edit.mutate({ edit: (document) => dropFitting(document, fitting.name) }); }}>
          Take it out of the shot
        </MenuItem>
      </Menu>
    </Box>
  );
}

const BECOMES = { prop: "becomes a prop", "set piece": "becomes a set piece", "made shape": "is made like this" } as const;

function AsMesh({ shot, fitting, garment, becomes }: { shot: Shot; fitting: string; garment: string; becomes: keyof typeof BECOMES }) {
  const mesh = useFittedMesh(shot);
  const names = (shot.document.cast ?? []).map((member) => member.name);
  return (
    <MenuItem dense disabled={mesh.isPending} onClick={() => { mesh.mutate({ fitting, garment, becomes, name: freeName(`${garment}, ${fitting}`.slice(0, 70), names) }); }}>
      {garment} {BECOMES[becomes]}
    </MenuItem>
  );
}
