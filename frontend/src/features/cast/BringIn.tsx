import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import LinearProgress from "@mui/material/LinearProgress";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useRef, useState } from "react";
import { bringIn, type Shot, type ShotDocument, type Uploaded } from "../../api/client";
import { addGarment, addMember, type Edit, freeName } from "../../domain/edits";
import { bytes, count } from "../../domain/words";
import { complain, useEdit } from "../../state/queries";
import { Figure, Panel } from "../../ui/Card";

type Kind = "character" | "garment" | "prop" | "set piece";
const KINDS: readonly Kind[] = ["character", "garment", "prop", "set piece"];

/** Bring a file in, see what it holds, say what it is, put it into the shot. */
export function BringIn({ shot }: { shot: Shot }) {
  const chooser = useRef<HTMLInputElement>(null);
  const [share, setShare] = useState<number | null>(null);
  const [found, setFound] = useState<Uploaded | null>(null);
  const take = (file: File | undefined) => {
    if (file === undefined) return;
    setShare(0);
    setFound(null);
    bringIn(file, setShare)
      .then(setFound)
      .catch(complain)
      .finally(() => {
        setShare(null);
        if (chooser.current) chooser.current.value = "";
      });
  };
  return (
    <Box
      onDragOver={(event) => {
        event.preventDefault();
      }}
      onDrop={(event) => {
        event.preventDefault();
        take(event.dataTransfer.files[0]);
      }}
    >
      <Button variant={found ? "outlined" : "contained"} fullWidth disabled={share !== null} onClick={() => chooser.current?.click()} sx={{ py: 0.9 }}>
        Bring in a file…
      </Button>
      <input
        ref={chooser}
        type="file"
        hidden
        accept=".glb,.obj,.abc,.pc2"
        aria-label="File to bring in"
        onChange={(event) => {
          take(event.target.files?.[0]);
        }}
      />
      <Typography sx={{ fontSize: 11.5, color: "text.secondary", mt: 0.5 }}>
        Characters as animated GLB; garments, props and set pieces as OBJ. A file can be dropped here too.
      </Typography>
      {share !== null && (
        <LinearProgress variant={share < 1 ? "determinate" : "indeterminate"} value={100 * share} aria-label="Bringing in" sx={{ mt: 1 }} />
      )}
      {found !== null && (
        <Placing
          key={found.sha}
          shot={shot}
          found={found}
          done={() => {
            setFound(null);
          }}
        />
      )}
    </Box>
  );
}

function Placing({ shot, found, done }: { shot: Shot; found: Uploaded; done(): void }) {
  const taken = [...(shot.document.cast ?? []), ...shot.document.garments].map((one) => one.name);
  const animated = /\.glb$/i.test(found.name);
  const [kind, setKind] = useState<Kind>(animated ? "character" : "garment");
  const [name, setName] = useState(freeName(found.name.replace(/\.[^.]+$/, "").replace(/_/g, " "), taken));
  const [mesh, setMesh] = useState(found.meshes[0]?.name ?? "");
  const edit = useEdit(shot);
  const put = () => {
    edit.mutate({ edit: (document) => placed(document, found, kind, name.trim(), mesh), uploads: { [found.name]: found.sha } }, { onSuccess: done });
  };
  const largest = Math.max(0, ...found.meshes.flatMap((one) => one.size));
  return (
    <Box sx={{ mt: 1 }}>
      <Panel label={`Placing ${found.name}`}>
        <Typography sx={{ fontWeight: 600, fontSize: 13 }}>{found.name}</Typography>
        <Figure name="File" value={bytes(found.bytes)} />
        <Figure name="Holds" value={count(found.meshes.length, "mesh", "meshes")} />
        <Figure name="Largest side" value={`${largest.toPrecision(3)} file units`} />
        <TextField
          select
          label="It is a"
          value={kind}
          margin="dense"
          onChange={(event) => {
            setKind(event.target.value as Kind);
          }}
        >
          {KINDS.map((one) => (
            <MenuItem key={one} value={one}>
              {one}
            </MenuItem>
          ))}
        </TextField>
        {found.meshes.length > 1 && kind !== "garment" && (
          <TextField
            select
            label="Mesh"
            value={mesh}
            margin="dense"
            onChange={(event) => {
              setMesh(event.target.value);
            }}
          >
            {found.meshes.map((one) => (
              <MenuItem key={one.name} value={one.name}>
                {one.name} · {one.vertices.toLocaleString("en")} vertices
              </MenuItem>
            ))}
          </TextField>
        )}
        <TextField
          label="Name"
          value={name}
          margin="dense"
          error={taken.includes(name.trim())}
          helperText={taken.includes(name.trim()) ? "This name is taken" : undefined}
          onChange={(event) => {
            setName(event.target.value);
          }}
        />
        <Box sx={{ display: "flex", gap: 1, mt: 0.5 }}>
          <Button variant="contained" disabled={name.trim() === "" || taken.includes(name.trim()) || edit.isPending} onClick={put}>
            Put it in the shot
          </Button>
          <Button onClick={done}>Leave it</Button>
        </Box>
      </Panel>
    </Box>
  );
}

/** The edit that puts a file that was brought in into the shot. */
export function placed(document: ShotDocument, found: Uploaded, kind: Kind, name: string, mesh: string): Edit {
  if (kind === "garment") {
    return addGarment(document, { name, file: found.name });
  }
  return addMember(document, {
    name,
    kind,
    file: found.name,
    unit: "m",
    up: "y",
    mesh: found.meshes.length > 1 ? mesh : null,
    cache: null,
    animation: null,
    starts_at: document.frames[0],
    collider: { clearance_mm: 2, friction: 0.3, thickness_mm: 0, leave_out: [] },
  });
}
