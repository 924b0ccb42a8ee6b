/** Drawing around faces of a cast member on the Cast bench: cloth passes them from then on. */
import { useEffect, useMemo } from "react";
import { indices, part, type Shot, verticesOf } from "../api/client";
import { changeCollider } from "../domain/edits";
import { complain, useEdit } from "../state/queries";
import { useRoom } from "../state/room";
import type { Stage } from "../stage/stage";
import { type DrawHost, DrawTool } from "./drawTool";

/** The tool, or null while nobody's faces are left out. */
export function useLeavingOut(stage: Stage | null, shot: Shot, drawn: DrawHost["drawn"]): DrawTool | null {
  const name = useRoom((room) => (room.bench === "cast" ? room.leavingOut : null));
  const member = (shot.document.cast ?? []).find((one) => one.name === name);
  const active = member?.collider != null;
  const edit = useEdit(shot);
  const base = `/api/shots/${shot.id}/revisions/${shot.revision}/cast/${part(name ?? "")}`;

  useEffect(() => {
    if (stage === null || !active || name === null) return;
    let current = true;
    indices(`${base}/mesh/left_out`)
      .then((triangles) => {
        if (current) stage.bodies.mark(name, triangles);
      })
      .catch(complain);
    return () => {
      current = false;
      stage.bodies.mark(name, null);
    };
  }, [stage, active, name, base]);

  const around: DrawHost["around"] = (corners, keys) => {
    if (stage === null || name === null) return;
    const { frame } = useRoom.getState();
    verticesOf(`${base}/outlined/${frame}`, { corners, facing: !keys.shiftKey, ...stage.camera.projection() })
      .then((found) => {
        edit.mutate({
          edit: (document) => {
            const before = (document.cast ?? []).find((one) => one.name === name)?.collider?.leave_out_faces ?? [];
            const drawnAround = new Set(found);
            const faces = keys.altKey ? before.filter((face) => !drawnAround.has(face)) : [...new Set([...before, ...found])].sort((a, b) => a - b);
            return changeCollider(document, name, { leave_out_faces: faces }, `${faces.length} faces left out`);
          },
        });
      })
      .catch(complain);
  };
  const tool = useMemo(() => new DrawTool({ drawn, around: () => undefined }), [drawn]);
  useEffect(() => {
    tool.host = { drawn, around };
  });
  return active ? tool : null;
}
