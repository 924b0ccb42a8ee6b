import { cleanup, render, screen } from "@testing-library/react";
import { afterEach, expect, test } from "vitest";
import { Shell } from "./Shell";
import { cloth } from "./theme";

afterEach(cleanup);

test("an empty workroom says what to do next", () => {
  render(<Shell />);
  expect(screen.getByRole("heading", { name: "No shot is open" })).toBeTruthy();
  expect(screen.getByText(/needle sim demo\/flag\/shot\.json/)).toBeTruthy();
});

function luminance(hex: string): number {
  const channels = [1, 3, 5].map((at) => {
    const c = parseInt(hex.slice(at, at + 2), 16) / 255;
    return c <= 0.03928 ? c / 12.92 : ((c + 0.055) / 1.055) ** 2.4;
  });
  return 0.2126 * (channels[0] ?? 0) + 0.7152 * (channels[1] ?? 0) + 0.0722 * (channels[2] ?? 0);
}

test.each(["ink", "softInk", "indigo"] as const)("%s reads on calico (WCAG 2.2, 1.4.3: 4.5 to 1)", (name) => {
  const contrast = (luminance(cloth.calico) + 0.05) / (luminance(cloth[name]) + 0.05);
  expect(contrast).toBeGreaterThanOrEqual(4.5);
});
