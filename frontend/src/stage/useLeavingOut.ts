/** Drawing around faces of a cast member on the Cast bench: cloth passes them from then on. */
import { useEffect } from "react";
import { indices, part, type Shot, verticesOf } from "../api/client";
import { changeCollider } from "../domain/edits";
import { complain, useEdit } from "../state/queries";
import { useRoom } from "../state/room";
import type { Stage } from "./stage";
import { type Drawing, useDrawing } from "./useDrawing";

export function useLeavingOut(stage: Stage | null, shot: Shot): { active: boolean; drawing: Drawing } {
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
        if (current) stage.markBody(name, triangles);
      })
      .catch(complain);
    return () => {
      current = false;
      stage.markBody(name, null);
    };
  }, [stage, active, name, base]);

  const drawing = useDrawing(stage, active ? "lasso" : null, (corners, keys) => {
    if (stage === null || name === null) return;
    const { frame } = useRoom.getState();
    verticesOf(`${base}/outlined/${frame}`, { corners, facing: !keys.shiftKey, ...stage.eye() })
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
  });
  return { active, drawing };
}
