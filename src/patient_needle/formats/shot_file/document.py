"""The shot file as typed records. Lengths in mm where the name says so, else metres; all else SI."""

from __future__ import annotations

import reprlib
from collections import Counter
from pathlib import Path
from typing import Annotated, Any, Literal

from pydantic import Field, ValidationError, model_validator

from ...core.model.errors import FileError, ShotError
from ...core.model.references import named_files
from ..files import read_bytes, read_json
from .ranges import (
    LARGEST,
    MOST_VERTICES,
    Component,
    Direction,
    FileName,
    Frame,
    Frames,
    Keyed,
    Many,
    Metres,
    Name,
    Place,
    Rate,
    Record,
    Share,
    Text,
    Vertex,
    Within,
)
from .version_1 import upgraded

FORMAT, VERSION = "patient-needle-shot", 2
Acceleration = Annotated[float, Within(-1e4, 1e4, "m/s2")]
Stiffness = Annotated[float, Within(-1e9, 1e9, "N/m")]
Rigidity = Annotated[float, Within(-1e6, 1e6, "N m")]
Up = Literal["x", "y", "z"]
Reach = Annotated[float, Within(-100_000, 100_000, "mm")]
KeyedPlace = Annotated[Keyed, Within(-1e6, 1e6, "m")]
KeyedTurn = Annotated[Keyed, Within(-1e6, 1e6, "degrees")]
Hit = tuple[Metres, Metres, Metres, Component, Component, Component, Share]
MOST_HITS = 20_000  # of one stroke
Hits = Annotated[list[Hit], Many(MOST_HITS, 1)]


class RunInRecord(Record):
    """Frames in the rest pose, then frames into the first frame of the shot."""

    settle: Annotated[int, Within(0, 2000, "frames")] = 10
    move: Annotated[int, Within(0, 2000, "frames")] = 30


class WindRecord(Record):
    """One wind: strength in m/s; heading in degrees, 0 blows along x and 90 along z; rise in degrees above
    level.

    turbulence is the eddies' root mean square speed along each axis as a share of the strength, eddy_m the
    length of the largest, seed which pattern.
    """

    name: Name
    strength: Annotated[Keyed, Within(-500, 500, "m/s")]
    heading: Annotated[Keyed, Within(-36_000, 36_000, "degrees")] = 0.0
    rise: Annotated[Keyed, Within(-36_000, 36_000, "degrees")] = 0.0
    turbulence: Annotated[float, Within(0, 2)] = 0.0
    eddy_m: Annotated[float, Within(1e-3, 100, "m")] = 0.8
    seed: Annotated[int, Within(0, 9999)] = 0


class ForcesRecord(Record):
    """Gravity in m/s2; air_drag in kg/(m2 s), force per area and speed, small and even; air_density in kg/m3,
    of the air that presses by the square of its speed (1.2 at sea level; 0 for none); winds, which add up.
    """

    gravity: tuple[Acceleration, Acceleration, Acceleration] = (0.0, -9.81, 0.0)
    air_drag: Annotated[float, Within(0, 1000, "kg/(m2 s)")] = 0.3
    air_density: Annotated[float, Within(0, 2000, "kg/m3")] = 0.0
    winds: Annotated[list[WindRecord], Many(50)] = []


class UnderstudyRecord(Record):
    """A lighter collider that follows the member: its mesh with fewer triangles (those of the parts in `full`
    stay and are not counted), refined until no edge is longer than `edge_mm`, or a solid fitted to each part.
    """

    shape: Literal["reduced", "refined", "box", "sphere", "capsule", "cylinder", "hull"]
    triangles: Annotated[int, Within(50, 1_000_000, "triangles")] = 4000
    full: Annotated[list[Text], Many(5000)] = []
    edge_mm: Annotated[float, Within(1, 10_000, "mm")] = 60.0


class ColliderRecord(Record):
    """How a cast member meets cloth. leave_out names joints or groups whose faces cannot touch the garment,
    leave_out_faces single faces; understudy, what cloth meets in its place; on, 1 or 0 over frames, whether it
    meets cloth at all.
    """

    clearance_mm: Annotated[Keyed, Within(-100_000, 100_000, "mm")] = 2.0
    friction: Annotated[Keyed, Within(-1000, 1000)] = 0.3
    thickness_mm: Annotated[Keyed, Within(-100_000, 100_000, "mm")] = 0.0
    on: Annotated[Keyed, Within(-1000, 1000)] = 1.0
    leave_out: Annotated[list[Text], Many(5000)] = []
    leave_out_faces: Annotated[list[Annotated[int, Within(0, LARGEST)]], Many(MOST_VERTICES)] = []
    understudy: UnderstudyRecord | None = None


