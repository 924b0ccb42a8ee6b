/** What the page fills in by itself is what the shot file says of a value that is left out. */
import { readFileSync } from "node:fs";
import { expect, test } from "vitest";
import { KINDS, newHold, PLAIN_CHOICE } from "../domain/holds";
import { useRoom } from "./room";

interface Defined {
  properties: Record<string, { default?: unknown }>;
}
const schema = JSON.parse(readFileSync("../docs/shot-file.schema.json", "utf8")) as { $defs: Record<string, Defined> };

function defaultsOf(record: string): Record<string, unknown> {
  const properties = schema.$defs[record]?.properties ?? {};
  return Object.fromEntries(Object.entries(properties).flatMap(([key, one]) => ("default" in one ? [[key, one.default]] : [])));
}

test("the brush", () => {
  expect({ ...useRoom.getState().brush, hits: null, file: null }).toEqual(defaultsOf("StrokeStep"));
});

test("a choice", () => {
  expect(PLAIN_CHOICE).toEqual(defaultsOf("ChoiceRecord"));
});

test.each(KINDS.map(({ kind }) => kind))("a hold that is %s", (kind) => {
  const record = { follows: "FollowRecord", sticks: "StickRecord", stitched: "StitchRecord", handle: "HandleRecord", tether: "TetherRecord", elastic: "ElasticRecord" }[kind];
  const hold = newHold(kind, "a hold", PLAIN_CHOICE, "somebody", [0, 0, 0]);
  expect({ ...hold.how, to: null }).toMatchObject({ ...defaultsOf(record), to: null, ...(kind === "handle" ? { place: hold.how.kind === "handle" ? hold.how.place : [] } : {}) });
  // What is not drawn into cloth gives a little when it is new; everything else is welded.
  const soft = ["sticks", "stitched", "tether"].includes(kind);
  expect(hold).toMatchObject({ ...defaultsOf("HoldRecord"), grip: soft ? 0.9 : 1 });
});
