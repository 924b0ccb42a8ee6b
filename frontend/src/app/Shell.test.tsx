import { ThemeProvider } from "@mui/material/styles";
import { cleanup, render, screen } from "@testing-library/react";
import { afterEach, describe, expect, test, vi } from "vitest";
import type { Workroom } from "../api/client";
import { touched } from "../state/events";
import { Banner, saying } from "./Banner";
import { NumberField, wrongOf } from "../ui/NumberField";
import { type Palette, cloth, dusk, themeOf } from "../ui/theme";
import { Thread } from "./Thread";

afterEach(cleanup);
const well: Workroom = { version: "1", workers: 2, working: 0, desk: true, bytes_used: 1, bytes_free: 1 };

describe("the banner", () => {
  test("says nothing when all is well, and what to do when it is not", () => {
    expect(saying(well, null)).toBeNull();
    expect(saying({ ...well, workers: 0 }, null)).toContain("./needle up");
    expect(saying({ ...well, desk: false }, null)).toContain("desk");
    render(<Banner workroom={well} error={new Error("the database does not answer")} />);
    expect(screen.getByRole("status").textContent).toContain("The database does not answer.");
  });
});

test("the thread is navigation that says where one is", () => {
  const go = vi.fn();
  render(
    <ThemeProvider theme={themeOf("daylight")}>
      <Thread bench="cast" go={go} knots={[{ bench: "cast", name: "Cast", said: "4 in place", mood: "good" }, { bench: "takes", name: "Takes", said: "nothing yet", mood: "nothing" }]} />
    </ThemeProvider>,
  );
  expect(screen.getByRole("button", { name: /Cast/ }).getAttribute("aria-current")).toBe("step");
  screen.getByRole("button", { name: /Takes/ }).click();
  expect(go).toHaveBeenCalledWith("takes");
});

test("a number field keeps only numbers", () => {
  expect(wrongOf(NaN, false, 0, 9)).toBe("Give a number");
  expect(wrongOf(1.5, true, 0, 9)).toBe("Give a whole number");
  expect(wrongOf(-1, true, 0, 9)).toBe("At least 0");
  expect(wrongOf(10, true, 0, 9)).toBe("At most 9");
  expect(wrongOf(9, true, 0, 9)).toBeNull();
  render(<NumberField label="Frames" value={7} keep={() => undefined} />);
  expect(screen.getByLabelText("Frames")).toHaveProperty("value", "7");
});

test("every event touches what it is about", () => {
  expect(touched({ kind: "progress", shot: 2, take: 5 })).toEqual([["takes", 2], ["pulse", 5]]);
  expect(touched({ kind: "take", shot: 2, take: 5 })).toEqual([["takes", 2], ["pulse", 5], ["mending", 5]]);
  expect(touched({ kind: "mending", shot: 2, take: 5 })).toEqual([["mending", 5]]);
  expect(touched({ kind: "delivery", shot: 2 })).toEqual([["deliveries", 2]]);
  expect(touched({ kind: "behind" })).toEqual([[]]);
});

function luminance(hex: string): number {
  const channels = [1, 3, 5].map((at) => {
    const c = parseInt(hex.slice(at, at + 2), 16) / 255;
    return c <= 0.03928 ? c / 12.92 : ((c + 0.055) / 1.055) ** 2.4;
  });
  return 0.2126 * (channels[0] ?? 0) + 0.7152 * (channels[1] ?? 0) + 0.0722 * (channels[2] ?? 0);
}

function contrast(a: string, b: string): number {
  const [light, dark] = [luminance(a), luminance(b)].sort((x, y) => y - x) as [number, number];
  return (light + 0.05) / (dark + 0.05);
}

const INKS: (keyof Palette)[] = ["ink", "softInk", "indigo", "madder", "weld", "verdigris"];
test.each([["daylight", cloth], ["dimmed", dusk]] as const)("every ink reads in %s (WCAG 2.2, 1.4.3: 4.5 to 1)", (_, palette) => {
  for (const ink of INKS) {
    expect(contrast(palette[ink], palette.calico), ink).toBeGreaterThanOrEqual(4.5);
    expect(contrast(palette[ink], palette.panel), ink).toBeGreaterThanOrEqual(4.5);
  }
  expect(contrast(palette.onIndigo, palette.indigo)).toBeGreaterThanOrEqual(4.5);
  expect(contrast(palette.tapeInk, palette.tape)).toBeGreaterThanOrEqual(4.5);
  expect(contrast(palette.tapeInk, palette.runIn)).toBeGreaterThanOrEqual(4.5);
});
