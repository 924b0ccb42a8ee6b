/** Things that are described and on their way to the stage: each fetches its mesh, again and again until it comes. */
import { floats, indices } from "../api/client";
import type { FrameShelf } from "./frameShelf";

/** A mesh that has arrived: corners of its triangles, and where its points stand at rest, m. */
export interface Arrived {
  triangles: Uint32Array;
  rest: Float32Array;
}

/** One thing that is described: `mesh` null while it is on its way, `on` once it stands on the stage. */
export interface Thing<T> {
  base: string;
  what: T;
  shelf: FrameShelf | null;
  mesh: Arrived | null;
  on: boolean;
}

export const AGAIN = 1100; // ms after which what did not come is asked for again

export class Things<T> {
  private readonly known = new Map<string, Thing<T>>();

  constructor(
    private readonly arrived: () => void,
    private readonly failed: (error: unknown) => void,
  ) {}

  /** Forget what is not wanted any more, or comes from elsewhere now. */
  keepOnly(wanted: ReadonlyMap<string, T>, baseOf: (what: T) => string): void {
    for (const [name, thing] of this.known) {
      const what = wanted.get(name);
      if (what === undefined || thing.base !== baseOf(what)) this.known.delete(name);
    }
  }

  /** Keep a thing under its name and fetch its mesh; what cannot be read is told once, and tried again. */
  fetch(name: string, base: string, what: T, shelf: FrameShelf | null, at: string): void {
    const thing: Thing<T> = { base, what, shelf, mesh: null, on: false };
    this.known.set(name, thing);
    let told = false;
    const attempt = () => {
      if (this.known.get(name) !== thing) return;
      Promise.all([indices(`${at}/mesh/triangles`), floats(`${at}/mesh/rest`)])
        .then(([triangles, rest]) => {
          thing.mesh = { triangles, rest: rest.values };
          if (this.known.get(name) === thing) this.arrived();
        })
        .catch((error: unknown) => {
          if (this.known.get(name) !== thing) return;
          if (!told) this.failed(error);
          told = true;
          window.setTimeout(attempt, 3 * AGAIN);
        });
    };
    attempt();
  }

  get(name: string): Thing<T> | undefined {
    return this.known.get(name);
  }

  has(name: string): boolean {
    return this.known.has(name);
  }

  entries(): [string, Thing<T>][] {
    return [...this.known];
  }

  get size(): number {
    return this.known.size;
  }

  clear(): void {
    this.known.clear();
  }
}
