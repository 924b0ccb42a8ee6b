import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import type { ReactNode } from "react";
import { capital } from "../domain/words";

/** The work card of a bench: its name, what it is for, and its controls in the order they are used. */
export function Card({ title, lead, children }: { title: string; lead: string; children: ReactNode }) {
  return (
    <Box component="aside" aria-label={title} sx={{ borderLeft: 1, borderColor: "divider", px: 2.25, py: 2, overflowY: "auto", minHeight: 0 }}>
      <Typography variant="h2">{title}</Typography>
      <Typography variant="body2" color="text.secondary" sx={{ mb: 1.5 }}>
        {lead}
      </Typography>
      {children}
    </Box>
  );
}

export function Section({ title, children }: { title: string; children: ReactNode }) {
  return (
    <Box component="section" aria-label={title} sx={{ mt: 2 }}>
      <Typography variant="h3" sx={{ mb: 0.75 }}>
        {title}
      </Typography>
      {children}
    </Box>
  );
}

/** A name and a figure with its unit. */
export function Figure({ name, value }: { name: string; value: string }) {
  return (
    <Box sx={{ display: "flex", justifyContent: "space-between", gap: 1, fontSize: 12.5, lineHeight: 1.6 }}>
      <Typography component="span" sx={{ fontSize: 12.5, color: "text.secondary" }}>
        {name}
      </Typography>
      <Typography component="span" className="figure" sx={{ fontSize: 12.5, textAlign: "right" }}>
        {value}
      </Typography>
    </Box>
  );
}

/** A small panel of its own within a card. */
export function Panel({ children, label }: { children: ReactNode; label?: string }) {
  return (
    <Box role={label ? "group" : undefined} aria-label={label} sx={{ border: 1, borderColor: "divider", borderRadius: 1, bgcolor: "background.paper", px: 1.25, py: 1, mb: 1 }}>
      {children}
    </Box>
  );
}

/** What is worth knowing and stops nothing. */
export function Notes({ notes }: { notes: string[] }) {
  return notes.map((note) => (
    <Typography key={note} sx={{ fontSize: 12, color: "text.secondary", mt: 0.5 }}>
      {capital(note)}.
    </Typography>
  ));
}

/** What is wrong, where, and how to fix it. */
export function FaultNote({ fault }: { fault: { what: string; where: string; remedy: string } }) {
  return (
    <Box role="alert" sx={{ mt: 0.75, pl: 1, borderLeft: 3, borderColor: "error.main" }}>
      <Typography sx={{ fontSize: 12.5, color: "error.main", fontWeight: 600 }}>{fault.what}</Typography>
      {fault.where && <Typography sx={{ fontSize: 12 }}>{fault.where}</Typography>}
      {fault.remedy && <Typography sx={{ fontSize: 12, color: "text.secondary" }}>{fault.remedy}.</Typography>}
    </Box>
  );
}

export function Small(props: { label: string; act(): void; children: ReactNode; off?: boolean; pressed?: boolean }) {
  return (
    <Button
      aria-label={props.label}
      aria-pressed={props.pressed}
      disabled={props.off}
      onClick={props.act}
      sx={{ minWidth: 0, px: 0.75, py: 0.2, fontSize: 12.5, fontWeight: props.pressed ? 600 : 400, textDecoration: props.pressed ? "underline" : "none" }}
    >
      {props.children}
    </Button>
  );
}
