import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useMutation } from "@tanstack/react-query";
import { api, got, type Shaken, type Shot } from "../../api/client";
import { mm } from "../../domain/words";
import { complain } from "../../state/queries";

/** Swing what the hold holds on to for two seconds, at once, and say how far it slipped. */
export function ShakeTest({ shot, garment, hold }: { shot: Shot; garment: string; hold: string }) {
  const shaking = useMutation({
    mutationKey: ["shake", shot.id, shot.revision, garment, hold],
    mutationFn: async () => ({
      revision: shot.revision,
      found: await got<Shaken>(
        api.POST("/api/shots/{shot_id}/revisions/{number}/garments/{name}/holds/{hold}/shake", {
          params: { path: { shot_id: shot.id, number: shot.revision, name: garment, hold } },
        }),
      ),
    }),
    onError: complain,
  });
  const result = shaking.data?.revision === shot.revision ? shaking.data.found : undefined;
  return (
    <>
      <Button size="small" variant="outlined" fullWidth disabled={shaking.isPending} onClick={() => { shaking.mutate(); }}>
        {shaking.isPending ? "Shaking: two seconds at First look, half a minute…" : "Shake it"}
      </Button>
      {result !== undefined && (
        <Typography role="status" sx={{ fontSize: 12.5, mt: 0.5 }}>
          {result.held === 0 ? "It holds on to nothing." : `Slipped ${mm(result.worst)} at worst.`}
          {result.crossed ? " Cloth got inside something." : ""}
        </Typography>
      )}
    </>
  );
}
