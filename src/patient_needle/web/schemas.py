"""What the API takes and gives, as typed records; the TypeScript client is generated from these."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any, Literal

from pydantic import Base64Bytes, BaseModel, ConfigDict, Field

from ..formats.shot_file.document import ChoiceRecord as ChoiceRecord
from ..formats.shot_file.document import (
    FabricRecord,
    GarmentRecord,
    PieceRecord,
    Recipe,
    SeamRecord,
    StrokeRecord,
)
from ..formats.shot_file.document import ShotFile as ShotFile
from ..formats.shot_file.ranges import Frame, Frames, Many, Name, Place, Rate, Text, Within

Patience = Literal["first-look", "working", "final"]
Plain = Annotated[float, Within(-1e9, 1e9)]


class _Given(BaseModel):
    """What a page sends: unknown keys are refused."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)


class Fault(BaseModel):
    """A fault: what, where, and how to fix it."""

    what: str
    where: str
    remedy: str


class ShotLine(BaseModel):
    """A shot in the list of shots."""

    id: int
    name: str
    revision: int


class Shot(BaseModel):
    """A shot at the revision in force. undo_said: what undo would take back; None when there is nothing.
    first_simulated: the first frame of its run-in.
    """

    id: int
    name: str
    revision: int
    said: str
    undo_said: str | None
    redo_said: str | None
    first_simulated: int
    document: ShotFile
    fit_mark: str = Field(
        description="What a fitting goes by, in short: a live one of another mark is of before"
    )
    stale_fittings: dict[str, list[str]] = Field(
        description="By its name, what changed since a fitting was kept"
    )


class FittingNew(_Given):
    """Keep the live fitting. seen: the revision the caller looks at; picture: a JPEG of at most 400 kB."""

    seen: int
    name: str = Field(min_length=1, max_length=80)
    picture: Base64Bytes | None = None


class ShotEdit(_Given):
    """A new state of the shot. seen: the revision it was made from. said: what changed, in words."""

    seen: int
    said: str = Field(min_length=1, max_length=200)
    document: ShotFile
    uploads: dict[str, str] = Field(default={}, description="SHA-256 by name of files that were brought in")


class PatchOperation(_Given):
    """One operation of a JSON Patch (RFC 6902) on a shot's document; `move` and `copy` are not taken."""

    op: Literal["add", "remove", "replace", "test"]
    path: str = Field(max_length=1000)
    value: Any = None


class ShotPatch(_Given):
    """What changes in a shot. seen: the revision that it changes. said: what changed, in words."""

    seen: int
    said: str = Field(min_length=1, max_length=200)
    patch: list[PatchOperation] = Field(max_length=10_000)
    uploads: dict[str, str] = Field(default={}, description="SHA-256 by name of files that were brought in")


class ShotNew(_Given):
    """An empty shot."""

    name: Name
    frames: Frames = (1001, 1100)
    frame_rate: Rate = 24.0


class Seen(_Given):
    """The revision that the caller is looking at."""

    seen: int


class MeshInShort(BaseModel):
    """A mesh in a file: size in the file's own units; moves: how, over which of the file's frames."""

    name: str
    vertices: int
    faces: int
    size: list[float]
    moves: Literal["not at all", "by points", "by joints", "as a whole"]
    first: float | None
    last: float | None
    shapes: list[str]


class Stated(BaseModel):
    """What a file says of itself: metres per unit, upward axis, frames per second; None for nothing."""

    metres: float | None
    up: Literal["y", "z"] | None
    rate: float | None


class CacheInShort(BaseModel):
    """Positions over time without a mesh."""

    points: int
    frames: int
    first: float | None


class NumberedFiles(_Given):
    """Files of one numbered sequence that were brought in, SHA-256 by name."""

    files: dict[str, str] = Field(min_length=1, max_length=5000)


class ValuesInShort(BaseModel):
    """Values of vertices: of which mesh, what they are called, how many."""

    mesh: str
    name: str
    count: int