class PlacedRecord(Record):
    """Where a file's content is put, after its unit and axis: left and right exchanged if mirrored, then scale,
    then a turn in degrees about the upward axis (left is positive), then a move in m. It holds at every frame.
    """

    mirrored: bool = False
    scale: Annotated[float, Within(1e-9, 1e6)] = 1.0
    turn: Annotated[float, Within(-360, 360, "degrees")] = 0.0
    move: Place = (0.0, 0.0, 0.0)


class CacheReadRecord(Record):
    """How the points of a cache are read, where that differs from their mesh: unit and axis, the mesh's own if
    left out; mirrored: left and right are exchanged.
    """

    unit: Text | None = None
    up: Up | None = None
    mirrored: bool = False


class MotionRecord(Record):
    """The motion of another file's skeleton, taken over by joint names; animation, its first if left out."""

    file: FileName
    animation: Text | None = None


class ShapeRecord(Record):
    """A second shape of a member, blended in by `amount`, 0 to 1 over frames. It is exactly one of: a shape of
    the member's own file; a mesh of another file, of the same topology and unit; or the body drawn inwards by
    `drawn_in_mm`, only where the joints in `parts` lead, if any are named.
    """

    name: Name
    shape: Text | None = None
    file: FileName | None = None
    mesh: Text | None = None
    drawn_in_mm: Annotated[float, Within(1e-3, 200, "mm")] | None = None
    parts: Annotated[list[Text], Many(5000)] = []
    amount: Annotated[Keyed, Within(-100, 100)] = 1.0


class ParentRecord(Record):
    """The joint of a character that carries a prop or set piece, which stands as placed at its rest pose."""

    member: Text
    joint: Text


class CastRecord(Record):
    """A character, prop or set piece: one mesh of a file with the motion the file has for it, or under a cache
    of points, or under the motion of another file. starts_at: the shot's frame of its first one; timing: what a
    file of another rate keeps, its time or its frames; parent: what carries it; shapes: what it takes on;
    outwards: whether its faces are turned to look outwards; motion_turn in degrees and motion_move in m:
    how its motion is turned and moved while its rest pose stays.
    """

    name: Name
    kind: Literal["character", "prop", "set piece"]
    file: FileName
    unit: Text = "m"
    up: Up = "y"
    mesh: Text | None = None
    cache: FileName | None = None
    cache_as: CacheReadRecord = CacheReadRecord()
    animation: Text | None = None
    starts_at: Frame = 0
    motion_turn: Annotated[float, Within(-360, 360, "degrees")] = 0.0
    motion_move: Place = (0.0, 0.0, 0.0)
    outwards: bool = False
    placed: PlacedRecord = PlacedRecord()
    timing: Literal["real time", "frame for frame"] = "real time"
    motion: MotionRecord | None = None
    parent: ParentRecord | None = None
    shapes: Annotated[list[ShapeRecord], Many(200)] = []
    collider: ColliderRecord | None = ColliderRecord()


class LoadCurveRecord(Record):
    """A measured pull: strains (or sines of the shear angle) above 0, rising, and the N/m each of them took."""

    strains: Annotated[list[Annotated[float, Within(-1000, 1000)]], Many(12, 1)]
    forces: Annotated[list[Annotated[float, Within(-1e9, 1e9, "N/m")]], Many(12, 1)]


class FabricRecord(Record):
    """A swatch: N/m, N m, kg/m2, mm, coefficient, s. compress_* are as stretch_* if left out; a load curve
    counts instead of the stiffness of its direction; strain_limit is a strain; memory is in N m; air_across
    and air_along are force coefficients.
    """

    name: Name
    stretch_warp: Stiffness
    stretch_weft: Stiffness
    shear: Stiffness
    bend_warp: Rigidity
    bend_weft: Rigidity
    areal_density: Annotated[float, Within(-1e4, 1e4, "kg/m2")]
    thickness_mm: Annotated[float, Within(-1000, 1000, "mm")]
    friction: Annotated[float, Within(-1000, 1000)]
    stretch_damping: Annotated[float, Within(-1e6, 1e6, "s")] = 0.0
    bend_damping: Annotated[float, Within(-1e6, 1e6, "s")] = 0.0
    compress_warp: Stiffness | None = None
    compress_weft: Stiffness | None = None
    load_warp: LoadCurveRecord | None = None
    load_weft: LoadCurveRecord | None = None
    load_shear: LoadCurveRecord | None = None
    strain_limit: Annotated[float, Within(-1000, 1000)] | None = None
    memory: Rigidity = 0.0
    air_across: Annotated[float, Within(-1e6, 1e6)] = 1.2
    air_along: Annotated[float, Within(-1e6, 1e6)] = 0.02


