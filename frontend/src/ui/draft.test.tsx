// @vitest-environment jsdom
import { act, cleanup, fireEvent, render, screen } from "@testing-library/react";
import { afterEach, expect, test, vi } from "vitest";
import { NumberField } from "./NumberField";

afterEach(cleanup);

const keep = vi.fn();
const field = () => screen.getByLabelText<HTMLInputElement>("Settle");
const at = (value: number) => <NumberField label="Settle" value={value} keep={keep} />;
const type = (text: string) => {
  fireEvent.change(field(), { target: { value: text } });
};

test("a field that nobody types in follows the shot", () => {
  const { rerender } = render(at(2));
  rerender(at(4));
  expect(field().value).toBe("4");
  expect(screen.queryByRole("alert")).toBeNull();
});

test("text that is being typed stays, and both values are offered", () => {
  keep.mockClear();
  const { rerender } = render(at(2));
  type("7");
  rerender(at(4));
  expect(field().value).toBe("7");
  expect(screen.getByRole("alert").textContent).toContain("Another window set Settle to 4 meanwhile");
  fireEvent.blur(field());
  expect(keep).not.toHaveBeenCalled();
  fireEvent.click(screen.getByRole("button", { name: "Keep 7" }));
  expect(keep).toHaveBeenCalledWith(7);
  rerender(at(7));
  expect(screen.queryByRole("alert")).toBeNull();
});

test("the other window's value can be taken", () => {
  const { rerender } = render(at(2));
  type("7");
  rerender(at(4));
  act(() => {
    screen.getByRole("button", { name: "Take 4" }).click();
  });
  expect(field().value).toBe("4");
});

test("text on its way follows whatever comes next", () => {
  keep.mockClear();
  const { rerender } = render(at(2));
  type("7");
  fireEvent.keyDown(field(), { key: "Enter" });
  expect(keep).toHaveBeenCalledWith(7);
  expect(field().value).toBe("7");
  rerender(at(3)); // another window was quicker, and which shall stand is asked elsewhere
  expect(field().value).toBe("3");
  expect(screen.queryByRole("alert")).toBeNull();
});
