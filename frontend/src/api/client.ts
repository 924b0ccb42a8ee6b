/** The API as typed calls; errors are problem details (RFC 9457), arrays are raw bytes with shape headers. */
import createClient from "openapi-fetch";
import type { components, paths } from "./schema";

type Schemas = components["schemas"];
export type Shot = Schemas["Shot"];
export type ShotLine = Schemas["ShotLine"];
export type ShotDocument = Schemas["Shot.ShotFile"];
export type CastRecord = Schemas["Shot.CastRecord"];
export type ColliderRecord = Schemas["Shot.ColliderRecord"];
export type GarmentRecord = Schemas["Shot.GarmentRecord"];
export type MapRecord = Schemas["Shot.MapRecord"];
export type StepRecord = MapRecord["steps"][number];
export type StrokeRecord = Schemas["Painted.StrokeRecord"];
export type HoldRecord = Schemas["Shot.HoldRecord"];
export type How = HoldRecord["how"];
export type HowKind = How["kind"];
/** How a hold of one kind holds. */
export type HowOf<K extends HowKind> = Extract<How, { kind: K }>;
export type FittingRecord = ShotDocument["fittings"][number];
export type Recipe = GarmentRecord["recipe"];
export type FileRecipe = Extract<Recipe, { kind: "file" }>;
export type RingsRecipe = Extract<Recipe, { kind: "rings" }>;
export type FlounceRecipe = Extract<Recipe, { kind: "flounce" }>;
export type SewnRecipe = Extract<Recipe, { kind: "sewn" }>;
export type BlockRecord = NonNullable<SewnRecipe["block"]>;
export type PiecesRead = components["schemas"]["PiecesRead"];
export type PiecesAsk = components["schemas"]["PiecesAsk"];
export type PieceRecord = SewnRecipe["pieces"][number];
export type SeamRecord = SewnRecipe["seams"][number];
export type SewnMaking = Schemas["Reading.SewnMaking"];
export type PieceReading = SewnMaking["pieces"][number];
export type SeamReading = SewnMaking["seams"][number];
export type SpacingRecord = Schemas["Shot.SpacingRecord"];
export type TierRecord = RingsRecipe["tiers"][number];
export type Making = Schemas["Reading.Making"];
export type MadeTape = Schemas["Reading.Tape"];
export type Remade = Schemas["Remade"];
export type Health = Schemas["Health"];
export type Finding = Health["findings"][number];
export type WindRecord = Schemas["Shot.WindRecord"];
export type FabricRecord = Schemas["Shot.FabricRecord"];
export type LoadCurveRecord = Schemas["Shot.LoadCurveRecord"];
export type FillingRecord = Schemas["Shot.FillingRecord"];
export type BookSwatch = Schemas["BookSwatch"];
export type Facts = Schemas["Facts"];
export type MapRole = Facts["map_roles"][number];
export type Choice = Schemas["Shot.ChoiceRecord"];
export type Reading = Schemas["Reading"];
export type MemberReading = Schemas["Reading.MemberReading"];
export type GarmentReading = Schemas["Reading.GarmentReading"];
export type HoldReading = Schemas["Reading.HoldReading"];
export type Pop = Schemas["Reading.Pop"];
export type Shaken = Schemas["Shaken"];
export type BorderReading = Schemas["Reading.BorderReading"];
export type Take = Schemas["Take"];
export type Against = Schemas["Against"];
export type Pace = Schemas["Pace"];
export type TakePulse = Schemas["TakePulse"];
export type FramePulse = Schemas["TakePulse.FramePulse"];
export type Delivery = Schemas["Delivery"];
export type DeliveryAsk = Schemas["DeliveryAsk"];
export type Uploaded = Schemas["Uploaded"];
export type ShapeRecord = Schemas["Shot.ShapeRecord"];
export type SelfCut = Schemas["SelfCuts.SelfCut"];
export type SelfCuts = Schemas["SelfCuts"];
export type UnderstudyRecord = Schemas["Shot.UnderstudyRecord"];
export type MeshInShort = Schemas["Uploaded.MeshInShort"];
export type PlacedRecord = Schemas["Shot.PlacedRecord"];
export type Workroom = Schemas["Workroom"];
export type Picked = Schemas["Picked"];
export type PatchOperation = Schemas["ShotPatch.PatchOperation"];
export type Mending = Schemas["Mending"];
export type Snag = Mending["snags"][number];
export type Remedy = Mending["remedies"][number];
export type Proof = NonNullable<Remedy["proof"]>;
export type RemedyAsk = Schemas["RemedyAsk"];
export type Fault = Schemas["Take.Fault"];

/** Keep a picture of a shot's stage; that it is not kept does no harm. */
export async function keepPicture(shot: number, picture: Blob): Promise<void> {
  await fetch(`/api/shots/${shot}/picture`, { method: "PUT", body: picture, headers: { "Content-Type": "image/jpeg" } }).catch(() => undefined);
}

/** What went wrong: what, where, and how to fix it. */
export class Problem extends Error {
  constructor(
    readonly status: number,
    readonly title: string,
    readonly where: string,
    readonly remedy: string,
  ) {
    super(where ? `${where}: ${title}` : title);
  }
}