class FillingRecord(Record):
    """What fills a closed garment: a pressure in Pa, or a share of its made volume that is kept with
    `stiffness` Pa.
    """

    by: Literal["pressure", "volume"]
    amount: Annotated[Keyed, Within(-1e7, 1e7, "Pa, or a share of the volume")]
    stiffness: Annotated[float, Within(1e-6, 1e12, "Pa")] = 20_000.0


class ChoiceRecord(Record):
    """Which vertices: exactly one of group, border, vertices, `named`, a choice that the garment keeps, or
    whole; of it the row that many edges away, if not 0; then rings around that, fewer below 0, then `fade`
    rings more over which the grip falls to nothing. grips, one for each of `vertices`, multiply the hold's.
    """

    group: Text | None = None
    border: Literal["highest", "lowest", "longest"] | None = None
    vertices: Annotated[list[Vertex], Many(MOST_VERTICES)] | None = None
    named: Text | None = None
    row: Annotated[int, Within(0, 1000, "edges")] = 0
    rings: Annotated[int, Within(-100, 100, "edges")] = 0
    fade: Annotated[int, Within(0, 100, "edges")] = 0
    grips: Annotated[list[Share], Many(MOST_VERTICES)] | None = None
    whole: bool = False


class FollowRecord(Record):
    """The worn shape on a cast member, or by the garment's own name the motion of its own file."""

    kind: Literal["follows"]
    to: Text


class StickRecord(Record):
    """The nearest place on a cast member when the hold begins, within a reach; slides: friction coefficient
    along the surface, as if the garment's weight pressed the hold on; left out when it does not slide.
    """

    kind: Literal["sticks"]
    to: Text
    reach_mm: Reach = 20.0
    slides: Annotated[float, Within(0, 10)] | None = None


class StitchRecord(Record):
    """The nearest place of a garment, of all of it or of what `choose` says, within a reach; drawn to a gap."""

    kind: Literal["stitched"]
    to: Text
    choose: ChoiceRecord | None = None
    gap_mm: Annotated[float, Within(0, 1000, "mm")] = 0.0
    reach_mm: Reach = 20.0


class CarriedRecord(Record):
    """A cast member that carries a handle, or one part of it."""

    member: Text
    part: Text | None = None


class HandleRecord(Record):
    """A transform that carries what it holds: place in m; turn in degrees about x, then y, then z; scale;
    reach_mm, over which its grip falls from its place outwards, even everywhere if left out.
    """

    kind: Literal["handle"]
    place: tuple[KeyedPlace, KeyedPlace, KeyedPlace] = (0.0, 0.0, 0.0)
    turn: tuple[KeyedTurn, KeyedTurn, KeyedTurn] = (0.0, 0.0, 0.0)
    scale: Annotated[Keyed, Within(-1e6, 1e6)] = 1.0
    reach_mm: Reach | None = None
    carried_by: CarriedRecord | None = None


class TetherRecord(Record):
    """Free within a length of the nearest place on a cast member, or of where it is at the start."""

    kind: Literal["tether"]
    to: Text | None = None
    length_mm: Annotated[float, Within(1e-3, 100_000, "mm")] = 50.0


class ElasticRecord(Record):
    """Edges drawn to `factor` of their made length; tension, in N, is what stretches each row of them to twice
    the length that they are drawn to.
    """

    kind: Literal["elastic"]
    factor: Annotated[Keyed, Within(-1000, 1000)] = 0.8
    tension: Annotated[float, Within(1e-6, 1e6, "N")] = 10.0


How = Annotated[
    FollowRecord | StickRecord | StitchRecord | HandleRecord | TetherRecord | ElasticRecord,
    Field(discriminator="kind"),
]


