import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import Typography from "@mui/material/Typography";
import type { BlockRecord, Making, SeamReading, SeamRecord, SewnMaking, SewnRecipe, Shot } from "../../api/client";
import { addedPoint, anotherPiece, bent, fitSaid, lengthened, type Meant, mirrorImage, movedPoint, notched, ownPieces, sideSaid, splitAt, withoutNotches, withoutPiece, withoutPoint, withPiece } from "../../domain/sewing";
import { count } from "../../domain/words";
import { openFitting, useFitting } from "../../state/fitting";
import { refusedAt, useRemake } from "../../state/queries";
import { useTable } from "../../state/table";
import { followCut } from "../../tools/useTable";
import { FaultNote, Figure, Notes, Panel, Section, Small } from "../../ui/Card";
import { NumberField, OptionalNumberField } from "../../ui/NumberField";
import { DrawingFile } from "./DrawingFile";
import { HangMap } from "./HangMap";
import { InnerLines } from "./InnerLines";

interface OfPieces {
  shot: Shot;
  name: string;
  recipe: SewnRecipe;
  making: Making | null | undefined;
}

type Change = (change: (recipe: SewnRecipe) => SewnRecipe, said: string, done?: () => void) => void;

/** A garment of pieces: its block, the figure's measures, seams, what is chosen on the table, and sewing it. */
export function SewnPanel({ shot, name, recipe, making }: OfPieces) {
  const remake = useRemake(shot);
  const sewn = making?.sewn ?? null;
  const keep: Change = (change, said, done) => {
    remake.mutate({ garment: name, change: (before) => (before.kind === "sewn" ? change(before) : before), said }, { onSuccess: done });
  };
  return (
    <>
      <Sew shot={shot} name={name} sewn={sewn} busy={remake.isPending} />
      <Section key={refusedAt(remake)} title="Cut">
        {remake.isPending && (
          <Typography role="status" sx={{ fontSize: 12.5, color: "text.secondary" }}>
            Cutting…
          </Typography>
        )}
        {recipe.pieces.length === 0 && recipe.block !== null ? (
          <Block block={recipe.block} keep={keep} />
        ) : (
          <>
            <Typography sx={{ fontSize: 12.5, mb: 0.5 }}>The pieces are your own now: the block does not change them any more.</Typography>
            {recipe.block !== null && (
              <Button size="small" onClick={() => { keep((before) => ({ ...before, pieces: [], seams: [] }), `drafted again from the ${recipe.block?.kind ?? "block"}`); }}>
                Draft it again from the block
              </Button>
            )}
          </>
        )}
        <Notes notes={making?.notes ?? []} />
      </Section>
      {sewn !== null && <OnTable sewn={sewn} keep={keep} />}
      {sewn !== null && <Seams sewn={sewn} keep={keep} />}
      {sewn !== null && <Taken recipe={recipe} sewn={sewn} keep={keep} />}
      {sewn !== null && <DrawingFile shot={shot} name={name} sewn={sewn} keep={keep} />}
    </>
  );
}

function Sew({ shot, name, sewn, busy }: { shot: Shot; name: string; sewn: SewnMaking | null; busy: boolean }) {
  const { line, refused, sewn: last } = useFitting();
  const under = line === "opening" || line === "open";
  if (sewn === null) return null;
  return (
    <Box sx={{ mb: 1 }}>
      <Typography sx={{ fontSize: 12.5, mb: 0.75 }}>
        {sewn.worn
          ? "It is sewn and worn. Change a piece and sew it again; on the Drape bench it is fitted by hand."
          : `${count(sewn.pieces.length, "piece")}, ${count(sewn.seams.length, "seam")}: not sewn yet. Draw points on the table, then sew it round the figure.`}
      </Typography>
      {sewn.worn && last?.shot === shot.id && last.garment === name && (
        <Typography sx={{ fontSize: 12, mb: 0.75, color: "text.secondary" }}>
          {last.said}
        </Typography>
      )}
      <Button
        variant="contained"
        disabled={under || busy}
        onClick={() => {
          openFitting({ shot: shot.id, revision: shot.revision, sew: name });
        }}
      >
        {sewn.worn ? "Sew it again" : "Sew it"}
      </Button>
      {line === "ended" && refused !== null && <FaultNote fault={refused} />}
    </Box>
  );
}