class Uploaded(BaseModel):
    """A file that was brought in and can be named by the next edit. beside: SHA-256 by name of a cache that was
    made of the numbered files that it is the first of; picture: width and height in pixels; notes: what the
    file names that is not read.
    """

    name: str
    sha: str
    bytes: int
    meshes: list[MeshInShort]
    stated: Stated
    animations: list[str]
    cache: CacheInShort | None
    values: list[ValuesInShort] = []
    picture: tuple[int, int] | None = None
    beside: dict[str, str] = {}
    notes: list[str] = []


class Offer(BaseModel):
    """A change that would mend what looks wrong, and the fields that it sets: member, of a cast member or of a
    garment's recipe; garment, of the garment itself; shot, of the shot; cast, of cast members by name.
    """

    because: str
    said: str
    member: dict[str, Any]
    shot: dict[str, Any]
    garment: dict[str, Any]
    cast: dict[str, dict[str, Any]]


class Judged(BaseModel):
    """What looks wrong about a figure; outlines as height, left and right edge in m."""

    offers: list[Offer]
    faces: float | None
    before: list[list[float]]
    after: list[list[float]]


class UnderstudyReading(BaseModel):
    """An understudy held against what it stands in for: m."""

    vertices: int
    triangles: int
    of_full: int
    closed: bool
    worst: float
    mean: float


class SelfCut(BaseModel):
    """One frame in which a figure cuts into itself: how deep (m), where (m) and between which parts."""

    frame: int
    pairs: int
    depth: float
    place: list[float]
    between: str


class SelfCuts(BaseModel):
    """Every frame with cuts, and how many were searched."""

    cuts: list[SelfCut]
    searched: int


class Pop(BaseModel):
    """What changes too quickly, of a hold, a member or a wind: frames first to last, how many it needs, where
    keys go.
    """

    hold: str
    keyed: str
    said: str
    first: float
    last: float
    needs: float
    wider: tuple[float, float]


class MemberReading(BaseModel):
    """A cast member in figures: m, m/s, frames."""

    vertices: int
    faces: int
    triangles: int
    colliding: int
    closed: bool
    height: float
    lowest: float
    first: int | None
    last: int | None
    fastest: float
    parts: list[str]
    joints: list[str]
    said: str
    shapes: list[str]
    notes: list[str]
    judged: Judged
    pops: list[Pop] = []
    understudy: UnderstudyReading | None


class BorderReading(BaseModel):
    """A border loop of a garment: m; `choose` is how a hold takes it."""

    index: int
    vertices: int
    length: float
    height: float
    choose: ChoiceRecord


class HoldReading(BaseModel):
    """A hold in figures: N/m, and m that the garment sags on it; vertices, and those of them that hold on."""

    name: str
    vertices: int
    holding: int
    firmness: float | None
    sag: float | None
    notes: list[str]
    pops: list[Pop]


class CourseReading(BaseModel):
    """A ring of cloth as cut: mm round its top and its hem, mm deep, gather."""

    name: str
    top_mm: float
    hem_mm: float
    depth_mm: float
    gather: float


class Tape(BaseModel):
    """A line round a garment in the making: height m; girth_mm of what is inside, cloth_mm there; points m."""

    name: str
    height: float
    girth_mm: float | None
    cloth_mm: float | None
    points: list[tuple[float, float, float]]


class EdgeReading(BaseModel):
    """An edge of a piece as it is shown, mm."""

    name: str
    line_mm: list[tuple[float, float]]
    length_mm: float


class HungPart(BaseModel):
    """What of a piece hangs in one layer, as seen from the front: its outline in the figure's frame, mm."""

    layer: Literal["front", "back"]
    line_mm: list[tuple[float, float]]


class PieceReading(PieceRecord):
    """A piece as cut: its record, its edges as lines, where it hangs, its area, and which triangles of the mesh
    are its own: the first and how many.
    """

    edges: list[EdgeReading]
    hung: list[HungPart]
    area_cm2: float
    triangles: tuple[int, int]