class HoldRecord(Record):
    """What holds chosen vertices, and how. grip, 0 to 1, is welded at 1, and below it lets the garment sag by
    10 mm times (1 - grip) / grip under its own weight; on, 1 or 0 over frames; ease_in, frames over which it
    takes hold again.
    """

    name: Name
    choose: ChoiceRecord
    how: How
    grip: Annotated[Keyed, Within(-1000, 1000)] = 1.0
    on: Annotated[Keyed, Within(-1000, 1000)] = 1.0
    ease_in: Annotated[float, Within(0, 1000, "frames")] = 6.0


class KeptChoiceRecord(Record):
    """A choice under a name of its own."""

    name: Name
    choose: ChoiceRecord


class BrushRecord(Record):
    """A brush. softness: share of the radius over which it falls off; through: other layers and the inside too;
    mirrored: on the other side of x = 0 as well.
    """

    radius_mm: Annotated[float, Within(1e-3, 10_000, "mm")] = 40.0
    strength: Share = 1.0
    softness: Share = 0.5
    mode: Literal["add", "lift", "set", "blend"] = "add"
    amount: Share = 1.0
    through: bool = False
    mirrored: bool = False


class StrokeRecord(BrushRecord):
    """A brush drawn along a path over the garment as made. hits: place in m, the way the cloth faces there, and
    pressure.
    """

    hits: Hits


class StrokeStep(BrushRecord):
    """A stroke as a step of a map. Its hits stand here or in a file beside the shot's (`strokes`)."""

    kind: Literal["stroke"]
    hits: Hits | None = None
    file: FileName | None = None

    @model_validator(mode="after")
    def _one_of(self) -> StrokeStep:
        if (self.hits is None) == (self.file is None):
            raise ValueError("a stroke has either hits or a file of hits")
        return self


class FillStep(Record):
    """The same value everywhere."""

    kind: Literal["fill"]
    value: Share


class AlongStep(Record):
    """From one value to another along a line, held beyond its ends; places in m of the garment as made."""

    kind: Literal["along"]
    start: Place
    end: Place
    values: tuple[Share, Share] = (0.0, 1.0)


class FromChoiceStep(Record):
    """From one value at chosen vertices to another some way off along the cloth."""

    kind: Literal["from_choice"]
    choose: ChoiceRecord
    reach_mm: Annotated[float, Within(1e-3, 100_000, "mm")] = 100.0
    values: tuple[Share, Share] = (1.0, 0.0)


class ChangeStep(Record):
    """Of all values: inverted, scaled by `amount`, clamped from `amount` to `other`, smoothed over `amount` mm
    of cloth.
    """

    kind: Literal["change"]
    how: Literal["invert", "scale", "clamp", "smooth"]
    amount: Annotated[float, Within(0, 10_000)] = 1.0
    other: Annotated[float, Within(0, 10_000)] = 1.0


class WithStep(Record):
    """Put together with another map of the garment."""

    kind: Literal["with_map"]
    map: Text
    how: Literal["multiply", "least", "most"] = "multiply"


class FromWeightsStep(Record):
    """How much the joints carry the nearest place of a cast member."""

    kind: Literal["from_weights"]
    member: Text
    joints: Annotated[list[Text], Many(5000, 1)]


class FromDistanceStep(Record):
    """From one value on a cast member, as it stands in its rest pose, to another some way off."""

    kind: Literal["from_distance"]
    member: Text
    reach_mm: Annotated[float, Within(1e-3, 100_000, "mm")] = 100.0
    values: tuple[Share, Share] = (1.0, 0.0)


class FromGarmentStep(Record):
    """A map of another garment at its nearest place; what is further off than the reach stays as it was."""

    kind: Literal["from_garment"]
    garment: Text
    map: Text
    reach_mm: Annotated[float, Within(1e-3, 100_000, "mm")] = 50.0


class FromFileStep(Record):
    """Values from a file: a grey PNG laid over the UVs, or a PLY or USD mesh of the same vertices whose values
    are called `named`, if it has several kinds.
    """

    kind: Literal["from_file"]
    file: FileName
    named: Text | None = None


class MirrorStep(Record):
    """One side of x = 0, 1 or -1, copied to the other."""

    kind: Literal["mirror"]
    side: Literal[-1, 1]


class ValuesStep(Record):
    """A value for each vertex."""

    kind: Literal["values"]
    values: Annotated[list[Annotated[float, Within(-1e6, 1e6)]], Many(MOST_VERTICES)]


