import { describe, expect, it } from "vitest";
import { cutByGarment, freeFitting, packed, read, unpacked, unrestSaid, type Told } from "./fitting";

function message(kind: number, body: Uint8Array, { version = 1, index = 0, step = 7 } = {}): ArrayBuffer {
  const out = new ArrayBuffer(8 + body.length);
  const head = new DataView(out);
  head.setUint8(0, version);
  head.setUint8(1, kind);
  head.setUint16(2, index, true);
  head.setUint32(4, step, true);
  new Uint8Array(out, 8).set(body);
  return out;
}

const TOLD: Told = {
  shot: 1, mark: "m", running: true, to_rest: false, keep_as: null,
  sewing: null, pace: 48, time: 961, goal: 961, unrest_mm: null, weight: 1, step_ms: 50,
  pulls: [], pins: [], garments: [], pieces: [], members: [], pinched: [], back: null,
};

describe("the fitting's language", () => {
  it("reads positions as whole frames with their step", () => {
    const floats = new Float32Array([1, 2, 3]);
    const found = read(message(17, new Uint8Array(floats.buffer), { step: 70_000 }));
    expect(found).toMatchObject({ kind: "positions", step: 70_000 });
    expect(found?.kind === "positions" && [...found.values]).toEqual([1, 2, 3]);
  });

  it("leaves what it does not know", () => {
    expect(read(new ArrayBuffer(3))).toBeNull();
    expect(read(message(99, new Uint8Array()))).toBeNull();
    expect(read(message(17, new Uint8Array(), { version: 2 }))).toBeNull();
  });

  it("reads words, also while it is being opened", () => {
    const words = (what: object) => new TextEncoder().encode(JSON.stringify(what));
    expect(read(message(16, words({ opening: true })))).toEqual({ kind: "told", told: null });
    expect(read(message(19, words({ what: "縫い目", where: "", remedy: "", do: "pull" })))).toMatchObject({ refused: { what: "縫い目" } });
  });

  it("packs flags as the process unpacks them", () => {
    const flags = [true, false, false, false, false, false, false, false, false, true, true];
    expect(packed(flags)).toBe(btoa(String.fromCharCode(0b10000000, 0b01100000)));
    expect(unpacked(new Uint8Array([0b10000000, 0b01100000]), 11)).toEqual(flags);
  });

  it("says how far it is from rest as it is", () => {
    expect(unrestSaid({ ...TOLD, unrest_mm: 0.44 })).toBe("0.4 mm still to go");
    expect(unrestSaid({ ...TOLD, unrest_mm: 0.12 })).toBe("at rest, 0.12 mm");
    expect(unrestSaid({ ...TOLD, unrest_mm: 0.1, goal: 1001 })).toBe("walking to 1001");
  });

  it("cuts positions by garment and finds a free name", () => {
    const cut = cutByGarment(new Float32Array([0, 1, 2, 3, 4, 5]), [{ name: "a", vertices: 1 }, { name: "b", vertices: 1 }]);
    expect([...(cut.get("b") ?? [])]).toEqual([3, 4, 5]);
    expect(freeFitting(["fitting 2"])).toBe("fitting 3");
  });
});