function Block({ block, keep }: { block: BlockRecord; keep: Change }) {
  const set = (change: Partial<BlockRecord>, said: string) => {
    keep((recipe) => ({ ...recipe, block: recipe.block === null ? null : { ...recipe.block, ...change } }), said);
  };
  return (
    <>
      <Typography sx={{ fontSize: 12.5, mb: 0.5 }}>Drafted from the figure’s measures. An empty field is the block’s own choice.</Typography>
      <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", columnGap: 1 }}>
        <OptionalNumberField label="Ease, mm" none="the block’s" value={block.ease_mm} low={-500} high={5000} keep={(ease_mm) => { set({ ease_mm }, ease_mm === null ? "plain ease" : `ease ${ease_mm} mm`); }} />
        <OptionalNumberField label="Length, mm" none="the block’s" value={block.length_mm} low={10} high={10000} keep={(length_mm) => { set({ length_mm }, length_mm === null ? "plain length" : `length ${length_mm} mm`); }} />
        <OptionalNumberField label="Flare, ×" none="the block’s" value={block.flare} low={0.2} high={10} keep={(flare) => { set({ flare }, flare === null ? "plain flare" : `flare ${flare}`); }} />
        {block.kind === "smock" && (
          <OptionalNumberField label="Sleeve, mm" none="the arm’s" value={block.sleeve_mm} low={10} high={5000} keep={(sleeve_mm) => { set({ sleeve_mm }, sleeve_mm === null ? "plain sleeves" : `sleeves ${sleeve_mm} mm`); }} />
        )}
        {block.kind === "skirt" && <NumberField label="Gather, ×" value={block.gather} low={1} high={3} keep={(gather) => { set({ gather }, `gathered ${gather} times`); }} />}
      </Box>
    </>
  );
}