StepRecord = Annotated[
    StrokeStep | FillStep | AlongStep | FromChoiceStep | FromWeightsStep | FromDistanceStep | FromGarmentStep
    | FromFileStep | ChangeStep | WithStep | MirrorStep | ValuesStep,
    Field(discriminator="kind"),
]  # fmt: skip


class MapRecord(Record):
    """A chalk map: a value from 0 to 1 per vertex, made by its steps in order from 0 everywhere. span: what 0
    and 1 mean, as factors of the fabric's own value, or of hold as grips; in_use: one map of each role can
    be.
    """

    name: Name
    role: Literal[
        "hold",
        "stretch",
        "shear",
        "bend",
        "weight",
        "memory",
        "friction",
        "clearance",
        "thickness",
        "damping",
        "spacing",
    ]
    span: tuple[Component, Component] | None = None
    in_use: bool = True
    steps: Annotated[list[StepRecord], Many(5000)] = []


class FinishedRecord(Record):
    """An earlier result, worn as it is: a cache in metres, Y up, its first frame, and which take it is of."""

    cache: FileName
    starts_at: Frame
    take: Text = ""


class LetOutRecord(Record):
    """A ring of vertices that is made longer by `by_mm`; the cloth within reach_mm of it follows."""

    vertices: Annotated[list[Vertex], Many(MOST_VERTICES, 3)]
    by_mm: Annotated[float, Within(0.01, 5000, "mm")]
    reach_mm: Annotated[float, Within(1, 10_000, "mm")] = 150.0


class FinerRecord(Record):
    """What makes edges shorter in places: the steps of a map as they were when the garment was meshed by it,
    and what 0 and 1 mean, as factors of the spacing. Steps go by place: none of them may name vertices.
    """

    map: Name
    span: tuple[Component, Component] = (1.0, 0.5)
    steps: Annotated[list[StepRecord], Many(5000)] = []

    @model_validator(mode="after")
    def _by_place(self) -> FinerRecord:
        for step in self.steps:
            named = step.kind in ("values", "with_map", "from_garment")
            if isinstance(step, FromChoiceStep):
                named = step.choose.vertices is not None or step.choose.named is not None
            if isinstance(step, FromFileStep):
                named = not step.file.lower().endswith(".png")
            if named:
                raise ValueError(f"a spacing goes by place, and a step '{step.kind}' goes by vertices")
        return self


class SpacingRecord(Record):
    """How long the edges of a garment's triangles are: two lengths, which of them is in use, and what makes
    them shorter in places.
    """

    draft_mm: Annotated[float, Within(0.5, 1000, "mm")] = 18.0
    fine_mm: Annotated[float, Within(0.5, 1000, "mm")] = 9.0
    use: Literal["draft", "fine"] = "draft"
    finer: FinerRecord | None = None

    @property
    def mm(self) -> float:
        """The one in use."""
        return self.draft_mm if self.use == "draft" else self.fine_mm


class FileRecipe(Record):
    """A garment that is one mesh of a file, at rest as it lies there: warp direction where its UVs are no
    pattern; starts_at: the shot's frame of the file's first one, for a hold that follows its motion. sheet: one
    sheet stands for both faces of a closed thin mesh; mended: faults of the mesh that are put right, in this
    order; spacing: the mesh is made anew at it, the file's own where it is left out; let_out: rings of the new
    mesh made longer. rest: as the mesh lies, or as its UVs lay it flat.
    """

    kind: Literal["file"]
    file: FileName
    unit: Text = "m"
    up: Up = "y"
    mesh: Text | None = None
    placed: PlacedRecord = PlacedRecord()
    warp: Direction = (0.0, 1.0, 0.0)
    starts_at: Frame = 0
    sheet: bool = False
    mended: Annotated[list[Literal["doubled", "slivers", "inside out"]], Many(3)] = []
    spacing: SpacingRecord | None = None
    let_out: Annotated[list[LetOutRecord], Many(200)] = []
    rest: Literal["as made", "uvs"] = "as made"


class TierRecord(Record):
    """A flounce that hangs from the hem above it: its depth along the cloth; gather, its cloth over that hem;
    flare, its own hem over its top.
    """

    depth_mm: Annotated[float, Within(1, 10_000, "mm")] = 150.0
    gather: Annotated[float, Within(0, 6)] = 1.5
    flare: Annotated[float, Within(0.1, 10)] = 1.0


class HemTierRecord(TierRecord):
    """A tier that continues a hem; fabric: what it is made of, the skirt's if left out."""

    fabric: Text | None = None


