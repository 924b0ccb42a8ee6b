import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import type { HoldRecord, HowKind, HowOf, Shot } from "../../api/client";
import { choiceSaid, endsOn, targetsOf } from "../../domain/holds";
import type { Keyed } from "../../domain/keys";
import { useReading } from "../../state/queries";
import { Fold } from "../../ui/Fold";
import { KeyedField } from "../../ui/KeyedField";
import { NumberField, OptionalNumberField } from "../../ui/NumberField";
import { Pick } from "../../ui/Pick";

/** Keep a change to what only one kind of hold has; change: of how the newest shot has it. */
export type KeepHow = <Kind extends HowKind>(kind: Kind, change: (how: HowOf<Kind>) => Partial<HowOf<Kind>>, said: string) => void;

interface KindFieldsProps {
  shot: Shot;
  garment: string;
  hold: HoldRecord;
  keep: KeepHow;
}

/** What only one kind of hold has. */
export function KindFields({ shot, garment, hold, keep }: KindFieldsProps) {
  const how = hold.how;
  switch (how.kind) {
    case "sticks":
      return <StickFields stick={how} keep={keep} />;
    case "stitched":
      return <StitchFields shot={shot} garment={garment} stitch={how} keep={keep} />;
    case "handle":
      return <HandleFields shot={shot} handle={how} keep={keep} />;
    case "tether":
      return <NumberField label="Free up to, mm" value={how.length_mm} low={0.1} high={100_000} keep={(length_mm) => { keep("tether", () => ({ length_mm }), `free up to ${length_mm} mm`); }} />;
    case "elastic":
      return <ElasticFields elastic={how} keep={keep} />;
    case "follows":
      return null;
  }
}

function StickFields({ stick, keep }: { stick: HowOf<"sticks">; keep: KeepHow }) {
  return (
    <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", columnGap: 1 }}>
      <NumberField label="Reach, mm" value={stick.reach_mm} low={0.1} high={10_000} keep={(reach_mm) => { keep("sticks", () => ({ reach_mm }), `reaches ${reach_mm} mm`); }} />
      <OptionalNumberField
        label="Slides, friction"
        none="never"
        value={stick.slides}
        low={0}
        high={10}
        keep={(slides) => { keep("sticks", () => ({ slides }), slides === null ? "does not slide" : `slides with friction ${slides}`); }}
      />
    </Box>
  );
}

function StitchFields({ shot, garment, stitch, keep }: { shot: Shot; garment: string; stitch: HowOf<"stitched">; keep: KeepHow }) {
  const targets = targetsOf(shot, garment, "stitched");
  const ends = endsOn(shot.document, stitch.to, stitch.choose);
  return (
    <>
      <Pick label="To" value={stitch.to} options={targets.map((one) => ({ value: one, name: one }))} keep={(to) => { keep("stitched", () => ({ to, choose: null }), `stitched to the ${to}`); }} />
      <Pick
        label="Where on it"
        value={stitch.choose === null ? "anywhere near" : choiceSaid(stitch.choose)}
        options={ends.map((end) => ({ value: end.choose === null ? end.name : choiceSaid(end.choose), name: end.name }))}
        keep={(value) => {
          const end = ends.find((one) => (one.choose === null ? one.name : choiceSaid(one.choose)) === value);
          keep("stitched", () => ({ choose: end?.choose ?? null }), `stitched to ${end?.name ?? "anywhere near"} of the ${stitch.to}`);
        }}
      />
      <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", columnGap: 1 }}>
        <NumberField label="Reach, mm" value={stitch.reach_mm} low={0.1} high={10_000} keep={(reach_mm) => { keep("stitched", () => ({ reach_mm }), `reaches ${reach_mm} mm`); }} />
        <NumberField label="Gap, mm" value={stitch.gap_mm} low={0} high={1000} keep={(gap_mm) => { keep("stitched", () => ({ gap_mm }), `drawn to ${gap_mm} mm`); }} />
      </Box>
    </>
  );
}