class SeamReading(SeamRecord):
    """A seam: its record, its number, both sides in mm, and what is wrong with it, "" for nothing."""

    number: int
    one_mm: float
    other_mm: float
    warning: str


class SewnMaking(BaseModel):
    """A sewn garment. worn: whether it was sewn as it is cut now; measures: mm, by name; figure_mm: outlines of
    the figure as seen from the front.
    """

    worn: bool
    pieces: list[PieceReading]
    seams: list[SeamReading]
    measures: dict[str, float]
    figure_mm: list[list[tuple[float, float]]]
    vertices: int


class Making(BaseModel):
    """How a garment was made. draft_vertices, fine_vertices: about how many its spacings give; isometry: median
    and 99th percentile of what its UVs and its mesh differ by, as shares; foot: m that its heights count from;
    grams: of its cloth.
    """

    courses: list[CourseReading]
    tapes: list[Tape]
    notes: list[str]
    draft_vertices: int | None
    fine_vertices: int | None
    isometry: tuple[float, float] | None
    foot: float
    grams: float
    sewn: SewnMaking | None = None


class Finding(BaseModel):
    """One thing wrong with a garment's mesh; mends: whether it can be put right; lit: triangles to light."""

    kind: str
    said: str
    count: int
    mends: bool
    lit: int


class Health(BaseModel):
    """What is wrong with a garment's mesh; nothing for one that is sound."""

    findings: list[Finding]


class RecipeAsk(_Given):
    """Another way to make a garment."""

    recipe: Recipe


class Remade(BaseModel):
    """garments: those whose records change with a recipe, as they are then; lost: what could not be carried."""

    garments: list[GarmentRecord]
    lost: list[str]


class GarmentReading(BaseModel):
    """A garment in figures: m, m2; notes: what a take puts right in its start."""

    vertices: int
    faces: int
    triangles: int
    area: float
    spacing: float
    borders: list[BorderReading]
    groups: list[str]
    rows: list[str]
    nearest: float | None
    furthest: float | None
    mean: float | None
    offers: list[Offer]
    size: tuple[float, float, float]
    holds: list[HoldReading] = []
    notes: list[str] = []
    making: Making | None = None


class Jerk(BaseModel):
    """Where a run-in joins its shot harder than anything that the shot does: steps in velocity, m/s."""

    of: str
    frame: int
    step: float
    own: float


class Pulse(BaseModel):
    """Fastest body point in m/s per frame, from frame `first` on; suggested_move: frames for a calm run-in;
    jerks: members that are thrown into the shot.
    """

    first: int
    suggested_move: int
    body_speed: list[float]
    jerks: list[Jerk] = []


class Reading(BaseModel):
    """What was read from a revision's files, by name of the cast member or garment; what of each wind is too
    quick.
    """

    cast: dict[str, MemberReading]
    garments: dict[str, GarmentReading]
    winds: dict[str, list[Pop]] = {}
    faults: dict[str, Fault]
    pulse: Pulse


class Ray(_Given):
    """A ray in the shot's space: m, and a direction."""

    origin: Place
    direction: Place


class Drawn(_Given):
    """What was drawn around on the stage: corners and projection (16, by columns) to a plane of -1 to 1, the
    eye in m; facing: only what the eye sees.
    """

    corners: Annotated[list[tuple[Plain, Plain]], Many(2000, 3)]
    projection: Annotated[list[Plain], Many(16, 16)]
    eye: Place
    facing: bool = True


class FramesSeen(_Given):
    """How many frames of a shake test were seen; none begin it anew. page: whose test it is, by any name."""

    frames: int = Field(0, ge=0, le=10_000)
    page: str = Field("", max_length=80)


class Shaken(BaseModel):
    """A shake test so far: the worst slip and that of each frame in m, how many frames there will be, what was
    turned, how many points had a place, whether cloth was ever inside anything.
    """

    worst: float
    of: int
    part: str
    held: int
    crossed: bool
    slip: list[float]


