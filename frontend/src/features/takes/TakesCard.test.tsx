import { ThemeProvider } from "@mui/material/styles";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { afterEach, describe, expect, test } from "vitest";
import type { Reading, Shot, ShotDocument } from "../../api/client";
import { themeOf } from "../../ui/theme";
import { looksWrong, TakesCard } from "./TakesCard";

afterEach(cleanup);

const document: ShotDocument = {
  format: "patient-needle-shot", fittings: [], version: 2, name: "Test", frame_rate: 24, frames: [1001, 1100],
  run_in: { settle: 10, move: 30 }, patience: "working", forces: { gravity: [0, -9.81, 0], air_drag: 0.3, air_density: 0, winds: [] },
  cast: [], time_stretch: 1, least_substeps: 1, together: true, fabrics: [], garments: [],
};

function card(patience: ShotDocument["patience"]) {
  const shot = { id: 1, revision: 1, document: { ...document, patience } } as unknown as Shot;
  return (
    <QueryClientProvider client={new QueryClient()}>
      <ThemeProvider theme={themeOf("daylight")}>
        <TakesCard shot={shot} reading={undefined} takes={[]} />
      </ThemeProvider>
    </QueryClientProvider>
  );
}

const patience = () => screen.getAllByRole("radio").filter((one) => (one as HTMLInputElement).checked).map((one) => (one as HTMLInputElement).value);

describe("the patience of a take", () => {
  test("is the shot's until another is chosen, and then stays that one", () => {
    const shown = render(card("working"));
    expect(patience()).toEqual(["working"]);
    shown.rerender(card("final"));
    expect(patience()).toEqual(["final"]);
    fireEvent.click(screen.getByRole("radio", { name: /First look/ }));
    expect(patience()).toEqual(["first-look"]);
    shown.rerender(card("working"));
    expect(patience()).toEqual(["first-look"]);
  });
});

test("what looks wrong about anybody is said before a run, each reason once", () => {
  const offers = (...reasons: string[]) => reasons.map((because) => ({ because, said: "", member: {}, shot: {}, garment: {}, cast: {} }));
  const reading = {
    cast: { man: { judged: { offers: offers("he lies down") } } },
    garments: { cuff: { offers: offers("too narrow", "too narrow") }, cape: { offers: [] } },
  } as unknown as Reading;
  expect(looksWrong(reading)).toEqual(["man: he lies down", "cuff: too narrow"]);
  expect(looksWrong(undefined)).toEqual([]);
});

test("nothing can be run while no garment is worn, and the card says so", () => {
  render(card("working"));
  expect(screen.getByRole("button", { name: /^Run/ })).toHaveProperty("disabled", true);
  expect(screen.getByRole("alert").textContent).toContain("bring one in on the Cast bench");
});
