import TextField from "@mui/material/TextField";
import { Meanwhile, useDraft } from "./draft";

const LONGEST = 80;

/** A name that is kept on Enter or when the field is left, and only when it says something. */
export function NameField({ label, value, keep, leave, focus = false }: { label: string; value: string; keep(name: string): void; leave?: () => void; focus?: boolean }) {
  const draft = useDraft(value);
  const done = () => {
    const name = draft.text.trim();
    draft.keeping();
    if (name === "") draft.leave();
    else if (name !== value) keep(name);
    leave?.();
  };
  return (
    <>
      <TextField
        autoFocus={focus}
        label={label}
        value={draft.text}
        margin="dense"
        onChange={(event) => {
          draft.setText(event.target.value.slice(0, LONGEST));
        }}
        onBlur={() => {
          if (!draft.theirs) done();
        }}
        onKeyDown={(event) => {
          if (event.key === "Enter") done();
          if (event.key !== "Escape") return;
          draft.leave();
          leave?.();
        }}
      />
      <Meanwhile draft={draft} what="it" kept={value} keep={done} />
    </>
  );
}
