import { expect, test, vi } from "vitest";
import { cut, FrameShelf } from "./frameShelf";
import { smoothNormals } from "./surface";

test("normals of a flat square point straight up, and nothing comes of nothing", () => {
  const points = new Float32Array([0, 0, 0, 1, 0, 0, 1, 0, -1, 0, 0, -1, 5, 5, 5]);
  const out = new Float32Array(points.length);
  smoothNormals(new Uint32Array([0, 1, 2, 0, 2, 3]), points, out);
  expect([...out.slice(0, 12)]).toEqual([0, 1, 0, 0, 1, 0, 0, 1, 0, 0, 1, 0]);
  expect([...out.slice(12)]).toEqual([0, 0, 0]);
});

test("a shelf asks once for a span, keeps it, and looks ahead", async () => {
  const fetchSpan = vi.fn((first: number, last: number) =>
    Promise.resolve(cut(new Float32Array((last - first + 1) * 3).fill(first), [last - first + 1, 1, 3], first)),
  );
  const arrived = vi.fn();
  const shelf = new FrameShelf(fetchSpan, arrived);
  expect(shelf.get(1001, 1060)).toBeNull();
  expect(shelf.get(1002, 1060)).toBeNull();
  await vi.waitFor(() => {
    expect(arrived).toHaveBeenCalledTimes(2);
  });
  expect(fetchSpan.mock.calls).toEqual([[984, 1007], [1008, 1031]]);
  expect(shelf.get(1001, 1060)?.length).toBe(3);
  expect(shelf.has(1031)).toBe(true);
  expect(shelf.get(1061, 1060)).toBeNull();
});

test("a span that failed is asked for again, but not at once", async () => {
  const fetchSpan = vi.fn(() => Promise.reject(new Error("away")));
  const shelf = new FrameShelf(fetchSpan, () => undefined);
  shelf.get(0, 3);
  await Promise.resolve();
  await Promise.resolve();
  await new Promise((done) => setTimeout(done, 5));
  shelf.get(0, 3);
  expect(fetchSpan).toHaveBeenCalledTimes(1);
});
