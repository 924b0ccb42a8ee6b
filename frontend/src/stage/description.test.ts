import { describe as group, expect, test } from "vitest";
import type { Reading, Shot, ShotDocument, Take } from "../api/client";
import { describe } from "./description";

const document = {
  format: "patient-needle-shot", version: 2, name: "Test", frame_rate: 24, frames: [1001, 1100], run_in: { settle: 10, move: 30 },
  cast: [], fabrics: [], garments: [{ name: "skirt" }, { name: "smock" }],
} as unknown as ShotDocument;
const shot = { id: 1, revision: 4, first_simulated: 961, document } as unknown as Shot;
const reading = { cast: {}, garments: { smock: {}, skirt: {} } } as unknown as Reading;
const take = {
  id: 7, revision: 3, last: 1050, first_simulated: 961, garments: [{ garment: "smock", first: 961, last: 1050 }],
} as unknown as Take;

group("what stands on the stage", () => {
  test("garments as they were made, at every frame, where they are dressed", () => {
    for (const bench of ["wardrobe", "chalk", "fasten"] as const) {
      const worn = describe(shot, reading, [take], bench)?.worn ?? [];
      expect(worn.map(({ garment, take: of, first, last }) => [garment, of, first, last])).toEqual([
        ["skirt", null, -Infinity, Infinity],
        ["smock", null, -Infinity, Infinity],
      ]);
    }
  });

  test("on the Cast bench garments only while the run-in settles, since the cast moves", () => {
    expect(describe(shot, reading, [take], "cast")?.worn.map(({ first, last }) => [first, last])).toEqual([[961, 971], [961, 971]]);
  });

  test("a take's garments on the Takes and Hand-off benches, with the take's revision and colours of the wardrobe", () => {
    for (const bench of ["takes", "hand-off"] as const) {
      const found = describe(shot, reading, [take], bench);
      expect(found).toMatchObject({ revision: 3, worn: [{ garment: "smock", take: 7, dye: 1, first: 961, last: 1050 }] });
    }
  });

  test("while a run has no frame of a garment it stands as it was made, in the run's pane", () => {
    const waiting = { ...take, id: 8, garments: [] } as unknown as Take;
    const worn = describe(shot, reading, [take, waiting], "takes")?.worn ?? [];
    expect(worn.map(({ take: of, pane, first, last }) => [of, pane, first, last])).toEqual([
      [7, 0, 961, 1050],
      [null, 1, -Infinity, Infinity],
      [null, 1, -Infinity, Infinity],
    ]);
  });

  test("nothing until the shot is read", () => {
    expect(describe(shot, undefined, [take], "takes")).toBeNull();
  });
});
