import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import ButtonBase from "@mui/material/ButtonBase";
import Typography from "@mui/material/Typography";
import { useTheme } from "@mui/material/styles";
import { type ReactNode, useState } from "react";
import type { Reading, Shot } from "../../api/client";
import { addFlounce, addRings, middleOf, wearersOf } from "../../domain/recipes";
import { useEdit } from "../../state/queries";
import { useRoom } from "../../state/room";

const HEIGHT = 1.7; // m of a figure whose reading has not come

/** The card that makes another garment: each way drawn as what it does. */
export function MakeAnother({ shot, reading }: { shot: Shot; reading: Reading | undefined }) {
  const set = useRoom((room) => room.set);
  const edit = useEdit(shot);
  const [open, setOpen] = useState(false);
  const garments = shot.document.garments;
  const show = open || garments.length === 0;
  const made = (document: Shot["document"]) => document.garments.at(-1)?.name ?? null;
  const work = (ask: Parameters<typeof edit.mutate>[0]) => {
    edit.mutate(ask, {
      onSuccess: ({ document }) => {
        set({ garment: made(document) });
        setOpen(false);
      },
    });
  };
  return (
    <Box component="section" aria-label="Make another" sx={{ border: 1, borderStyle: "dashed", borderColor: "divider", borderRadius: 1, p: 0.75, mb: 1 }}>
      {garments.length > 0 && (
        <Button
          fullWidth
          aria-expanded={show}
          onClick={() => {
            setOpen(!open);
          }}
        >
          Make another
        </Button>
      )}
      {show && (
        <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", gap: 0.75 }}>
          {wearersOf(shot.document).map((name) => (
            <Way
              key={name}
              said={`Rings round the ${name}`}
              more="a skirt, with tiers if you like"
              off={edit.isPending}
              act={() => {
                work({ edit: (document) => addRings(document, name, reading?.cast[name]?.height ?? HEIGHT), onNewest: true });
              }}
            >
              <RingsPicture />
            </Way>
          ))}
          {garments.map(({ name, recipe }) => (
            <Way
              key={`on ${name}`}
              said={`A tier on the ${name}`}
              more="a gathered flounce, sewn on"
              off={edit.isPending}
              act={() => {
                work({ edit: (document) => addFlounce(document, name, middleOf(recipe, reading, name)), onNewest: true });
              }}
            >
              <TierPicture />
            </Way>
          ))}
          <Way
            said="From a file"
            more="bring one in on the Cast bench"
            act={() => {
              set({ bench: "cast" });
            }}
          >
            <FilePicture />
          </Way>
        </Box>
      )}
    </Box>
  );
}

function Way({ said, more, act, off, children }: { said: string; more: string; act(): void; off?: boolean; children: ReactNode }) {
  return (
    <ButtonBase
      aria-label={said}
      disabled={off}
      onClick={act}
      sx={{ display: "block", textAlign: "center", p: 0.75, borderRadius: 1, border: 1, borderColor: "divider", bgcolor: "background.paper", "&:hover": { borderColor: "primary.main" } }}
    >
      <Box aria-hidden sx={{ height: 46 }}>
        {children}
      </Box>
      <Typography sx={{ fontSize: 12.5, fontWeight: 600, lineHeight: 1.25, overflowWrap: "anywhere" }}>{said}</Typography>
      <Typography sx={{ fontSize: 11.5, color: "text.secondary", lineHeight: 1.25 }}>{more}</Typography>
    </ButtonBase>
  );
}

function Drawing({ children }: { children: ReactNode }) {
  const c = useTheme().cloth;
  return (
    <svg viewBox="0 0 80 46" height="46" stroke={c.indigo} strokeWidth="1.7" fill="none" strokeLinecap="round">
      {children}
    </svg>
  );
}

function RingsPicture() {
  return (
    <Drawing>
      <ellipse cx="40" cy="8" rx="13" ry="4" />
      <ellipse cx="40" cy="36" rx="31" ry="8" />
      <path d="M27 9 L9 35 M53 9 L71 35" strokeDasharray="3 4" />
    </Drawing>
  );
}

function TierPicture() {
  return (
    <Drawing>
      <path d="M26 3 L20 18 M54 3 L60 18" strokeDasharray="3 4" />
      <path d="M18 19 q5.5 4 11 0 t11 0 t11 0 t11 0" />
      <path d="M12 39 q7 6 14 0 t14 0 t14 0 t14 0 M18 19 L12 39 M62 19 L68 39 M29 20 L27 38 M40 20 L40 38 M51 20 L53 38" />
    </Drawing>
  );
}

function FilePicture() {
  return (
    <Drawing>
      <path d="M26 4 H48 L56 12 V42 H26 Z M48 4 V12 H56" />
      <path d="M34 21 L41 33 L48 21 Z" />
    </Drawing>
  );
}
