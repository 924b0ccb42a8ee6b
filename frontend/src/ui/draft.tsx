/** Text that is typed into a field whose value another window may change meanwhile. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useState } from "react";

export interface Draft {
  text: string;
  setText(text: string): void;
  /** Whether somebody else changed the value while this text was being typed. */
  theirs: boolean;
  /** The text is being kept: from here on it is no longer only typed. */
  keeping(): void;
  /** Take the value as it is, and forget the text. */
  leave(): void;
}

/** `kept`: the value as the shot has it. Text that nobody typed follows it; text that was typed stays. */
export function useDraft(kept: string): Draft {
  const [text, setText] = useState(kept);
  const [drawn, setDrawn] = useState(kept); // the value that the text was last the same as, or is being kept over
  const [sent, setSent] = useState(false); // whether the text is on its way: what comes next is the answer to it
  const theirs = !sent && text !== drawn && kept !== drawn && kept !== text;
  const leave = () => {
    setSent(false);
    setDrawn(kept);
    setText(kept);
  };
  if (kept !== drawn && !theirs) leave();
  return {
    text,
    setText: (next) => {
      setSent(false);
      setText(next);
    },
    theirs,
    keeping: () => {
      setSent(true);
      setDrawn(kept);
    },
    leave,
  };
}

/** What happened to a field meanwhile, and both values to choose from; nothing when nothing did. */
export function Meanwhile({ draft, what, kept, keep, off = false }: { draft: Draft; what: string; kept: string; keep(): void; off?: boolean }) {
  if (!draft.theirs) return null;
  return (
    <Box role="alert" sx={{ borderLeft: 3, borderColor: "warning.main", pl: 1, mb: 0.5 }}>
      <Typography sx={{ fontSize: 12 }}>
        Another window set {what} to {kept} meanwhile.
      </Typography>
      <Button size="small" sx={{ fontSize: 12, minWidth: 0, px: 0.5 }} disabled={off} onClick={keep}>
        Keep {draft.text}
      </Button>
      <Button size="small" sx={{ fontSize: 12, minWidth: 0, px: 0.5 }} onClick={draft.leave}>
        Take {kept}
      </Button>
    </Box>
  );
}