function ElasticFields({ elastic, keep }: { elastic: HowOf<"elastic">; keep: KeepHow }) {
  return (
    <>
      <KeyedField label="Shortened to, share of length" value={elastic.factor} low={0.05} high={1} keep={(factor, said) => { keep("elastic", () => ({ factor }), said); }} />
      <NumberField label="Tension, N" value={elastic.tension} low={0.01} high={1e6} keep={(tension) => { keep("elastic", () => ({ tension }), `tension ${tension} N`); }} />
      <Typography sx={{ fontSize: 12, color: "text.secondary" }}>What stretches each row to twice the length it is drawn to.</Typography>
    </>
  );
}

type Handle = HowOf<"handle">;
const AXES = [
  ["Right, m", "Tip about x, degrees"],
  ["Up, m", "Turn about y, degrees"],
  ["Ahead, m", "Roll about z, degrees"],
] as const;

function HandleFields({ shot, handle, keep }: { shot: Shot; handle: Handle; keep: KeepHow }) {
  const put = (key: "place" | "turn", axis: number, value: Keyed, said: string) => {
    keep("handle", (newest) => ({ [key]: newest[key].map((one, at) => (at === axis ? value : one)) as [Keyed, Keyed, Keyed] }), said);
  };
  return (
    <Fold title="Handle" said={[...handle.place, ...handle.turn, handle.scale].some((one) => typeof one !== "number") ? "keyed" : "still"}>
      <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", columnGap: 1 }}>
        {AXES.map(([place, turn], axis) => (
          <Box key={place} sx={{ display: "contents" }}>
            <KeyedField label={place} value={handle.place[axis] ?? 0} keep={(value, said) => { put("place", axis, value, said); }} />
            <KeyedField label={turn} value={handle.turn[axis] ?? 0} low={-3600} high={3600} keep={(value, said) => { put("turn", axis, value, said); }} />
          </Box>
        ))}
        <KeyedField label="Scale, times" value={handle.scale} low={0.001} high={1000} keep={(scale, said) => { keep("handle", () => ({ scale }), said); }} />
        <OptionalNumberField label="Reach, mm" none="all alike" value={handle.reach_mm} low={0.1} high={100_000} keep={(reach_mm) => { keep("handle", () => ({ reach_mm }), reach_mm === null ? "reaches all alike" : `reaches ${reach_mm} mm`); }} />
      </Box>
      <Carrier shot={shot} handle={handle} keep={keep} />
    </Fold>
  );
}

/** What carries the handle itself: nobody, or a cast member or a part of one. */
function Carrier({ shot, handle, keep }: { shot: Shot; handle: Handle; keep: KeepHow }) {
  const reading = useReading(shot).data;
  const carrier = handle.carried_by;
  const members = (shot.document.cast ?? []).map((one) => one.name);
  const parts = reading?.cast[carrier?.member ?? ""]?.parts ?? [];
  return (
    <Box sx={{ display: "grid", gridTemplateColumns: carrier === null ? "1fr" : "1fr 1fr", columnGap: 1 }}>
      <Pick
        label="Carried by"
        value={carrier?.member ?? ""}
        options={[{ value: "", name: "nobody" }, ...members.map((one) => ({ value: one, name: one }))]}
        keep={(member) => { keep("handle", () => ({ carried_by: member === "" ? null : { member, part: null } }), member === "" ? "carried by nobody" : `carried by the ${member}`); }}
      />
      {carrier !== null && (
        <Pick
          label="Joint"
          value={carrier.part ?? ""}
          options={[{ value: "", name: "whole" }, ...parts.map((one) => ({ value: one, name: one }))]}
          keep={(part) => { keep("handle", (newest) => ({ carried_by: newest.carried_by === null ? null : { ...newest.carried_by, part: part === "" ? null : part } }), part === "" ? "carried as a whole" : `carried by ${part}`); }}
        />
      )}
    </Box>
  );
}