class MapAsk(_Given):
    """less: a map of the same garment to take away from it."""

    less: str | None = None


class MapFileAsk(_Given):
    """What kind of file; side: pixels of a picture's sides."""

    kind: Literal["png", "ply", "usda", "usdc"]
    side: int = Field(1024, ge=16, le=2048)


class PiecesAsk(_Given):
    """A drawing that was brought in, and how long its unit is, for one that does not say."""

    name: str = Field(max_length=200)
    sha: str = Field(pattern=r"^[0-9a-f]{64}$")
    unit: Literal["mm", "cm", "in", "pt", "px"] | None = None


class PiecesRead(BaseModel):
    """The pieces of a drawing, and in words what was left out. asks_unit: it does not say how long its unit is,
    so there are none yet; width and height, in its own units.
    """

    pieces: list[PieceRecord]
    notes: list[str]
    asks_unit: bool
    width: float
    height: float


class RestFileAsk(_Given):
    """What kind of file, its unit and upward axis; glTF has metres, Y up, and no other."""

    kind: Literal["obj", "usda", "usdc", "glb"] = "obj"
    unit: Literal["m", "dm", "cm", "mm", "in", "ft"] = "m"
    up: Literal["y", "z"] = "y"


class FittingMeshed(_Given):
    """What a garment's shape in a fitting becomes; name: of the prop or set piece."""

    seen: int
    garment: str = Field(min_length=1, max_length=80)
    becomes: Literal["prop", "set piece", "made shape"]
    name: str = Field("", max_length=80)


class Painted(_Given):
    """Part of a stroke that is being drawn: the hits since the last part; going: a name that it keeps."""

    stroke: StrokeRecord
    going: str = Field(min_length=1, max_length=80)


class Hit(BaseModel):
    """Where a ray met a garment as it was made, and the border nearest to that place."""

    place: list[float]
    triangle: int
    border: int | None
    away: float | None


class Picked(BaseModel):
    """The answer to a ray; hit is None when it met nothing."""

    hit: Hit | None


class TakeAsk(_Given):
    """A take to make of the revision in force."""

    seen: int
    name: str | None = Field(default=None, min_length=1, max_length=80)
    patience: Patience = "first-look"
    first: Frame | None = None
    last: Frame | None = None


class TakeChange(_Given):
    """Another name for a take."""

    name: str = Field(min_length=1, max_length=80)


class WearFinished(_Given):
    """The garment of a take to wear as it is; seen: the revision the caller looks at."""

    seen: int
    garment: Text


class BeginFrom(_Given):
    """Let garments start from a take's pose; seen: the revision the caller looks at."""

    seen: int


class GoOn(_Given):
    """Let a take go on, to a later last frame if given."""

    last: Frame | None = None


class TakeSummary(BaseModel):
    """A garment of a take over its delivered frames: shares of length, m2, and counts of frames with faults.

    worst_stretch: the most that 99 of 100 edges stretch in any frame; worst_edge: the most that one does, in
    which frame, nearest to what. bodies: the cast members that are counted in full, since an understudy stands
    in for them or parts are left out; body_shows: frames in which they show through, and the most cloth that
    they do so in one frame; left_out_shows: the same of the parts that are left out by choice. after_run_in:
    what was still wrong when the run-in ended, in words; empty before that.
    """

    garment: str
    frames: int
    first: int | None
    last: int | None
    worst_stretch: float | None
    worst_edge: float | None
    worst_edge_frame: int | None
    worst_edge_near: str | None
    overstretched: int
    bodies: list[str]
    body_shows: int
    body_shows_area: float | None
    left_out_shows: int
    left_out_area: float | None
    in_the_body: int
    through_itself: int
    through_another: int
    pinched: int
    median_ms: float | None
    after_run_in: list[str] = []


