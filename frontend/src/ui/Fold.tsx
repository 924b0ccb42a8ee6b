import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { type ReactNode, useId, useState } from "react";

/** Controls that are rarely used, folded away; what is set in them is said in a few words. */
export function Fold({ title, said, children }: { title: string; said: string; children: ReactNode }) {
  const [open, setOpen] = useState(false);
  const id = useId();
  return (
    <Box sx={{ mb: 1.25 }}>
      <Button
        fullWidth
        aria-expanded={open}
        aria-controls={id}
        onClick={() => {
          setOpen(!open);
        }}
        sx={{ justifyContent: "space-between", textAlign: "left", fontWeight: 400, fontSize: 13, color: "text.primary", px: 0.5 }}
      >
        <span>{title}</span>
        <Typography component="span" sx={{ fontSize: 12, color: "text.secondary", textAlign: "right" }}>
          {said} {open ? "−" : "+"}
        </Typography>
      </Button>
      {open && <Box id={id}>{children}</Box>}
    </Box>
  );
}
