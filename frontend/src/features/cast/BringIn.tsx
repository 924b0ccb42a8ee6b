import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import LinearProgress from "@mui/material/LinearProgress";
import Typography from "@mui/material/Typography";
import { useRef, useState } from "react";
import { bringIn, bringInNumbered, type Shot, type Uploaded } from "../../api/client";
import { useFacts } from "../../state/facts";
import { complain } from "../../state/queries";
import { Placing } from "./Placing";


/** Bring a file in, see what it holds, say what it is, put it into the shot. */
export function BringIn({ shot }: { shot: Shot }) {
  const known = useFacts().brought_in;
  const chooser = useRef<HTMLInputElement>(null);
  const [share, setShare] = useState<number | null>(null);
  const [found, setFound] = useState<Uploaded | null>(null);
  const take = (files: readonly File[]) => {
    const [file] = files;
    if (file === undefined) return;
    setShare(0);
    setFound(null);
    (files.length > 1 ? bringInNumbered(files, setShare) : bringIn(file, setShare))
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
        take([...event.dataTransfer.files]);
      }}
    >
      <Button variant={found ? "outlined" : "contained"} fullWidth disabled={share !== null} onClick={() => chooser.current?.click()} sx={{ py: 0.9 }}>
        Bring in a file…
      </Button>
      <input
        ref={chooser}
        type="file"
        hidden
        multiple
        accept={known.join(",")}
        aria-label="File to bring in"
        onChange={(event) => {
          take([...(event.target.files ?? [])]);
        }}
      />
      <Typography sx={{ fontSize: 11.5, color: "text.secondary", mt: 0.5 }}>
        glTF, USD, Alembic, OBJ, PC2 or MDD; several numbered OBJ files together make one moving mesh. Files can be dropped here too.
      </Typography>
      {share !== null && (
        <LinearProgress variant={share < 1 ? "determinate" : "indeterminate"} value={100 * share} aria-label="Bringing in" sx={{ mt: 1 }} />
      )}
      {found !== null && (
        <Placing
          key={found.sha + found.name}
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
