// @vitest-environment jsdom
import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { afterEach, expect, test, vi } from "vitest";
import { KeyedField } from "./KeyedField";

afterEach(cleanup);

const field = (label: string, row: number) => screen.getAllByLabelText<HTMLInputElement>(label)[row] as HTMLInputElement;
const type = (label: string, row: number, text: string) => {
  fireEvent.change(field(label, row), { target: { value: text } });
  fireEvent.blur(field(label, row));
};

test("what is typed in quick turn is kept on top of what was typed just before", () => {
  const keep = vi.fn();
  render(<KeyedField label="Grip" value={{ frames: [1001, 1010], values: [1, 0.5] }} keep={keep} />);
  type("Frame", 0, "1020"); // past the other key
  type("Grip", 0, "0.8");
  type("Grip", 1, "0.4");
  expect(keep).toHaveBeenLastCalledWith({ frames: [1010, 1020], values: [0.4, 0.8] }, "grip 0.4 at 1010");
});

test("what comes from elsewhere is what the next change is made on", () => {
  const keep = vi.fn();
  const { rerender } = render(<KeyedField label="Grip" value={{ frames: [1, 9], values: [1, 0.5] }} keep={keep} />);
  type("Grip", 0, "0.8");
  rerender(<KeyedField label="Grip" value={{ frames: [1, 9], values: [0.2, 0.3] }} keep={keep} />);
  type("Grip", 1, "0.4");
  expect(keep).toHaveBeenLastCalledWith({ frames: [1, 9], values: [0.2, 0.4] }, "grip 0.4 at 9");
});

test("a key that has just moved can be taken out", () => {
  const keep = vi.fn();
  render(<KeyedField label="Grip" value={{ frames: [1, 9], values: [1, 0.5] }} keep={keep} />);
  type("Frame", 1, "12");
  fireEvent.click(screen.getByRole("button", { name: "Take out the key at 9" }));
  expect(keep).toHaveBeenLastCalledWith({ frames: [1], values: [1] }, "grip without its key at 12");
});
