import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import ButtonBase from "@mui/material/ButtonBase";
import Typography from "@mui/material/Typography";
import { useTheme } from "@mui/material/styles";
import { type ReactNode, useState } from "react";
import type { Reading, Shot } from "../../api/client";
import { addFlounce, addRings, addSewn, BLOCKS, middleOf, wearersOf } from "../../domain/recipes";
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
          {wearersOf(shot.document).slice(0, 1).flatMap((name) =>
            BLOCKS.map((kind) => (
              <Way
                key={`${kind} ${name}`}
                said={`Sew ${kind === "trousers" ? "" : "a "}${kind}`}
                more={`pieces cut for the ${name}`}
                off={edit.isPending}
                act={() => {
                  work({ edit: (document) => addSewn(document, name, kind), onNewest: true });
                  set({ view: "table and figure" });
                }}
              >
                <PiecesPicture kind={kind} />
              </Way>
            )),
          )}
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

/** Flat pieces, and the stitches between them. */
function PiecesPicture({ kind }: { kind: (typeof BLOCKS)[number] }) {
  const outlines = {
    smock: ["M6 42 L8 22 Q12 18 10 10 L17 6 Q22 12 27 6 L34 10 Q32 18 36 22 L38 42 Z", "M46 40 L49 20 Q58 4 67 20 L70 40 Z"],
    trousers: ["M10 4 H26 L26 16 Q26 22 32 23 L26 42 H12 L6 22 Z", "M70 4 H54 L54 16 Q54 22 48 23 L54 42 H68 L74 22 Z"],
    skirt: ["M14 6 H30 L38 42 H6 Z", "M50 6 H66 L74 42 H42 Z"],
    cape: ["M4 42 Q8 20 16 8 Q22 14 28 8 Q36 20 38 42 Z", "M42 42 Q46 20 54 8 Q59 11 64 8 Q72 20 76 42 Z"],
  }[kind];
  return (
    <Drawing>
      {outlines.map((line) => (
        <path key={line} d={line} />
      ))}
      <path d="M36 30 L46 30" strokeDasharray="2 3" />
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
