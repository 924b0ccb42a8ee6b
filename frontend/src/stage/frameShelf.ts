/** Positions by frame, fetched in spans when they are wanted and kept. */
export interface Span {
  first: number;
  frames: Float32Array[];
}

const LENGTH = 24; // frames fetched at once

export class FrameShelf {
  private readonly kept = new Map<number, Float32Array>();
  private readonly asked = new Set<number>();
  private readonly notBefore = new Map<number, number>();

  constructor(
    private readonly fetchSpan: (first: number, last: number) => Promise<Span>,
    private readonly arrived: () => void,
  ) {}

  /** The frame's positions, or null while they are on their way. `last`: the latest frame that exists. */
  get(frame: number, last: number): Float32Array | null {
    const found = this.kept.get(frame);
    if (found === undefined) this.want(frame, last);
    // Look ahead, so that playing does not wait.
    const ahead = Math.min(frame + LENGTH, last);
    if (!this.kept.has(ahead)) this.want(ahead, last);
    return found ?? null;
  }

  has(frame: number): boolean {
    return this.kept.has(frame);
  }

  private want(frame: number, last: number): void {
    const first = Math.floor(frame / LENGTH) * LENGTH;
    const now = performance.now();
    if (frame > last || this.asked.has(first) || now < (this.notBefore.get(first) ?? 0)) return;
    this.asked.add(first);
    this.fetchSpan(first, Math.min(first + LENGTH - 1, last))
      .then((span) => {
        span.frames.forEach((positions, index) => {
          this.kept.set(span.first + index, positions);
        });
        this.arrived();
      })
      .catch(() => {
        this.notBefore.set(first, now + 1000);
      })
      .finally(() => {
        this.asked.delete(first);
      });
  }
}

/** Cut positions (f, n, 3) into frames. */
export function cut(values: Float32Array, shape: readonly number[], first: number): Span {
  const [frames = 0, points = 0] = shape;
  const size = 3 * points;
  return { first, frames: Array.from({ length: frames }, (_, k) => values.subarray(k * size, (k + 1) * size)) };
}