class Take(BaseModel):
    """A take. stale: what has changed since it was made, in words; empty when nothing has. origin: how it came
    about; mends: the take that it mends.
    """

    id: int
    shot: int
    revision: int
    name: str
    patience: str
    first_simulated: int
    first: int
    last: int
    state: Literal["waiting", "running", "finished", "stopped", "failed"]
    stopping: bool
    phase: str
    done: int
    total: int
    seconds_per_frame: float | None
    seconds_left: float | None
    fault: Fault | None
    made_at: datetime
    bytes: int
    stale: list[str]
    garments: list[TakeSummary]
    origin: Literal["simulated", "brought in", "mended"] = "simulated"
    mends: int | None = None
    version: int = Field(default=0, description="rises when frames that were there already change")


class Pace(BaseModel):
    """How long each frame of a take took, s, with so many vertices of cloth; own: whether it is of the shot."""

    own: bool
    patience: str
    seconds: float
    vertices: int


class Against(BaseModel):
    """What a take was made from that another one was not, a line each."""

    lines: list[str]


class FramePulse(BaseModel):
    """A frame's figures: the most that 99 of 100 edges and that the worst edge stretch, as shares; counts of
    crossings; the deepest snag in m; milliseconds. bodies: cast members that were counted in full; body_shows
    and left_out_shows: m2 of cloth that they, or the parts of them left out, show through, None for not at all.
    """

    frame: int
    delivered: bool
    stretch: float
    worst_edge: float
    overstretched: int
    bodies: list[str]
    body_shows: float | None
    left_out_shows: float | None
    in_the_body: int
    through_itself: int
    through_another: int
    pinched: int
    deepest: float
    milliseconds: float
    substeps: int


class TakePulse(BaseModel):
    """Per garment, its finished frames in order."""

    garments: dict[str, list[FramePulse]]


class DeliveryAsk(_Given):
    """What the next department wants. handles: extra frames before first and after last."""

    garment: Text
    format: Literal["abc", "usd", "pc2", "mdd"] = "abc"
    unit: Literal["m", "dm", "cm", "mm", "in", "ft"] = "m"
    up: Literal["y", "z"] = "y"
    frame_rate: Rate
    first: Frame
    last: Frame
    handles: int = Field(default=0, ge=0, le=200)


class Check(BaseModel):
    """One thing looked at in the written file."""

    name: str
    said: str
    good: bool
    note: bool = False


class Delivery(BaseModel):
    """A delivery with its checks; it can be downloaded when it is ready or refused."""

    id: int
    take: int
    take_name: str
    garment: str
    asked: dict[str, Any]
    state: Literal["waiting", "writing", "ready", "refused", "failed"]
    checks: list[Check]
    fault: Fault | None
    file_name: str
    bytes: int | None
    made_at: datetime


class Workroom(BaseModel):
    """The state of the house: workers alive and jobs being done, whether the desk answers, bytes."""

    version: str
    workers: int
    working: int
    desk: bool
    bytes_used: int
    bytes_free: int


class MapRole(BaseModel):
    """What a chalk map can be of; span: what 0 and 1 mean unless it says otherwise."""

    role: str
    name: str
    does: str
    span: tuple[float, float]


class Written(BaseModel):
    """A format that deliveries can have, in words."""

    format: str
    said: str


class Facts(BaseModel):
    """What the page must know of the house and does not say again: roles of maps, endings of files that can be
    brought in, as they are and as maps, and formats of deliveries.
    """

    map_roles: list[MapRole]
    brought_in: list[str]
    maps_in: list[str]
    written: list[Written]


class BookSwatch(BaseModel):
    """A swatch of the swatch book and what it is known for."""

    said: str
    fabric: FabricRecord


class BringInCache(_Given):
    """One garment's cache: files by name with their SHA-256 (one, or numbered OBJ files), and how it is read.
    starts_at: the frame of its first sample, where its format does not say it.
    """

    garment: Name
    files: dict[str, str] = Field(min_length=1, max_length=5000)
    unit: Literal["m", "dm", "cm", "mm", "in", "ft"] = "m"
    up: Literal["y", "z", "x"] = "y"
    starts_at: Frame | None = None


