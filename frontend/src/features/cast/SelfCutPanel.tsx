import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import LinearProgress from "@mui/material/LinearProgress";
import Typography from "@mui/material/Typography";
import type { Shot } from "../../api/client";
import { placesOf } from "../../domain/cast";
import { count, mm } from "../../domain/words";
import { useSelfCuts } from "../../state/queries";
import { useRoom } from "../../state/room";
import { Fold } from "../../ui/Fold";

/** Where and when a character cuts into itself: there a run draws it in, so that cloth has somewhere to go. */
export function SelfCutPanel({ shot, member }: { shot: Shot; member: string }) {
  const looking = useRoom((room) => room.cutting === member);
  const set = useRoom((room) => room.set);
  const found = useSelfCuts(shot, member, looking);
  const places = placesOf(found.data?.cuts ?? []);
  const said = found.data === undefined ? "not searched" : found.data.cuts.length === 0 ? "nowhere" : `${count(found.data.cuts.length, "frame")}`;
  return (
    <Fold title="Cuts into itself" said={said}>
      <Button
        size="small"
        variant="outlined"
        aria-pressed={looking}
        onClick={() => {
          set({ cutting: looking ? null : member });
        }}
      >
        {looking ? "Stop showing them" : "Find the places"}
      </Button>
      {found.isFetching && <LinearProgress aria-label="Searching every frame" sx={{ my: 1 }} />}
      {found.error !== null && <Typography sx={{ fontSize: 12.5, color: "error.main" }}>{found.error.message}</Typography>}
      {looking && found.data !== undefined && (
        <Box sx={{ mt: 0.5 }}>
          {places.length === 0 && <Typography sx={{ fontSize: 12.5 }}>In {count(found.data.searched, "frame")} it cuts into itself nowhere.</Typography>}
          {places.map((place) => (
            <Button
              key={`${place.between} ${place.first}`}
              size="small"
              fullWidth
              sx={{ justifyContent: "space-between", textAlign: "left", fontWeight: 400, color: "text.primary" }}
              onClick={() => {
                set({ frame: place.worst.frame, playing: false });
              }}
            >
              <span>
                {place.between}, {place.first === place.last ? place.first : `${place.first} to ${place.last}`}
              </span>
              <span className="figure">{mm(place.worst.depth)}</span>
            </Button>
          ))}
          {places.length > 0 && (
            <Typography sx={{ fontSize: 12, color: "text.secondary" }}>Depth at the deepest frame of each span; press one to go there. A run draws both parts in there, so that cloth between them has room.</Typography>
          )}
        </Box>
      )}
    </Fold>
  );
}
