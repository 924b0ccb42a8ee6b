import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { bringIn, type Reading, type Shot } from "../../api/client";
import { floorFile, placed } from "../../domain/cast";
import { freeName } from "../../domain/edits";
import { complain, useEdit } from "../../state/queries";
import { BroughtIntoView } from "../../ui/BroughtIntoView";
import { Card, Section } from "../../ui/Card";
import { BringIn } from "./BringIn";
import { FrameFields } from "./FrameFields";
import { GarmentPanel } from "./GarmentPanel";
import { MemberPanel } from "./MemberPanel";

/** Who and what is in the shot, and what was read of each. */
export function CastCard({ shot, reading }: { shot: Shot; reading: Reading | undefined }) {
  const cast = shot.document.cast ?? [];
  return (
    <Card title="Cast" lead="Bring in the character and the costume, and see that both are what you think they are.">
      <BringIn shot={shot} />
      <Section title="Cast">
        {cast.length === 0 && <Empty text="Nobody yet. Bring in a character first." />}
        {cast.map((member) => (
          <BroughtIntoView key={member.name} name={member.name}>
            <MemberPanel shot={shot} member={member} reading={reading} />
          </BroughtIntoView>
        ))}
      </Section>
      <LayFloor shot={shot} />
      <Section title="Garments">
        {shot.document.garments.length === 0 && <Empty text="No garment yet. Bring one in as a mesh." />}
        {shot.document.garments.map((garment) => (
          <BroughtIntoView key={garment.name} name={garment.name}>
            <GarmentPanel shot={shot} garment={garment} reading={reading} />
          </BroughtIntoView>
        ))}
      </Section>
      <FrameFields shot={shot} reading={reading} />
    </Card>
  );
}

function Empty({ text }: { text: string }) {
  return (
    <Typography variant="body2" color="text.secondary">
      {text}
    </Typography>
  );
}

/** A floor of our own making under a shot that has none. */
function LayFloor({ shot }: { shot: Shot }) {
  const edit = useEdit(shot);
  const cast = shot.document.cast ?? [];
  if (cast.some((one) => one.name.includes("floor"))) return null;
  const lay = () => {
    const name = freeName("floor", cast.map((one) => one.name));
    bringIn(floorFile(), () => undefined)
      .then((found) => {
        edit.mutate({
          edit: (document) => placed(document, found, { role: "set piece", name, mesh: found.meshes[0]?.name ?? "", target: "" }),
          uploads: { [found.name]: found.sha },
        });
      })
      .catch(complain);
  };
  return (
    <Button size="small" disabled={edit.isPending} onClick={lay}>
      Lay a floor at height 0
    </Button>
  );
}
