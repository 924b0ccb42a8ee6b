import { useQuery } from "@tanstack/react-query";
import { floats, indices, part, type Shot } from "../../api/client";
import { snapshot } from "../../stage/snapshot";

/** A small picture of a garment as it was made; null until its mesh has come, or where it cannot be made. */
export function useGarmentPicture(shot: Shot, garment: string, dye: number): string | null {
  const base = `/api/shots/${shot.id}/revisions/${shot.revision}/garments/${part(garment)}/mesh`;
  const found = useQuery({
    queryKey: ["garment picture", base, dye],
    staleTime: Infinity,
    retry: false,
    placeholderData: (before: string | undefined) => before,
    queryFn: async () => {
      const [triangles, rest] = await Promise.all([indices(`${base}/triangles`), floats(`${base}/rest`)]);
      return snapshot(triangles, rest.values, dye);
    },
  });
  return found.data ?? null;
}