/** What is chosen on the table: a piece, one of its edges, or a point. */
function OnTable({ sewn, keep }: { sewn: SewnMaking; keep: Change }) {
  const { chosen, mirrored, sewing, cutting, set } = useTable();
  const piece = sewn.pieces.find((one) => one.name === chosen?.piece);
  const own: Change = (change, said) => {
    keep((recipe) => change(ownPieces(recipe, sewn)), said);
  };
  const choose = (meant: Meant) => {
    if (cutting === null || meant.kind === "piece") {
      set({ chosen: meant });
      return;
    }
    followCut(sewn, cutting, meant, own);
  };
  const edge = chosen === null || chosen.kind === "piece" ? undefined : piece?.edges.find((one) => one.name === chosen.run);
  const run = piece?.runs.find((one) => one.name === edge?.name);
  return (
    <Section title="On the table">
      <FormControlLabel
        control={<Checkbox size="small" checked={mirrored} onChange={(event) => { set({ mirrored: event.target.checked }); }} />}
        label={<Typography sx={{ fontSize: 12.5 }}>Both sides of the body alike</Typography>}
      />
      <Small label="Put another piece on the table" act={() => { own((recipe) => anotherPiece(recipe), "another piece"); }}>
        Another piece
      </Small>
      {piece === undefined ? (
        <Typography sx={{ fontSize: 12.5, color: "text.secondary" }}>Press a piece, an edge or a point. Draw a point to move it; press an edge twice to put a point on it.</Typography>
      ) : (
        <Panel label={`Piece ${piece.name}`}>
          <Figure name={piece.name} value={`${Math.round(piece.area_cm2).toLocaleString("en")} cm²`} />
          {edge === undefined && (
            <>
              <Box sx={{ display: "flex", flexWrap: "wrap", gap: 0.25 }}>
                <Small label="Copy it, mirrored, to the other side" act={() => { own((recipe) => mirrorImage(recipe, piece.name), `${piece.name} mirrored`); }}>
                  Mirror image
                </Small>
                <Small label="Cut it along a line" pressed={cutting !== null} act={() => { set({ lining: null, cutting: cutting === null ? { piece: piece.name, from: null } : null }); }}>
                  Cut along a line
                </Small>
                <Small label="Take this piece out" off={sewn.pieces.length < 2} act={() => { set({ chosen: null }); own((recipe) => withoutPiece(recipe, piece.name), `${piece.name} taken out`); }}>
                  Take out
                </Small>
              </Box>
              {cutting !== null && (
                <Typography role="status" sx={{ fontSize: 12.5 }}>
                  {cutting.from === null ? "Press where the cut begins on its outline." : "Now press where it ends."}
                </Typography>
              )}
              <Box role="group" aria-label="Edges" sx={{ display: "flex", flexWrap: "wrap", gap: 0.25, mt: 0.5 }}>
                {piece.edges.map((one) => (
                  <Small key={one.name} label={`Edge ${one.name}`} act={() => { choose({ kind: "edge", piece: piece.name, run: one.name, share: 0.5 }); }}>
                    {one.name}
                  </Small>
                ))}
              </Box>
              <NumberField key={`grain ${piece.grain}`} label="Grain, degrees from upright" value={piece.grain} low={-360} high={360} keep={(grain) => { own((recipe) => withPiece(recipe, piece.name, (one) => ({ ...one, grain })), `${piece.name}, grain ${grain} degrees`); }} />
              <InnerLines sewn={sewn} piece={piece} keep={own} />
              <HangMap sewn={sewn} piece={piece} keep={keep} />
            </>
          )}
          {edge !== undefined && run !== undefined && (
            <>
              <Typography sx={{ fontSize: 12.5, fontWeight: 600, mt: 0.75 }}>{edge.name}</Typography>
              <NumberField key={edge.length_mm} label="Length, mm" value={Math.round(edge.length_mm * 10) / 10} low={5} high={10000} keep={(length) => { own((recipe) => lengthened(recipe, piece.name, edge.name, length, mirrored), `${piece.name}, ${edge.name} ${length} mm long`); }} />
              <Box sx={{ display: "flex", flexWrap: "wrap", gap: 0.5 }}>
                <Small label="Bend this edge" pressed={run.smooth} off={run.points_mm.length < 2 && !run.smooth} act={() => { own((recipe) => bent(recipe, piece.name, edge.name, !run.smooth, mirrored), `${piece.name}, ${edge.name} ${run.smooth ? "straight" : "bent"}`); }}>
                  Bent
                </Small>
                {chosen?.kind === "edge" && (
                  <Small label="Put a point on it" act={() => { own((recipe) => addedPoint(recipe, piece.name, edge.name, edge.line_mm, chosen.share, mirrored), `a point on the ${piece.name}'s ${edge.name}`); }}>
                    Add a point
                  </Small>
                )}
                {chosen?.kind === "edge" && (
                  <Small label="Put a notch on it" act={() => { own((recipe) => notched(recipe, piece.name, edge.name, chosen.share, edge.length_mm), `a notch on the ${piece.name}'s ${edge.name}`); }}>
                    Notch
                  </Small>
                )}
                {piece.notches.some((one) => one.run === edge.name) && (
                  <Small label="Take the notches of this edge off" act={() => { own((recipe) => withoutNotches(recipe, piece.name, edge.name), `no notches on the ${piece.name}'s ${edge.name}`); }}>
                    No notches
                  </Small>
                )}
                {chosen?.kind === "edge" && (
                  <Small label="Sew this edge to another" pressed={sewing !== null} act={() => { set({ sewing: sewing === null ? [piece.name, edge.name] : null }); }}>
                    {sewing === null ? "Sew to…" : "Now press the other edge"}
                  </Small>
                )}
                {chosen?.kind === "point" && chosen.at > 0 && (
                  <>
                    <Small label="Take this point out" act={() => { set({ chosen: { kind: "edge", piece: piece.name, run: edge.name, share: 0.5 } }); own((recipe) => withoutPoint(recipe, piece.name, edge.name, chosen.at, mirrored), `a point of the ${piece.name} taken out`); }}>
                      Take out
                    </Small>
                    <Small label="Split the edge at this point" act={() => { set({ chosen: { kind: "piece", piece: piece.name } }); own((recipe) => splitAt(recipe, piece.name, edge.name, chosen.at, mirrored), `${piece.name}, ${edge.name} split`); }}>
                      Split here
                    </Small>
                  </>
                )}
              </Box>
              {chosen?.kind === "point" && <PointFields piece={piece.name} run={edge.name} at={chosen.at} points={run.points_mm} own={own} />}
            </>
          )}
        </Panel>
      )}
    </Section>
  );
}