class RingsRecipe(Record):
    """A skirt cut from rings round a cast member, flat at rest. waist_mm and hem_mm: heights of its upper edge
    and its hem above `joint`, or above the member's lowest point without one; hem_mm along the cloth when it
    hangs straight down. ease_mm: how much longer the band is than the girth under it; fullness: cloth over the
    band; flare: hem over top; opening in front; tiers from the hem down; fold_mm: cloth in a fold of a gather.
    """

    kind: Literal["rings"]
    around: Text
    joint: Text | None = None
    waist_mm: Annotated[float, Within(-10_000, 10_000, "mm")]
    hem_mm: Annotated[float, Within(-10_000, 10_000, "mm")]
    band_mm: Annotated[float, Within(0, 1000, "mm")] = 35.0
    ease_mm: Annotated[float, Within(-1000, 10_000, "mm")] = 30.0
    fullness: Annotated[float, Within(0, 6)] = 1.0
    flare: Annotated[float, Within(0.1, 10)] = 1.6
    opening: Literal["closed", "slit", "open"] = "closed"
    slit_mm: Annotated[float, Within(1, 10_000, "mm")] = 300.0
    tiers: Annotated[list[HemTierRecord], Many(12)] = []
    fold_mm: Annotated[float, Within(10, 2000, "mm")] = 120.0
    spacing: SpacingRecord = SpacingRecord()


class FlounceRecipe(TierRecord):
    """A tier of its own on another garment, at a height above the same joint as `RingsRecipe` has it, or above
    the floor (y = 0) if that garment is not made of rings. A hold stitches it on.
    """

    kind: Literal["flounce"]
    on: Text
    at_mm: Annotated[float, Within(-10_000, 10_000, "mm")]
    fold_mm: Annotated[float, Within(10, 2000, "mm")] = 120.0
    spacing: SpacingRecord = SpacingRecord()


Outline = tuple[
    Annotated[float, Within(-100_000, 100_000, "mm")], Annotated[float, Within(-100_000, 100_000, "mm")]
]
BodyPartName = Literal["torso", "left arm", "right arm", "left leg", "right leg", "neck"]


class RunRecord(Record):
    """One edge of a piece: its points from its own corner on, to the first point of the next edge; smooth: a
    curve goes through them.
    """

    name: Name
    points_mm: Annotated[list[Outline], Many(2000)]
    smooth: bool = False


class HangRecord(Record):
    """Where a piece hangs before it is sewn: round which part of the figure, and before or behind it; of a
    folded piece the layer is its leftmost part's. folds_mm: x of upright lines at which it changes sides;
    at_mm: how far beside its part's own place; turn: degrees counter-clockwise as seen from the front;
    follows: edges that it is laid along.
    """

    part: BodyPartName = "torso"
    layer: Literal["front", "back"] = "front"
    folds_mm: Annotated[list[Annotated[float, Within(-100_000, 100_000, "mm")]], Many(8)] = []
    at_mm: Outline = (0.0, 0.0)
    turn: Annotated[float, Within(-3600, 3600)] = 0.0
    follows: Annotated[list[Name], Many(50)] = []


class LineRecord(Record):
    """A line drawn within a piece."""

    name: Name
    points_mm: Annotated[list[Outline], Many(2000)]


class NotchRecord(Record):
    """A mark on an edge, so far along it."""

    run: Name
    along_mm: Annotated[float, Within(0, 100_000, "mm")]


class PieceRecord(Record):
    """A flat piece of cloth: its edges counter-clockwise as seen from outside, where it hangs, and its grain:
    degrees counter-clockwise that warp is turned from y.
    """

    name: Name
    runs: Annotated[list[RunRecord], Many(200)]
    hang: HangRecord = HangRecord()
    grain: Annotated[float, Within(-3600, 3600)] = 0.0
    lines: Annotated[list[LineRecord], Many(200)] = []
    notches: Annotated[list[NotchRecord], Many(500)] = []


class SeamRecord(Record):
    """Edges that are sewn together, each side one or several in order, as pairs of piece and edge. turned: the
    other side runs with the first, not against it; gathers: one side is meant to be longer; elastic: factor on
    the seam's length; bend: factor on the bending stiffness along it. basted: links hold the sides together
    and can be let go, every_mm apart as buttons are, or at each vertex; undone: they are let go.
    """

    one: Annotated[list[tuple[Name, Name]], Many(50)]
    other: Annotated[list[tuple[Name, Name]], Many(50)]
    turned: bool = False
    gathers: bool = False
    elastic: Annotated[float, Within(0.2, 1)] = 1.0
    bend: Annotated[float, Within(0, 100)] = 1.0
    basted: bool = False
    every_mm: Annotated[float, Within(1, 10_000, "mm")] | None = None
    undone: bool = False


