/** The server's things, cached; every change of them goes through here. */
import { compare } from "fast-json-patch";
import { QueryClient, useIsMutating, useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import {
  type Against,
  api,
  type BookSwatch,
  type Delivery,
  type DeliveryAsk,
  type Facts,
  type GarmentRecord,
  type Finding,
  floats,
  got,
  type Health,
  type Pace,
  indices,
  type PatchOperation,
  Problem,
  part,
  type Reading,
  type Recipe,
  type Remade,
  type SelfCuts,
  type Shot,
  type ShotDocument,
  type ShotLine,
  type Take,
  type TakePulse,
  type Workroom,
} from "../api/client";
import type { Edit } from "../domain/edits";
import { apart, type Apart, merged } from "../domain/merge";
import { notify, useRoom } from "./room";

export const client = new QueryClient({
  defaultOptions: { queries: { retry: (count, error) => count < 2 && isAway(error), staleTime: 30_000 } },
});

function isAway(error: unknown): boolean {
  return error instanceof Problem && (error.status === 0 || error.status === 503);
}

export const keys = {
  shots: ["shots"] as const,
  shot: (id: number) => ["shot", id] as const,
  reading: (id: number, revision: number) => ["reading", id, revision] as const,
  takes: (id: number) => ["takes", id] as const,
  pulse: (take: number) => ["pulse", take] as const,
  mending: (take: number) => ["mending", take] as const,
  deliveries: (id: number) => ["deliveries", id] as const,
  workroom: ["workroom"] as const,
  swatches: ["swatches"] as const,
};

/** What the house says of itself; asked once, before anything is shown. */
export function useFactsOfHouse() {
  return useQuery({ queryKey: ["facts"], queryFn: () => got<Facts>(api.GET("/api/facts")), staleTime: Infinity });
}

export function useShots() {
  return useQuery({ queryKey: keys.shots, queryFn: () => got<ShotLine[]>(api.GET("/api/shots")) });
}

export function useShot(id: number | null) {
  return useQuery({
    queryKey: keys.shot(id ?? 0),
    enabled: id !== null,
    queryFn: () => got<Shot>(api.GET("/api/shots/{shot_id}", { params: { path: { shot_id: id ?? 0 } } })),
  });
}

/** How a shot's reading is asked for. */
export function readingOf(shot: Shot | undefined) {
  return {
    queryKey: keys.reading(shot?.id ?? 0, shot?.revision ?? 0),
    staleTime: Infinity,
    queryFn: () =>
      got<Reading>(
        api.GET("/api/shots/{shot_id}/revisions/{number}/reading", {
          params: { path: { shot_id: shot?.id ?? 0, number: shot?.revision ?? 0 } },
        }),
      ),
  };
}

export function useReading(shot: Shot | undefined) {
  return useQuery({ ...readingOf(shot), enabled: shot !== undefined });
}

/** A shot's reading, or while the newest revision is still being read that of the one before, so that what is open
 * on a card stays open.
 */
export function useLastReading(shot: Shot, reading: Reading | undefined): Reading | undefined {
  const [last, setLast] = useState<{ shot: number; reading: Reading } | null>(null);
  if (reading !== undefined && last?.reading !== reading) setLast({ shot: shot.id, reading });
  return reading ?? (last?.shot === shot.id ? last.reading : undefined);
}

export function useTakes(shot: number | null) {
  return useQuery({
    queryKey: keys.takes(shot ?? 0),
    enabled: shot !== null,
    queryFn: () => got<Take[]>(api.GET("/api/shots/{shot_id}/takes", { params: { path: { shot_id: shot ?? 0 } } })),
  });
}

/** How long frames of the latest takes took; asked anew whenever one has ended. */
export function usePaces(shot: Shot) {
  return useQuery({
    queryKey: [...keys.takes(shot.id), "paces"],
    queryFn: () => got<Pace[]>(api.GET("/api/shots/{shot_id}/paces", { params: { path: { shot_id: shot.id } } })),
  });
}

export function usePulse(take: number | undefined) {
  return useQuery({
    queryKey: keys.pulse(take ?? 0),
    enabled: take !== undefined,
    queryFn: () => got<TakePulse>(api.GET("/api/takes/{take_id}/pulse", { params: { path: { take_id: take ?? 0 } } })),
  });
}

/** What a take was made from that another one was not; neither can change. */
export function useAgainst(take: number, other: number) {
  return useQuery({
    queryKey: ["against", take, other],
    staleTime: Infinity,
    queryFn: () => got<Against>(api.GET("/api/takes/{take_id}/against/{other_id}", { params: { path: { take_id: take, other_id: other } } })),
  });
}

export function useDeliveries(shot: number | null) {
  return useQuery({
    queryKey: keys.deliveries(shot ?? 0),
    enabled: shot !== null,
    queryFn: () => got<Delivery[]>(api.GET("/api/shots/{shot_id}/deliveries", { params: { path: { shot_id: shot ?? 0 } } })),
  });
}

/** Where a cast member cuts into itself: asked only when somebody wants to know, it takes some seconds. */
export function useSelfCuts(shot: Shot, member: string, wanted: boolean) {
  return useQuery({
    queryKey: ["self-cuts", shot.id, shot.revision, member],
    enabled: wanted,
    staleTime: Infinity,
    queryFn: async (): Promise<SelfCuts & { marked: Map<number, Uint32Array> }> => {
      const path = { shot_id: shot.id, number: shot.revision, name: member };
      const found = await got<SelfCuts>(api.GET("/api/shots/{shot_id}/revisions/{number}/cast/{name}/self-cuts", { params: { path } }));
      const rows = await indices(`/api/shots/${shot.id}/revisions/${shot.revision}/cast/${part(member)}/self-cuts/marked`);
      return { ...found, marked: byFrame(rows) };
    },
  });
}

/** Rows of frame (which may lie below 0) and triangle, as triangles by frame. */
function byFrame(rows: Uint32Array): Map<number, Uint32Array> {
  const frames = new Int32Array(rows.buffer);
  const out = new Map<number, number[]>();
  for (let at = 0; at < rows.length; at += 2) {
    const frame = frames[at] as number;
    const known = out.get(frame) ?? [];
    known.push(rows[at + 1] as number);
    out.set(frame, known);
  }
  return new Map([...out].map(([frame, triangles]) => [frame, Uint32Array.from(triangles)]));
}

export function useSwatchBook() {
  return useQuery({ queryKey: keys.swatches, staleTime: Infinity, queryFn: () => got<BookSwatch[]>(api.GET("/api/swatches")) });
}

export function useWorkroom() {
  return useQuery({
    queryKey: keys.workroom,
    refetchInterval: 4000,
    retry: false,
    queryFn: () => got<Workroom>(api.GET("/api/workroom")),
  });
}

/** Say what went wrong; a shot that somebody else changed is fetched anew. */
export function complain(error: unknown): void {
  if (!(error instanceof Problem)) {
    notify(error instanceof Error ? error.message : "something went wrong", "Try again", true);
    return;
  }
  notify(error.message, error.remedy, true);
  if (error.status === 409) void client.invalidateQueries();
}

/** The shot as the server answered; a fetch of it that began before that would bring an older one. */
async function keepShot(shot: Shot): Promise<void> {
  await client.cancelQueries({ queryKey: keys.shot(shot.id) });
  client.setQueryData(keys.shot(shot.id), shot);
  void client.invalidateQueries({ queryKey: keys.takes(shot.id) });
}

/** The shot as this page knows it last. */
function newestOf(shot: Shot): Shot {
  return client.getQueryData<Shot>(keys.shot(shot.id)) ?? shot;
}

/** What another window changed at the same places as an edit of this one. */
class Clashed extends Error {
  constructor(
    readonly said: string,
    readonly apart: Apart[],
    readonly newest: Shot,
    readonly mine: ShotDocument,
  ) {
    super("another window changed the same");
  }
}

interface EditAsk {
  edit: (document: ShotDocument) => Edit;
  uploads?: Record<string, string>;
  onNewest?: boolean;
}

const ATTEMPTS = 4; // another window can be quicker more than once

/** Send what differs from the shot as the server has it, not the whole of it. */
async function put(shot: Shot, said: string, document: ShotDocument, uploads: Record<string, string> = {}): Promise<Shot> {
  const patch = compare(shot.document, document) as PatchOperation[];
  return got<Shot>(api.PATCH("/api/shots/{shot_id}", { params: { path: { shot_id: shot.id } }, body: { seen: shot.revision, said, patch, uploads } }));
}

/** Make an edit on the newest that this page knows; what another window did meanwhile is put together with it. */
async function made(shot: Shot, { edit, uploads, onNewest = false }: EditAsk): Promise<Shot> {
  let newest = newestOf(shot);
  const base = onNewest ? newest.document : shot.document;
  const { document: mine, said } = edit(base);
  let from = newest.document;
  let document = merged(base, mine, from);
  if (uploads === undefined && JSON.stringify(document) === JSON.stringify(from)) return newest;
  for (let attempt = 1; ; attempt += 1) {
    try {
      return await put(newest, said, document, uploads);
    } catch (error) {
      if (!(error instanceof Problem) || error.status !== 409 || attempt === ATTEMPTS) throw error;
      newest = await fetchShot(shot.id);
      const found = onNewest ? [] : apart(from, document, newest.document);
      if (found.length > 0) throw new Clashed(said, found, newest, merged(from, document, newest.document));
      document = onNewest ? edit(newest.document).document : merged(from, document, newest.document);
      from = newest.document;
    }
  }
}

function fetchShot(id: number): Promise<Shot> {
  return got<Shot>(api.GET("/api/shots/{shot_id}", { params: { path: { shot_id: id } } }));
}

/** Show the other window's version, and offer this one's. */
async function clash(shot: Shot, error: Clashed): Promise<void> {
  await keepShot(error.newest);
  const again = () => {
    put(newestOf(shot), error.said, error.mine).then(keepShot).catch(complain);
  };
  useRoom.getState().set({ clash: { said: error.said, apart: error.apart, again } });
}

const editing = (shot: number) => ["edit", shot] as const;
const failures = new Map<number, number>();

/**
 * Edits of a shot, one after the other in the order they were asked for: each is made on the document its field was
 * drawn with and put onto the newest, so that two quick ones do not take each other back. One that changes nothing any
 * more (a field kept on Enter, then left) is none. With `onNewest` it is made on the newest itself: something is added
 * to a list.
 */
export function useEdit(shot: Shot) {
  return useMutation({
    scope: { id: `edit ${shot.id}` },
    mutationKey: editing(shot.id),
    mutationFn: (ask: EditAsk) => made(shot, ask),
    onSuccess: keepShot,
    onError: (error) => {
      failures.set(shot.id, (failures.get(shot.id) ?? 0) + 1);
      if (error instanceof Clashed) void clash(shot, error);
      else complain(error);
    },
  });
}

/** Keep the live fitting under a name, with a picture of it. */
export function useKeepFitting(shot: Shot) {
  return useMutation({
    scope: { id: `edit ${shot.id}` },
    mutationKey: editing(shot.id),
    mutationFn: async ({ name, picture }: { name: string; picture: Blob | null }) =>
      got<Shot>(
        api.POST("/api/shots/{shot_id}/fittings", {
          params: { path: { shot_id: shot.id } },
          body: { seen: newestOf(shot).revision, name, picture: picture === null ? null : await base64(picture) },
        }),
      ),
    onSuccess: keepShot,
    onError: complain,
  });
}

interface MeshAsk {
  fitting: string;
  garment: string;
  becomes: "prop" | "set piece" | "made shape";
  name: string;
}

/** Let the shape that a garment has in a fitting be a mesh of the shot. */
export function useFittedMesh(shot: Shot) {
  return useMutation({
    scope: { id: `edit ${shot.id}` },
    mutationKey: editing(shot.id),
    mutationFn: ({ fitting, garment, becomes, name }: MeshAsk) =>
      got<Shot>(
        api.POST("/api/shots/{shot_id}/fittings/{name}/meshed", {
          params: { path: { shot_id: shot.id, name: fitting } },
          body: { seen: newestOf(shot).revision, garment, becomes, name },
        }),
      ),
    onSuccess: keepShot,
    onError: complain,
  });
}

async function base64(blob: Blob): Promise<string> {
  let out = "";
  for (const byte of new Uint8Array(await blob.arrayBuffer())) out += String.fromCharCode(byte);
  return btoa(out);
}

interface RemakeAsk {
  garment: string;
  change: (recipe: Recipe) => Recipe;
  said: string;
}

/** What is wrong with the mesh of a garment's file, and the triangles to light. */
export function useHealth(shot: Shot, garment: string, wanted: boolean) {
  return useQuery({
    queryKey: ["health", shot.id, shot.revision, garment],
    enabled: wanted,
    staleTime: Infinity,
    queryFn: async (): Promise<{ findings: Finding[]; places: Float32Array }> => {
      const path = { shot_id: shot.id, number: shot.revision, name: garment };
      const { findings } = await got<Health>(api.GET("/api/shots/{shot_id}/revisions/{number}/garments/{name}/health", { params: { path } }));
      const none = findings.length === 0;
      const { values } = none ? { values: new Float32Array() } : await floats(`/api/shots/${shot.id}/revisions/${shot.revision}/garments/${part(garment)}/health/places`);
      return { findings, places: values };
    },
  });
}

/** Make a garment by another recipe: what was chosen and drawn on it is carried over, what was lost is told. */
export function useRemake(shot: Shot) {
  return useMutation({
    scope: { id: `edit ${shot.id}` },
    mutationKey: editing(shot.id),
    mutationFn: async ({ garment, change, said }: RemakeAsk): Promise<{ shot: Shot; lost: string[] }> => {
      const newest = newestOf(shot);
      const before = newest.document.garments.find((one) => one.name === garment);
      if (before === undefined) throw new Problem(0, `there is no garment '${garment}' any more`, "", "Choose another");
      const recipe = change(before.recipe);
      if (JSON.stringify(recipe) === JSON.stringify(before.recipe)) return { shot: newest, lost: [] };
      const path = { shot_id: shot.id, number: newest.revision, name: garment };
      const made = await got<Remade>(api.POST("/api/shots/{shot_id}/revisions/{number}/garments/{name}/remade", { params: { path }, body: { recipe } }));
      const changed = new Map(made.garments.map((one) => [one.name, one as GarmentRecord]));
      const garments = newest.document.garments.map((one) => changed.get(one.name) ?? one);
      return { shot: await put(newest, `${garment}: ${said}`.slice(0, 200), { ...newest.document, garments }), lost: made.lost };
    },
    onSuccess: async ({ shot: kept, lost }) => {
      await keepShot(kept);
      if (lost.length > 0) notify(`Not all could be carried over: ${lost.join("; ")}`, "Undo brings the former garment back", true);
    },
    onError: (error) => {
      failures.set(shot.id, (failures.get(shot.id) ?? 0) + 1);
      complain(error);
    },
  });
}

/** When a garment was last refused to be made so: fields that are drawn anew then show what is kept. */
export function refusedAt({ isError, submittedAt }: { isError: boolean; submittedAt: number }): number {
  return isError ? submittedAt : 0;
}

/** How many edits of a shot are on their way. */
export function usePending(shot: number | undefined): number {
  return useIsMutating({ mutationKey: editing(shot ?? 0) });
}

/** Make an empty shot. */
export function useNewShot(open: (id: number) => void) {
  return useMutation({
    mutationFn: (name: string) =>
      got<Shot>(api.POST("/api/shots", { body: { name, frames: [1001, 1100], frame_rate: 24 } })),
    onSuccess: (shot) => {
      void client.invalidateQueries({ queryKey: keys.shots });
      open(shot.id);
    },
    onError: complain,
  });
}

export function useStepBack(shot: Shot | undefined, way: "undo" | "redo") {
  return useMutation({
    scope: { id: `edit ${shot?.id ?? 0}` },
    mutationKey: editing(shot?.id ?? 0),
    mutationFn: () =>
      got<Shot>(
        api.POST(`/api/shots/{shot_id}/${way}` as "/api/shots/{shot_id}/undo", {
          params: { path: { shot_id: shot?.id ?? 0 } },
          body: { seen: shot === undefined ? 0 : newestOf(shot).revision },
        }),
      ),
    onSuccess: keepShot,
    onError: complain,
  });
}

/** Wear a garment as a take has it. */
export function useWearFinished(shot: Shot) {
  return useMutation({
    scope: { id: `edit ${shot.id}` },
    mutationKey: editing(shot.id),
    mutationFn: ({ take, garment }: { take: number; garment: string }) =>
      got<Shot>(
        api.POST("/api/takes/{take_id}/finished", {
          params: { path: { take_id: take } },
          body: { seen: newestOf(shot).revision, garment },
        }),
      ),
    onSuccess: keepShot,
    onError: complain,
  });
}

/** Let garments start as a take has them when they had settled. */
export function useBeginFrom(shot: Shot) {
  return useMutation({
    scope: { id: `edit ${shot.id}` },
    mutationKey: editing(shot.id),
    mutationFn: (take: number) =>
      got<Shot>(api.POST("/api/takes/{take_id}/begun", { params: { path: { take_id: take } }, body: { seen: newestOf(shot).revision } })),
    onSuccess: keepShot,
    onError: complain,
  });
}

function afterTake(shot: number) {
  return () => client.invalidateQueries({ queryKey: keys.takes(shot) });
}

/** Run a take of the shot as it is once every edit that was made before has been kept. */
export function useRun(shot: Shot) {
  return useMutation({
    scope: { id: `edit ${shot.id}` },
    mutationFn: (ask: { name: string | null; patience: "first-look" | "working" | "final"; failed: number }) => {
      const { failed, ...rest } = ask;
      if ((failures.get(shot.id) ?? 0) > failed) {
        throw new Problem(0, "a change made before was not kept, so nothing was run", "", "Look at it, then run again");
      }
      return got<Take>(
        api.POST("/api/shots/{shot_id}/takes", {
          params: { path: { shot_id: shot.id } },
          body: { seen: newestOf(shot).revision, first: null, last: null, ...rest },
        }),
      );
    },
    onSuccess: afterTake(shot.id),
    onError: complain,
  });
}

/** How many edits of a shot have failed, so that a run can tell whether one did that it waited for. */
export function failedEdits(shot: number): number {
  return failures.get(shot) ?? 0;
}

export type TakeDeed =
  | { do: "stop" }
  | { do: "delete" }
  | { do: "go-on"; last: number | null }
  | { do: "rename"; name: string };

export function useTakeDeed(shot: number) {
  return useMutation({
    mutationFn: async ({ take, deed }: { take: number; deed: TakeDeed }): Promise<void> => {
      const params = { path: { take_id: take } };
      switch (deed.do) {
        case "stop":
          await got(api.POST("/api/takes/{take_id}/stop", { params }));
          break;
        case "delete":
          await got(api.DELETE("/api/takes/{take_id}", { params }));
          break;
        case "go-on":
          await got(api.POST("/api/takes/{take_id}/go-on", { params, body: { last: deed.last } }));
          break;
        case "rename":
          await got(api.PATCH("/api/takes/{take_id}", { params, body: { name: deed.name } }));
      }
    },
    onSuccess: afterTake(shot),
    onError: complain,
  });
}

export function useDeliver(shot: number) {
  return useMutation({
    mutationFn: ({ take, ask }: { take: number; ask: DeliveryAsk }) =>
      got<Delivery>(api.POST("/api/takes/{take_id}/deliveries", { params: { path: { take_id: take } }, body: ask })),
    onSuccess: () => client.invalidateQueries({ queryKey: keys.deliveries(shot) }),
    onError: complain,
  });
}

export function useDropDelivery(shot: number) {
  return useMutation({
    mutationFn: (delivery: number) =>
      got(api.DELETE("/api/deliveries/{delivery_id}", { params: { path: { delivery_id: delivery } } })),
    onSuccess: () => client.invalidateQueries({ queryKey: keys.deliveries(shot) }),
    onError: complain,
  });
}
