import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import type { MeshInShort, Shot, Uploaded } from "../../api/client";
import { placed, type Role, ROLE_NAMES, rolesOf, statedOf, targetsOf } from "../../domain/cast";
import { freeName } from "../../domain/edits";
import { bytes, capital, count } from "../../domain/words";
import { useEdit } from "../../state/queries";
import { useRoom } from "../../state/room";
import { Figure, Panel } from "../../ui/Card";
import { Pick } from "../../ui/Pick";

const LONGEST = 70; // signs of a file's name that become a thing's: its own may have 80

/** What a file holds, what it is to be, and putting it into the shot. */
export function Placing({ shot, found, done }: { shot: Shot; found: Uploaded; done(): void }) {
  const taken = [...(shot.document.cast ?? []), ...shot.document.garments].map((one) => one.name);
  const roles = rolesOf(found, shot.document.cast);
  const [role, setRole] = useState<Role>(roles[0] ?? "garment");
  const [name, setName] = useState(freeName([...found.name.replace(/\.[^.]+$/, "").replace(/_/g, " ")].slice(0, LONGEST).join(""), taken));
  const [mesh, setMesh] = useState((found.meshes.find((one) => one.moves !== "not at all") ?? found.meshes[0])?.name ?? "");
  const targets = targetsOf(shot, role);
  const [target, setTarget] = useState("");
  const aims = role === "cache" || role === "motion" || role === "shape";
  const aimed = targets.includes(target) ? target : (targets[0] ?? "");
  const edit = useEdit(shot);
  const set = useRoom((room) => room.set);
  const put = () => {
    edit.mutate(
      {
        edit: (document) => placed(document, found, { role, name: name.trim(), mesh, target: aimed }),
        uploads: { [found.name]: found.sha, ...found.beside },
      },
      {
        onSuccess: (after) => {
          // A garment as made stands at the start of the run-in.
          set({ placed: aims ? aimed : name.trim(), ...(role === "garment" ? { frame: after.first_simulated } : {}) });
          done();
        },
      },
    );
  };
  const nameless = name.trim() === "" || taken.includes(name.trim());
  return (
    <Box sx={{ mt: 1 }}>
      <Panel label={`Placing ${found.name}`}>
        <Typography sx={{ fontWeight: 600, fontSize: 13, overflowWrap: "anywhere" }}>{found.name}</Typography>
        <Holds found={found} mesh={mesh} />
        {(found.notes ?? []).map((note) => (
          <Typography key={note} role="alert" sx={{ fontSize: 12, color: "warning.main", overflowWrap: "anywhere" }}>
            {capital(note)}.
          </Typography>
        ))}
        <Pick label="Kind" value={role} options={roles.map((one) => ({ value: one, name: ROLE_NAMES[one] }))} keep={(one) => { setRole(one as Role); }} />
        {found.meshes.length > 1 && (!aims || role === "shape") && (
          <Pick label="Mesh" value={mesh} options={found.meshes.map((one) => ({ value: one.name, name: `${one.name} · ${one.vertices.toLocaleString("en")} vertices` }))} keep={setMesh} />
        )}
        {aims && targets.length > 0 && (
          <Pick label={TARGET_LABELS[role] ?? ""} value={aimed} options={targets.map((one) => ({ value: one, name: one }))} keep={setTarget} />
        )}
        {aims && targets.length === 0 && <Typography sx={{ fontSize: 12.5 }}>Bring in the {role === "motion" ? "character" : "mesh"} that it is for first.</Typography>}
        {!aims && (
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
        )}
        <Box sx={{ display: "flex", gap: 1, mt: 0.5 }}>
          <Button variant="contained" disabled={(aims ? aimed === "" : nameless) || edit.isPending} onClick={put}>
            Put it in the shot
          </Button>
          <Button onClick={done}>Leave it</Button>
        </Box>
      </Panel>
    </Box>
  );
}

const TARGET_LABELS: Partial<Record<Role, string>> = { cache: "It moves", motion: "Character", shape: "A shape of" };

function Holds({ found, mesh }: { found: Uploaded; mesh: string }) {
  const chosen = found.meshes.find((one) => one.name === mesh);
  return (
    <>
      {found.bytes > 0 && <Figure name="File" value={bytes(found.bytes)} />}
      {found.cache !== null && <Figure name="Holds" value={`${count(found.cache.points, "point")} over ${count(found.cache.frames, "frame")}`} />}
      {found.meshes.length > 1 && <Figure name="Holds" value={count(found.meshes.length, "mesh", "meshes")} />}
      {chosen !== undefined && (
        <>
          <Figure name="Vertices" value={chosen.vertices.toLocaleString("en")} />
          <Figure name="Size" value={`${chosen.size.map((side) => side.toPrecision(3)).join(" × ")} units`} />
          <Figure name="Moves" value={movesOf(chosen)} />
          {chosen.shapes.length > 0 && <Figure name="Shapes" value={chosen.shapes.join(", ")} />}
        </>
      )}
      <Figure name="States" value={statedOf(found)} />
    </>
  );
}

function movesOf(mesh: MeshInShort): string {
  if (mesh.first === null || mesh.last === null) return mesh.moves;
  return `${mesh.moves}, frames ${Math.round(mesh.first)} to ${Math.round(mesh.last)}`;
}
