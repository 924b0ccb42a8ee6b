/** Snags and remedies on the server: asked for, and changed. */
import { useMutation, useQuery } from "@tanstack/react-query";
import { api, got, type Mending, type RemedyAsk, type Take } from "../api/client";
import { client, complain, keys } from "./queries";

export function useMending(take: number | null) {
  return useQuery({
    queryKey: keys.mending(take ?? 0),
    enabled: take !== null,
    queryFn: () => got<Mending>(api.GET("/api/takes/{take_id}/mending", { params: { path: { take_id: take ?? 0 } } })),
  });
}

function keep(mending: Mending): void {
  client.setQueryData(keys.mending(mending.take), mending);
}

export function useLookForSnags() {
  return useMutation({
    mutationFn: (take: number) => got<Mending>(api.POST("/api/takes/{take_id}/snags", { params: { path: { take_id: take } } })),
    onSuccess: keep,
    onError: complain,
  });
}

/** What is asked of a remedy; the rest is as the server has it. */
export type Ask = Pick<RemedyAsk, "verb"> & Partial<RemedyAsk>;

/** Do a remedy: on a take that was not mended yet, a new take is made for it first. Gives the take it is done on. */
export function useDoRemedy(shot: number) {
  return useMutation({
    mutationFn: async ({ take, ask }: { take: number; ask: Ask }): Promise<Mending> => {
      const made = await got<Take>(api.POST("/api/takes/{take_id}/mended", { params: { path: { take_id: take } } }));
      if (made.id !== take) await client.invalidateQueries({ queryKey: keys.takes(shot) });
      const body = ask as RemedyAsk;
      return got<Mending>(api.POST("/api/takes/{take_id}/remedies", { params: { path: { take_id: made.id } }, body }));
    },
    onSuccess: keep,
    onError: complain,
  });
}

export type RemedyDeed = { do: "on" | "off" | "take it" | "take back" };

export function useRemedyDeed() {
  return useMutation({
    mutationFn: ({ remedy, deed }: { remedy: number; deed: RemedyDeed }) => {
      const params = { path: { remedy_id: remedy } };
      if (deed.do === "take back") return got<Mending>(api.DELETE("/api/remedies/{remedy_id}", { params }));
      const body = deed.do === "take it" ? { is_on: true, take_it: true } : { is_on: deed.do === "on", take_it: false };
      return got<Mending>(api.PATCH("/api/remedies/{remedy_id}", { params, body }));
    },
    onSuccess: keep,
    onError: complain,
  });
}

/** Accept a snag with a word, or take that back where the word is null. */
export function useAccept() {
  return useMutation({
    mutationFn: ({ take, snag, word }: { take: number; snag: string; word: string | null }) => {
      const params = { path: { take_id: take } };
      if (word === null) return got<Mending>(api.POST("/api/takes/{take_id}/accepted/taken-back", { params, body: { key: snag } }));
      return got<Mending>(api.POST("/api/takes/{take_id}/accepted", { params, body: { key: snag, word } }));
    },
    onSuccess: keep,
    onError: complain,
  });
}

export interface BroughtCache {
  garment: string;
  files: Record<string, string>;
  unit: "m" | "dm" | "cm" | "mm" | "in" | "ft";
  up: "x" | "y" | "z";
  starts_at: number | null;
}

/** Make a take of caches from elsewhere. */
export function useBringTakeIn(shot: number) {
  return useMutation({
    mutationFn: (ask: { name: string | null; caches: BroughtCache[] }) =>
      got<Take>(api.POST("/api/shots/{shot_id}/brought-in", { params: { path: { shot_id: shot } }, body: ask })),
    onSuccess: () => client.invalidateQueries({ queryKey: keys.takes(shot) }),
    onError: complain,
  });
}