export const api = createClient<paths>({ baseUrl: "/", fetch: (request) => fetch(request) });

interface Answer {
  data?: unknown;
  error?: unknown;
  response: Response;
}

/** The data of an answer as the schema names it, or its problem thrown. */
export async function got<T>(asked: Promise<Answer>): Promise<T> {
  let answer: Answer;
  try {
    answer = await asked;
  } catch {
    throw away();
  }
  if (!answer.response.ok) throw problemOf(answer.error, answer.response.status);
  return answer.data as T;
}

function away(): Problem {
  return new Problem(0, "the workroom does not answer", "", "Start it with ./needle up; this page goes on by itself");
}

function problemOf(body: unknown, status: number): Problem {
  const said = (typeof body === "object" && body !== null ? body : {}) as Record<string, unknown>;
  const text = (key: string) => (typeof said[key] === "string" ? (said[key] as string) : "");
  return new Problem(status, text("title") || `the workroom answered ${status}`, text("where"), text("remedy"));
}

/** An array that came over HTTP. */
export interface Arrived<T> {
  values: T;
  shape: number[];
  firstFrame: number;
}

async function arrived(path: string, init?: RequestInit): Promise<{ bytes: ArrayBuffer; response: Response }> {
  let response: Response;
  try {
    response = await fetch(path, init);
  } catch {
    throw away();
  }
  if (!response.ok) throw problemOf(await response.json().catch(() => null), response.status);
  return { bytes: await response.arrayBuffer(), response };
}

function shapeOf(response: Response): number[] {
  return (response.headers.get("X-Array-Shape") ?? "").split(",").map(Number);
}

export async function floats(path: string): Promise<Arrived<Float32Array>> {
  const { bytes, response } = await arrived(path);
  return {
    values: new Float32Array(bytes),
    shape: shapeOf(response),
    firstFrame: Number(response.headers.get("X-First-Frame") ?? 0),
  };
}

/** Floats that an answer to `asked` gives. */
export async function floatsOf(path: string, asked: unknown): Promise<Float32Array> {
  const init = { method: "POST", headers: { "Content-Type": "application/json" }, body: JSON.stringify(asked) };
  return new Float32Array((await arrived(path, init)).bytes);
}

/** Vertices that an answer to `asked` lists. */
export function verticesOf(path: string, asked: unknown): Promise<Uint32Array> {
  return indices(path, { method: "POST", headers: { "Content-Type": "application/json" }, body: JSON.stringify(asked) });
}

export async function indices(path: string, init?: RequestInit): Promise<Uint32Array> {
  return new Uint32Array((await arrived(path, init)).bytes);
}

/** Bring a file in; `told` hears the share that has been sent. */
export function bringIn(file: File, told: (share: number) => void): Promise<Uploaded> {
  return new Promise((resolve, reject) => {
    const call = new XMLHttpRequest();
    call.open("PUT", `/api/shots/files/${encodeURIComponent(file.name)}`);
    call.setRequestHeader("Content-Type", "application/octet-stream");
    call.upload.onprogress = (event) => told(event.loaded / Math.max(1, event.total));
    call.onerror = () => reject(away());
    call.onload = () => {
      let body: unknown = null;
      try {
        body = JSON.parse(call.responseText);
      } catch {
        // A proxy's own page: the status says enough.
      }
      if (call.status >= 200 && call.status < 300) resolve(body as Uploaded);
      else reject(problemOf(body, call.status));
    };
    call.send(file);
  });
}

/** Several files of one numbered sequence as one moving mesh. */
export async function bringInNumbered(files: readonly File[], told: (share: number) => void): Promise<Uploaded> {
  const names: Record<string, string> = {};
  for (const [index, file] of files.entries()) {
    const one = await bringIn(file, (share) => { told((index + share) / files.length); });
    names[one.name] = one.sha;
  }
  return got<Uploaded>(api.POST("/api/shots/files/numbered", { body: { files: names } }));
}

/** The pieces of a drawing that was brought in; unit: how long its unit is, where it does not say. */
export function piecesOf({ name, sha }: Uploaded, unit: PiecesAsk["unit"] = null): Promise<PiecesRead> {
  return got<PiecesRead>(api.POST("/api/shots/files/pieces", { body: { name, sha, unit } }));
}

/** A file of the workroom's, kept where the browser keeps what it downloads. */
export async function download(path: string, name: string): Promise<void> {
  const { bytes } = await arrived(path);
  const link = document.createElement("a");
  link.href = URL.createObjectURL(new Blob([bytes]));
  link.download = name;
  link.click();
  URL.revokeObjectURL(link.href);
}

/** A shot from a zip, as Export writes it. */
export async function importShot(file: File): Promise<Shot> {
  const headers = { "Content-Type": "application/octet-stream" };
  const { bytes } = await arrived("/api/shots/import", { method: "POST", headers, body: file });
  return JSON.parse(new TextDecoder().decode(bytes)) as Shot;
}

export const part = (value: string) => encodeURIComponent(value);