/** A point's place, to be typed. */
function PointFields({ piece, run, at, points, own }: { piece: string; run: string; at: number; points: readonly (readonly [number, number])[]; own: Change }) {
  const mirrored = useTable((table) => table.mirrored);
  const point = points[at];
  if (point === undefined) return null;
  const move = (to: readonly [number, number]) => {
    own((recipe) => movedPoint(recipe, { piece, run, at }, to, mirrored), `a point of the ${piece} moved`);
  };
  return (
    <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", columnGap: 1, mt: 0.5 }}>
      <NumberField key={`x ${point[0]}`} label="Across, mm" value={point[0]} low={-100000} high={100000} keep={(x) => { move([x, point[1]]); }} />
      <NumberField key={`y ${point[1]}`} label="Up, mm" value={point[1]} low={-100000} high={100000} keep={(y) => { move([point[0], y]); }} />
    </Box>
  );
}

function Seams({ sewn, keep }: { sewn: SewnMaking; keep: Change }) {
  const { seam: lit, set } = useTable();
  const change = (number: number, how: (seam: SeamRecord) => SeamRecord | null, said: string) => {
    keep((before) => {
      const recipe = ownPieces(before, sewn);
      return { ...recipe, seams: recipe.seams.flatMap((seam, at) => (at === number - 1 ? (how(seam) ?? []) : [seam])) };
    }, said);
  };
  return (
    <Section title={`Seams, ${sewn.seams.length}`}>
      {sewn.seams.map((seam) => (
        <SeamRow key={seam.number} seam={seam} lit={lit === seam.number} light={(on) => { set({ seam: on ? seam.number : null }); }} change={(how, said) => { change(seam.number, how, said); }} />
      ))}
    </Section>
  );
}

