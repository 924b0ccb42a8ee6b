import { Ray, Vector3 } from "three";
import { describe, expect, it } from "vitest";
import { HandleMark } from "./handleMark";

/** From an eye on the z axis, 4 m before the handle, to a place. */
function towards(x: number, y: number, z: number): Ray {
  const eye = new Vector3(0, 0, 4);
  return new Ray(eye, new Vector3(x, y, z).sub(eye).normalize());
}

describe("a handle's knobs", () => {
  const mark = new HandleMark();
  mark.show([0, 0, 0], 0.5);

  it("are taken at the ends of its arms, and nowhere else", () => {
    expect(mark.knobAt(towards(0.5, 0, 0))).toEqual({ axis: 0, turns: false });
    expect(mark.knobAt(towards(0, -0.5, 0))).toEqual({ axis: 1, turns: true });
    expect(mark.knobAt(towards(0.25, 0.3, 0))).toBeNull();
    const away = new HandleMark();
    away.show(null, 0.5);
    expect(away.knobAt(towards(0.5, 0, 0))).toBeNull();
  });

  it("read how far along their axis one points", () => {
    const along = (x: number) => mark.reading({ axis: 0, turns: false }, towards(x, 0.02, 0)) ?? NaN;
    expect(along(0.7) - along(0.5)).toBeCloseTo(0.2, 4);
    const before = along(0.7);
    mark.show([0.3, 0, 0], 0.5); // as a drag along x moves it
    expect(along(0.7)).toBeCloseTo(before, 9);
    mark.show([0, 0, 0], 0.5);
    expect(mark.reading({ axis: 2, turns: false }, towards(0, 0, 0))).toBeNull();
  });

  it("read how far about their axis one points", () => {
    const about = (degrees: number) => {
      const turn = (degrees * Math.PI) / 180;
      return mark.reading({ axis: 2, turns: true }, towards(Math.cos(turn), Math.sin(turn), 0)) ?? NaN;
    };
    expect(about(75) - about(30)).toBeCloseTo(45, 9);
    expect(mark.reading({ axis: 0, turns: true }, towards(0, 0.5, 0))).toBeNull();
  });
});