class BlockRecord(Record):
    """A pattern drafted from the figure's measures. ease_mm: girth beyond the figure's; length_mm: from its
    upper edge to its hem; flare: of its hem; sleeve_mm: of its sleeves; gather: its cloth over the band. What
    is left out is the block's own.
    """

    kind: Literal["smock", "trousers", "skirt", "cape"]
    ease_mm: Annotated[float, Within(-500, 5000, "mm")] | None = None
    length_mm: Annotated[float, Within(10, 10_000, "mm")] | None = None
    flare: Annotated[float, Within(0.2, 10)] | None = None
    sleeve_mm: Annotated[float, Within(10, 5000, "mm")] | None = None
    gather: Annotated[float, Within(1, 3)] = 1.0


class SewnRecipe(Record):
    """Flat pieces sewn together round a cast member that has a skeleton: those of a block, or its own where it
    has some. measures_mm: corrections of what was measured off the figure. file: a cache of one frame in
    metres, Y up, of the garment as it is worn, on the mesh that the pieces make; file_of: those pieces, in
    short. The garment is not sewn yet without it, and where the pieces have changed since.
    """

    kind: Literal["sewn"]
    around: Text
    block: BlockRecord | None = None
    pieces: Annotated[list[PieceRecord], Many(200)] = []
    seams: Annotated[list[SeamRecord], Many(500)] = []
    measures_mm: dict[Text, Annotated[float, Within(1, 10_000, "mm")]] = {}
    spacing: SpacingRecord = SpacingRecord(draft_mm=16.0, fine_mm=10.0)
    file: FileName | None = None
    file_of: Text = ""

    @model_validator(mode="after")
    def _has_pieces(self) -> SewnRecipe:
        if self.block is None and not self.pieces:
            raise ValueError("it has neither pieces nor a block to start from")
        return self


Recipe = Annotated[FileRecipe | RingsRecipe | FlounceRecipe | SewnRecipe, Field(discriminator="kind")]


class BeginsRecord(Record):
    """The pose that a garment starts from: a cache of one frame in metres, Y up, of the mesh that `recipe`
    makes; on another mesh it is carried over by place. take: whose it is.
    """

    cache: FileName
    recipe: Recipe
    take: Text = ""


class GarmentRecord(Record):
    """A garment: what it is made from, fabric, whether its folds rest flat or as they were made, choices of its
    vertices kept by name, maps, holds.

    calm: how much secondary motion is taken out; shelter: how much of the wind its back side is spared;
    filling: what fills it; begins: the pose it starts from, as made without one; finished, when it is not to be
    simulated again.
    """

    name: Name
    recipe: Recipe
    fabric: Text
    rest_angles: Literal["flat", "as made"] = "flat"
    calm: Annotated[float, Within(0, 1)] = 0.0
    shelter: Annotated[float, Within(0, 1)] = 0.0
    filling: FillingRecord | None = None
    begins: BeginsRecord | None = None
    finished: FinishedRecord | None = None
    choices: Annotated[list[KeptChoiceRecord], Many(500)] = []
    maps: Annotated[list[MapRecord], Many(200)] = []
    holds: Annotated[list[HoldRecord], Many(500)] = []


class FittedRecord(Record):
    """A garment in a fitting: its pose, a cache of one frame in metres, Y up, of the mesh that `recipe` makes;
    and what it was made of then, in short.
    """

    garment: Name
    cache: FileName
    recipe: Recipe
    made_of: Text


class FittingRecord(Record):
    """A kept pose of all garments. frame: where the figure stands, run-in included; file: the fitting, to
    go on from; picture: a JPEG of it; figure: what the cast was then, in short.
    """

    name: Name
    frame: Annotated[float, Within(-1e6, 1e6)]
    file: FileName
    picture: FileName | None = None
    figure: Text
    garments: Annotated[list[FittedRecord], Many(200)]


