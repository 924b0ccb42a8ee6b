import Button from "@mui/material/Button";
import Slider from "@mui/material/Slider";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import type { Mending, Shot, Take } from "../../api/client";
import { type DrawnRegion, useMend } from "../../state/mend";
import { useDoRemedy } from "../../state/mending";
import { useRoom } from "../../state/room";
import { Small } from "../../ui/Card";
import { NumberField } from "../../ui/NumberField";
import { Remedies } from "./Remedies";

/** A place that no snag names: drawn around on the stage, or brushed over. And the whole take, calmed. */
export function DrawnPlace({ shot, take, region, done }: { shot: Shot; take: Take; region: DrawnRegion | null; done(mended: Mending): void }) {
  const drawing = useMend((mend) => mend.drawing);
  const brush = useMend((mend) => mend.brush);
  const set = useMend((mend) => mend.set);
  const frame = useRoom((room) => room.frame);
  return (
    <>
      <Small label="Draw around cloth" pressed={drawing === "around"} act={() => { set({ drawing: drawing === "around" ? null : "around", snag: null }); }}>
        {drawing === "around" ? "Draw around cloth on the stage…" : "Draw around cloth"}
      </Small>
      <Small label="Brush over cloth" pressed={drawing === "brush"} act={() => { set({ drawing: drawing === "brush" ? null : "brush", snag: null }); }}>
        {drawing === "brush" ? "Brush over cloth; Alt takes away" : "Brush over cloth"}
      </Small>
      {drawing === "brush" && <NumberField label="Radius of the brush, mm" value={brush} low={2} high={500} keep={(radius) => { set({ brush: radius }); }} />}
      {region !== null && (
        <>
          <Typography sx={{ fontSize: 12.5 }}>
            {region.vertices.length} vertices of the {region.garment}
          </Typography>
          <Remedies shot={shot} take={take} kind="drawn" place={{ garment: region.garment, vertices: region.vertices }} span={[Math.max(take.first, frame), Math.min(take.last, Math.max(take.first, frame) + 11)]} vertices={region.vertices.length} done={done} />
          <Small label="Forget the place" act={() => { set({ region: null }); }}>
            Forget the place
          </Small>
        </>
      )}
      <Calm shot={shot} take={take} done={done} />
    </>
  );
}

function Calm({ shot, take, done }: { shot: Shot; take: Take; done(mended: Mending): void }) {
  const remedy = useDoRemedy(shot.id);
  const [amount, setAmount] = useState(0.5);
  return (
    <>
      <Typography id="calm" sx={{ fontSize: 12.5, mt: 1.5 }}>
        Calm the whole take: what is faster than 4 Hz is drawn to {Math.round(100 * 0.1 ** amount)} % of its way, around bodies{amount > 0.5 ? "; then all of it a second time" : ""}
      </Typography>
      <Slider size="small" aria-labelledby="calm" min={0} max={1} step={0.05} value={amount} onChange={(_, value) => { setAmount(value as number); }} />
      <Button variant="outlined" fullWidth disabled={remedy.isPending} onClick={() => { remedy.mutate({ take: take.id, ask: { verb: "calm", amount } }, { onSuccess: done }); }}>
        Calm
      </Button>
    </>
  );
}
