/** The look that shows maps, as they are drawn now, on the cloth of takes. */
import { useEffect, useMemo } from "react";
import { floats, part, type Shot } from "../api/client";
import { mapAtHand, mapsOf } from "../domain/chalk";
import { complain } from "../state/queries";
import { useRoom } from "../state/room";
import { looksAtTakes } from "../stage/description";
import type { Scenery } from "../stage/scenery";
import { NOTHING_DRAWN } from "../stage/shades";

export function useMapLook(scenery: Scenery | null, shot: Shot): void {
  const shown = useRoom((room) => room.look === "map" && looksAtTakes(room.bench));
  const wanted = useRoom((room) => room.chalk);
  const paths = useMemo(
    () =>
      shot.document.garments.flatMap(({ name }) => {
        const map = mapAtHand(mapsOf(shot.document, name), wanted);
        const path = `/api/shots/${shot.id}/revisions/${shot.revision}/garments/${part(name)}/maps/${part(map?.name ?? "")}`;
        return map === undefined ? [] : [{ garment: name, path }];
      }),
    [shot, wanted],
  );
  useEffect(() => {
    if (!shown || scenery === null) return;
    let current = true;
    Promise.all(paths.map(async ({ garment, path }) => [garment, { values: (await floats(path)).values, low: 0, high: 1 }] as const))
      .then((found) => {
        if (current) scenery.setChalk(new Map(found));
      })
      .catch(complain);
    return () => {
      current = false;
      scenery.setChalk(NOTHING_DRAWN);
    };
  }, [scenery, shown, paths]);
}