class ShotFile(Record):
    """Version 2 of the shot file. time_stretch: seconds that pass for the cloth in one second of the shot;
    least_substeps: substeps per frame that are taken at least. garments stand in dressing order, innermost
    first; together: simulated as one outfit, or each as if the others that are not finished were not there;
    fittings: poses that were kept, oldest first.
    """

    format: Literal["patient-needle-shot"]
    version: Literal[2]
    name: Name
    frame_rate: Rate = 24.0
    frames: Frames
    run_in: RunInRecord = RunInRecord()
    patience: Literal["first-look", "working", "final"] = "first-look"
    forces: ForcesRecord = ForcesRecord()
    time_stretch: Annotated[Keyed, Within(-1e6, 1e6)] = 1.0
    least_substeps: Annotated[Keyed, Within(-1e6, 1e6)] = 1.0
    together: bool = True
    cast: Annotated[list[CastRecord], Many(500)] = []
    fabrics: Annotated[list[FabricRecord], Many(1000)]
    garments: Annotated[list[GarmentRecord], Many(200)]
    fittings: Annotated[list[FittingRecord], Many(200)] = []

    def files(self) -> list[str]:
        """The name of every file that the shot refers to, each once."""
        return named_files(self.model_dump(mode="json"))


def current(document: Any, where: str) -> Any:
    """A document in the present version; one of an earlier version is read as it was meant then."""
    if isinstance(document, dict) and document.get("version") == 1:
        return upgraded(document, where)
    return document


def read_shot_file(path: Path) -> ShotFile:
    """The shot file at `path`; one `FileError` or `ShotError` that names the first thing wrong."""
    return parse_shot(read_json(read_bytes(path), str(path)), str(path))


def parse_shot(data: Any, where: str) -> ShotFile:
    """A shot from its JSON value; an error names `where` and the first thing that is wrong."""
    if not isinstance(data, dict) or data.get("format") != FORMAT:
        raise FileError(
            "this is not a shot file",
            where=where,
            remedy=f'A shot file is a JSON object with "format": "{FORMAT}"',
        )
    data = current(data, where)
    if data.get("version") != VERSION:
        raise ShotError(
            f"version {reprlib.repr(data.get('version'))} of the shot file is not known",
            where=where,
            remedy=f"This program reads versions 1 and {VERSION}: open it with the one that wrote it",
        )
    try:
        shot = ShotFile.model_validate(data)
    except ValidationError as error:
        raise explained(where, error) from None
    _check_names(where, shot)
    return shot


def explained(where: str, error: ValidationError) -> ShotError:
    """The first thing that is wrong with a record, in words."""
    first = error.errors()[0]
    place = ".".join(str(part) for part in first["loc"])
    if first["type"] == "extra_forbidden":
        return ShotError(
            f"'{place}' is not a known key", where=where, remedy="Remove it or correct its spelling"
        )
    if first["type"] == "missing":
        return ShotError(f"'{place}' is missing", where=where, remedy="Add it")
    if first["type"] in ("union_tag_invalid", "union_tag_not_found"):
        return _explained_kind(where, place, first)
    given = reprlib.repr(first["input"])
    return ShotError(
        f"'{place}' cannot be {given} ({first['msg']})",
        where=where,
        remedy="See docs/shot-file.md for what it may be",
    )


def _explained_kind(where: str, place: str, error: Any) -> ShotError:
    """A record of no kind, or of one that is not known."""
    kinds = error["ctx"].get("expected_tags", "").replace("'", "")
    if error["type"] == "union_tag_not_found":
        what = f"'{place}' does not say its kind"
    else:
        what = f"'{place}' is of the kind '{reprlib.repr(error['ctx']['tag'])[1:-1]}', which is not known"
    return ShotError(what, where=where, remedy=f"Give it one of {kinds}" if kinds else 'Give it a "kind"')


def _check_names(where: str, shot: ShotFile) -> None:
    for what, names in (
        ("cast members", [c.name for c in shot.cast]),
        ("fabrics", [f.name for f in shot.fabrics]),
        ("garments", [g.name for g in shot.garments]),
        *((f"choices of '{g.name}'", [one.name for one in g.choices]) for g in shot.garments),
        *((f"holds of '{g.name}'", [hold.name for hold in g.holds]) for g in shot.garments),
    ):
        double = next((name for name, count in Counter(names).items() if count > 1), None)
        if double is not None:
            raise ShotError(f"two {what} are called '{double}'", where=where, remedy="Rename one of them")


def shot_file_schema() -> dict[str, Any]:
    """The JSON Schema of the present version."""
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": f"Patient Needle shot file, version {VERSION}",
        **ShotFile.model_json_schema(),
    }