function SeamRow({ seam, lit, light, change }: { seam: SeamReading; lit: boolean; light(on: boolean): void; change(how: (seam: SeamRecord) => SeamRecord | null, said: string): void }) {
  const wrong = seam.warning !== "";
  return (
    <Box
      role="group"
      aria-label={`Seam ${seam.number}`}
      onPointerEnter={() => { light(true); }}
      onPointerLeave={() => { light(false); }}
      onFocus={() => { light(true); }}
      sx={{ display: "grid", gridTemplateColumns: "24px 1fr", columnGap: 0.75, py: 0.5, borderBottom: 1, borderColor: "divider", bgcolor: lit ? "action.hover" : undefined }}
    >
      <Typography className="figure" sx={{ fontSize: 12.5, fontWeight: 600, color: wrong ? "error.main" : "primary.main" }}>
        {seam.number}
      </Typography>
      <Box>
        <Typography sx={{ fontSize: 12 }}>
          {sideSaid(seam.one)} to {sideSaid(seam.other)}
        </Typography>
        <Typography className="figure" sx={{ fontSize: 12, color: wrong ? "error.main" : "text.secondary" }}>
          {fitSaid(seam)}
          {seam.elastic < 1 ? `, elastic ${seam.elastic}` : ""}
          {bastingSaid(seam)}
        </Typography>
        {lit && seam.basted && seam.every_mm !== null && (
          <NumberField key={seam.every_mm} label="Buttons apart, mm" value={seam.every_mm} low={1} high={10000} keep={(every_mm) => { change((one) => ({ ...one, every_mm }), `buttons ${every_mm} mm apart`); }} />
        )}
        {lit && (
          <Box sx={{ display: "flex", flexWrap: "wrap", gap: 0.25 }}>
            <Small label={`Gather seam ${seam.number}`} pressed={seam.gathers} act={() => { change((one) => ({ ...one, gathers: !one.gathers }), `seam ${seam.number} ${seam.gathers ? "plain" : "a gather"}`); }}>
              Gathers
            </Small>
            <Small label={`Turn seam ${seam.number}`} pressed={seam.turned} act={() => { change((one) => ({ ...one, turned: !one.turned }), `seam ${seam.number} turned`); }}>
              Turned
            </Small>
            <Small label={`Elastic in seam ${seam.number}`} pressed={seam.elastic < 1} act={() => { change((one) => ({ ...one, elastic: one.elastic < 1 ? 1 : 0.8 }), `seam ${seam.number} ${seam.elastic < 1 ? "plain" : "elastic 0.8"}`); }}>
              Elastic
            </Small>
            <Small label={`Baste seam ${seam.number}`} pressed={seam.basted} act={() => { change((one) => ({ ...one, basted: !one.basted, every_mm: null, undone: false }), `seam ${seam.number} ${seam.basted ? "sewn" : "basted"}`); }}>
              Basted
            </Small>
            {seam.basted && (
              <Small label={`Buttons along seam ${seam.number}`} pressed={seam.every_mm !== null} act={() => { change((one) => ({ ...one, every_mm: one.every_mm === null ? BUTTONS : null }), `seam ${seam.number} ${seam.every_mm === null ? "buttoned" : "basted all along"}`); }}>
                Buttons
              </Small>
            )}
            {seam.basted && (
              <Small label={`Undo the basting of seam ${seam.number}`} pressed={seam.undone} act={() => { change((one) => ({ ...one, undone: !one.undone }), `seam ${seam.number} ${seam.undone ? "shut" : "let go"}`); }}>
                Let go
              </Small>
            )}
            <Small label={`Take seam ${seam.number} out`} act={() => { change(() => null, `seam ${seam.number} taken out`); }}>
              Take out
            </Small>
          </Box>
        )}
      </Box>
    </Box>
  );
}

const BUTTONS = 90; // mm apart, until it is said otherwise

function bastingSaid({ basted, every_mm: every, undone }: SeamReading): string {
  if (!basted) return "";
  return `, ${every === null ? "basted" : `buttoned every ${every} mm`}${undone ? ", let go" : ""}`;
}

/** What was taken off the figure, and what is typed instead. */
function Taken({ recipe, sewn, keep }: { recipe: SewnRecipe; sewn: SewnMaking; keep: Change }) {
  const { measure, set } = useTable();
  return (
    <Section title="Measures of the figure">
      <Typography sx={{ fontSize: 12.5, mb: 0.5 }}>Taken off the {recipe.around} at rest. A figure typed here counts instead; empty it to measure again.</Typography>
      <Small label="Show all tapes on the figure" pressed={measure === "all"} act={() => { set({ measure: measure === "all" ? null : "all" }); }}>
        Show all tapes
      </Small>
      <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", columnGap: 1 }}>
        {Object.entries(sewn.measures).map(([name, value]) => (
          <Box
            key={name}
            onPointerEnter={() => { if (measure !== "all") set({ measure: name }); }}
            onPointerLeave={() => { if (measure !== "all") set({ measure: null }); }}
            onFocus={() => { if (measure !== "all") set({ measure: name }); }}
          >
          <OptionalNumberField
            label={`${name[0]?.toUpperCase() ?? ""}${name.slice(1)}, mm`}
            none={`${Math.round(value)}`}
            value={recipe.measures_mm[name] ?? null}
            low={1}
            high={10000}
            keep={(typed) => {
              keep((before) => {
                const others = Object.fromEntries(Object.entries(before.measures_mm).filter(([one]) => one !== name));
                return { ...before, measures_mm: typed === null ? others : { ...others, [name]: typed } };
              }, typed === null ? `${name} as measured` : `${name} ${typed} mm`);
            }}
          />
          </Box>
        ))}
      </Box>
    </Section>
  );
}