class BringIn(_Given):
    """A take made of caches from elsewhere, one for each garment."""

    name: Name | None = None
    caches: list[BringInCache] = Field(min_length=1, max_length=100)


class Snag(BaseModel):
    """A fault of a take: what, where, over which frames. accepted: the word with which somebody accepted it."""

    key: str
    kind: str
    garment: str
    with_what: str
    where: str
    first: int
    last: int
    worst: int
    depth: float = Field(description="m")
    area: float = Field(description="m2")
    place: list[float] = Field(description="m, at the worst frame")
    pairs: int
    strain: float
    vertices: int
    also: list[str]
    why: str
    accepted: str | None


class Proof(BaseModel):
    """What a remedy did: pairs that cross by frame before and after; faults: vertices by kind, the same."""

    frames: list[int]
    before: list[int]
    after: list[int]
    faults: dict[str, list[int]]
    furthest: float = Field(description="m")
    join: float = Field(description="m/s, by how much the sharpest change of velocity grew at the joins")
    usual: float = Field(description="m/s, what 99 % of the take's own changes stay below there")
    accepted: bool
    why: str


class Remedy(BaseModel):
    """A step of a mended take."""

    id: int
    verb: str
    said: str
    first: int | None
    last: int | None
    state: Literal["waiting", "working", "kept", "proposal", "failed"]
    is_on: bool
    share: float
    proof: Proof | None
    fault: Fault | None


class Mending(BaseModel):
    """A take on the Mend bench. state: of looking for snags; counts: frame and pairs that cross, of each."""

    take: int
    mends: int | None
    state: Literal["never", "waiting", "looking", "ready", "failed"]
    share: float
    fault: Fault | None
    snags: list[Snag]
    counts: list[list[int]]
    remedies: list[Remedy]


class RemedyAsk(_Given):
    """A remedy to do. verb "choose for me" mends one snag, "mend all" every one that is not accepted.

    snag: its key; or garment and vertices: a region that was drawn. first, last, join: the span and the frames
    over which it comes in and goes out; the snag's own if left out. The other figures are read by some verbs.
    """

    verb: Literal[
        "ease out",
        "untangle",
        "run again here",
        "roomier",
        "smooth in time",
        "smooth the cloth",
        "calm",
        "choose for me",
        "mend all",
    ]
    snag: str | None = Field(default=None, max_length=400)
    garment: Name | None = None
    vertices: list[int] | None = Field(default=None, max_length=200_000)
    first: Frame | None = None
    last: Frame | None = None
    join: int = Field(default=4, ge=0, le=48)
    wider: float = Field(default=1.0, ge=0.2, le=5)
    grip: float | None = Field(default=None, ge=0, le=0.999)
    patience: Patience | None = None
    clearance: float = Field(default=1.0, ge=0, le=10, description="factor on the colliders' clearance there")
    friction: float = Field(default=1.0, ge=0, le=10, description="factor on friction there")
    fabric: Name | None = Field(default=None, description="of the swatch book, for the garment there")
    without: list[Name] = Field(default=[], max_length=100, description="holds that are left out")
    drawn_in_mm: float = Field(default=4.0, ge=0, le=50)
    room_mm: float | None = Field(default=None, ge=0, le=50)
    strength: float = Field(default=1.0, ge=0, le=20)
    amount: float = Field(default=0.5, ge=0, le=1)


class RemedyChange(_Given):
    """Lay a remedy over its take or not; or take a proposal although it is not proven better."""

    is_on: bool | None = None
    take_it: bool = False


class AcceptSnag(_Given):
    """Accept a snag as it is, with a word why."""

    key: str = Field(max_length=400)
    word: str = Field(min_length=1, max_length=200)


class TakeBackSnag(_Given):
    """A snag that is accepted no more."""

    key: str = Field(max_length=400)
