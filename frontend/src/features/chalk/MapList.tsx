import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Switch from "@mui/material/Switch";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import type { MapRecord, Shot } from "../../api/client";
import { addMap, putToUse, type Role, roleOf } from "../../domain/chalk";
import { freeName } from "../../domain/edits";
import { useFacts } from "../../state/facts";
import { useEdit } from "../../state/queries";
import { useRoom } from "../../state/room";
import { Section } from "../../ui/Card";
import { Pick } from "../../ui/Pick";

interface MapListProps {
  shot: Shot;
  garment: string;
  maps: readonly MapRecord[];
  at: MapRecord | undefined;
}

/** The garment's maps: which is drawn on, which are in use. */
export function MapList({ shot, garment, maps, at }: MapListProps) {
  const roles = useFacts().map_roles;
  const set = useRoom((room) => room.set);
  const edit = useEdit(shot);
  return (
    <Section title={`Maps of the ${garment}`}>
      {maps.map((map) => (
        <Box key={map.name} sx={{ display: "flex", alignItems: "center", gap: 0.5 }}>
          <Button
            fullWidth
            aria-pressed={map.name === at?.name}
            variant={map.name === at?.name ? "outlined" : "text"}
            onClick={() => { set({ chalk: map.name }); }}
            sx={{ justifyContent: "space-between", fontWeight: map.name === at?.name ? 600 : 400, color: "text.primary" }}
          >
            <span>{map.name}</span>
            <Box component="span" sx={{ fontSize: 12, color: "text.secondary" }}>
              {roleOf(map, roles).name}, {map.in_use ? "in use" : "put away"}
            </Box>
          </Button>
          <Switch
            size="small"
            checked={map.in_use}
            slotProps={{ input: { "aria-label": `Use ${map.name}` } }}
            onChange={(_, use) => { edit.mutate({ edit: (document) => putToUse(document, garment, map.name, use) }); }}
          />
        </Box>
      ))}
      <NewMap shot={shot} garment={garment} maps={maps} />
    </Section>
  );
}

function NewMap({ shot, garment, maps }: Omit<MapListProps, "at">) {
  const [role, setRole] = useState<Role>("bend");
  const [name, setName] = useState("");
  const set = useRoom((room) => room.set);
  const edit = useEdit(shot);
  const roles = useFacts().map_roles;
  const taken = maps.map((map) => map.name);
  const title = roles.find((one) => one.role === role)?.name.toLowerCase() ?? role;
  const given = name.trim() === "" ? freeName(title, taken) : name.trim();
  const usable = !taken.includes(given);
  return (
    <>
      <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", columnGap: 1 }}>
        <Pick label="Map of" value={role} options={roles.map((one) => ({ value: one.role, name: one.name }))} keep={(value) => { setRole(value as Role); }} />
        <TextField label="Map name" margin="dense" value={name} placeholder={given} error={!usable} onChange={(event) => { setName(event.target.value); }} />
      </Box>
      <Button
        variant={maps.length === 0 ? "contained" : "outlined"}
        fullWidth
        disabled={!usable}
        onClick={() => {
          edit.mutate(
            { edit: (document) => addMap(document, garment, given, role) },
            { onSuccess: () => { set({ chalk: given }); setName(""); } },
          );
        }}
      >
        Begin the map
      </Button>
    </>
  );
}
