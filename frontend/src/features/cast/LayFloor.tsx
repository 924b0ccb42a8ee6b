import Button from "@mui/material/Button";
import { bringIn, type Shot } from "../../api/client";
import { placed } from "../../domain/cast";
import { freeName } from "../../domain/edits";
import { floorFile } from "../../domain/floor";
import { complain, useEdit } from "../../state/queries";

/** A floor of our own making under a shot that has none. */
export function LayFloor({ shot }: { shot: Shot }) {
  const edit = useEdit(shot);
  const cast = shot.document.cast ?? [];
  if (cast.some((one) => one.name.includes("floor"))) return null;
  const lay = () => {
    const name = freeName("floor", cast.map((one) => one.name));
    bringIn(floorFile(), () => undefined)
      .then((found) => {
        edit.mutate({
          edit: (document) => placed(document, found, { role: "set piece", name, mesh: found.meshes[0]?.name ?? "", target: "" }),
          uploads: { [found.name]: found.sha },
        });
      })
      .catch(complain);
  };
  return (
    <Button size="small" disabled={edit.isPending} onClick={lay}>
      Lay a floor at height 0
    </Button>
  );
}
