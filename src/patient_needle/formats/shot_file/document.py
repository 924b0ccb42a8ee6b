"""The shot file as typed records. Lengths in mm where the name says so, else metres; all else SI."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from ...core.model.errors import FileError, ShotError
from ..whole_file import read_bytes

FORMAT, VERSION = "patient-needle-shot", 1
# A name says something, and is neither a path nor what breaks a line.
NAMED = r"^[^/\\\x00-\x1f\x7f]*[^/\\\x00-\x1f\x7f.\s][^/\\\x00-\x1f\x7f]*$"
Name = Annotated[str, Field(min_length=1, max_length=80, pattern=NAMED)]


class _Record(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False)


class KeysRecord(_Record):
    """A value with keys: frames rising, one value each, smooth and monotone between."""

    frames: list[float] = Field(min_length=1)
    values: list[float] = Field(min_length=1)


class RunInRecord(_Record):
    """Frames in the rest pose, then frames into the first frame of the shot."""

    settle: int = Field(10, ge=0, le=2000)
    move: int = Field(30, ge=0, le=2000)


Keyed = float | KeysRecord


class WindRecord(_Record):
    """One wind: strength in m/s; heading in degrees, 0 blows along x and 90 along z; rise in degrees above
    level.

    turbulence is the eddies' root mean square speed along each axis as a share of the strength, eddy_m the
    length of the largest, seed which pattern.
    """

    name: Name
    strength: Keyed
    heading: Keyed = 0.0
    rise: Keyed = 0.0
    turbulence: float = Field(0.0, ge=0, le=2)
    eddy_m: float = Field(0.8, gt=0, le=100)
    seed: int = Field(0, ge=0, le=9999)


class ForcesRecord(_Record):
    """Gravity in m/s2; air_drag in kg/(m2 s), force per area and speed, small and even; air_density in kg/m3,
    of the air that presses by the square of its speed (1.2 at sea level; 0 for none); winds, which add up.
    """

    gravity: tuple[float, float, float] = (0.0, -9.81, 0.0)
    air_drag: float = Field(0.3, ge=0)
    air_density: float = Field(0.0, ge=0, le=2000)
    winds: list[WindRecord] = []


class UnderstudyRecord(_Record):
    """A lighter collider that follows the member: its mesh with fewer triangles (those of the parts in `full`
    stay and are not counted), refined until no edge is longer than `edge_mm`, or a solid fitted to each part.
    """

    shape: Literal["reduced", "refined", "box", "sphere", "capsule", "cylinder", "hull"]
    triangles: int = Field(4000, ge=50, le=1_000_000)
    full: list[str] = []
    edge_mm: float = Field(60.0, ge=1, le=10_000)


class ColliderRecord(_Record):
    """How a cast member meets cloth. leave_out names joints or groups whose faces cannot touch the garment,
    leave_out_faces single faces; understudy, what cloth meets in its place; on, 1 or 0 over frames, whether it
    meets cloth at all.
    """

    clearance_mm: Keyed = 2.0
    friction: Keyed = 0.3
    thickness_mm: Keyed = 0.0
    on: Keyed = 1.0
    leave_out: list[str] = []
    leave_out_faces: list[Annotated[int, Field(ge=0)]] = []
    understudy: UnderstudyRecord | None = None


class PlacedRecord(_Record):
    """Where a file's content is put, after its unit and axis: scale, then a turn in degrees about the upward
    axis (left is positive), then a move in m. It holds at every frame.
    """

    scale: float = Field(1.0, gt=0, le=1e6)
    turn: float = Field(0.0, ge=-360, le=360)
    move: tuple[float, float, float] = (0.0, 0.0, 0.0)


class MotionRecord(_Record):
    """The motion of another file's skeleton, taken over by joint names; animation, its first if left out."""

    file: str
    animation: str | None = None


class ShapeRecord(_Record):
    """A second shape of a member, blended in by `amount`, 0 to 1 over frames. It is exactly one of: a shape of
    the member's own file; a mesh of another file, of the same topology and unit; or the body drawn inwards by
    `drawn_in_mm`, only where the joints in `parts` lead, if any are named.
    """

    name: Name
    shape: str | None = None
    file: str | None = None
    mesh: str | None = None
    drawn_in_mm: float | None = Field(None, gt=0, le=200)
    parts: list[str] = []
    amount: Keyed = 1.0


class ParentRecord(_Record):
    """The joint of a character that carries a prop or set piece, which stands as placed at its rest pose."""

    member: str
    joint: str


class CastRecord(_Record):
    """A character, prop or set piece: one mesh of a file with the motion the file has for it, or under a cache
    of points, or under the motion of another file. starts_at: the shot's frame of its first one; timing: what a
    file of another rate keeps, its time or its frames; parent: what carries it; shapes: what it takes on;
    outwards: whether its faces are turned so that they look outwards.
    """

    name: Name
    kind: Literal["character", "prop", "set piece"]
    file: str
    unit: str = "m"
    up: Literal["y", "z"] = "y"
    mesh: str | None = None
    cache: str | None = None
    animation: str | None = None
    starts_at: int = 0
    outwards: bool = False
    placed: PlacedRecord = PlacedRecord()
    timing: Literal["real time", "frame for frame"] = "real time"
    motion: MotionRecord | None = None
    parent: ParentRecord | None = None
    shapes: list[ShapeRecord] = []
    collider: ColliderRecord | None = ColliderRecord()


class LoadCurveRecord(_Record):
    """A measured pull: strains (or sines of the shear angle) above 0, rising, and the N/m each of them took."""

    strains: list[float] = Field(min_length=1, max_length=12)
    forces: list[float] = Field(min_length=1, max_length=12)


class FabricRecord(_Record):
    """A swatch: N/m, N m, kg/m2, mm, coefficient, s. compress_* are as stretch_* if left out; a load curve
    counts instead of the stiffness of its direction; strain_limit is a strain; memory is in N m; air_across
    and air_along are force coefficients.
    """

    name: Name
    stretch_warp: float
    stretch_weft: float
    shear: float
    bend_warp: float
    bend_weft: float
    areal_density: float
    thickness_mm: float
    friction: float
    stretch_damping: float = 0.0
    bend_damping: float = 0.0
    compress_warp: float | None = None
    compress_weft: float | None = None
    load_warp: LoadCurveRecord | None = None
    load_weft: LoadCurveRecord | None = None
    load_shear: LoadCurveRecord | None = None
    strain_limit: float | None = None
    memory: float = 0.0
    air_across: float = 1.2
    air_along: float = 0.02


class FillingRecord(_Record):
    """What fills a closed garment: a pressure in Pa, or a share of its made volume that is kept with
    `stiffness` Pa.
    """

    by: Literal["pressure", "volume"]
    amount: Keyed
    stiffness: float = Field(20_000.0, gt=0)


class ChoiceRecord(_Record):
    """Which vertices: exactly one of group, border, vertices, `named`, a choice that the garment keeps, or
    whole; of it the row that many edges away, if not 0; then rings around that, fewer below 0, then `fade`
    rings more over which the grip falls to nothing. grips, one for each of `vertices`, multiply the hold's.
    """

    group: str | None = None
    border: Literal["highest", "lowest", "longest"] | None = None
    vertices: list[int] | None = None
    named: str | None = None
    row: int = Field(0, ge=0, le=1000)
    rings: int = Field(0, ge=-100, le=100)
    fade: int = Field(0, ge=0, le=100)
    grips: list[Annotated[float, Field(ge=0, le=1)]] | None = None
    whole: bool = False


class StickRecord(_Record):
    """The nearest place on a cast member when the hold begins, within a reach; slides: friction coefficient
    along the surface, as if the garment's weight pressed the hold on; left out when it does not slide.
    """

    to: str
    reach_mm: float = 20.0
    slides: float | None = Field(None, ge=0, le=10)


class StitchRecord(_Record):
    """The nearest place of a garment, of all of it or of what `choose` says, within a reach; drawn to a gap."""

    to: str
    choose: ChoiceRecord | None = None
    gap_mm: float = Field(0.0, ge=0, le=1000)
    reach_mm: float = 20.0


class CarriedRecord(_Record):
    """A cast member that carries a handle, or one part of it."""

    member: str
    part: str | None = None


class HandleRecord(_Record):
    """A transform that carries what it holds: place in m; turn in degrees about x, then y, then z; scale;
    reach_mm, over which its grip falls from its place outwards, even everywhere if left out.
    """

    place: tuple[Keyed, Keyed, Keyed] = (0.0, 0.0, 0.0)
    turn: tuple[Keyed, Keyed, Keyed] = (0.0, 0.0, 0.0)
    scale: Keyed = 1.0
    reach_mm: float | None = None
    carried_by: CarriedRecord | None = None


class TetherRecord(_Record):
    """Free within a length of the nearest place on a cast member, or of where it is at the start."""

    to: str | None = None
    length_mm: float = Field(50.0, gt=0, le=100_000)


class ElasticRecord(_Record):
    """Edges drawn to `factor` of their made length; tension, in N, is what stretches each row of them to twice
    the length that they are drawn to.
    """

    factor: Keyed = 0.8
    tension: float = Field(10.0, gt=0, le=1e6)


class HoldRecord(_Record):
    """What holds chosen vertices: exactly one of `follows` (the worn shape on a cast member, or by the
    garment's own name the motion of its own file), sticks, stitched, handle, tether or elastic. grip, 0 to 1,
    is welded at 1, and below it lets the garment sag by 10 mm times (1 - grip) / grip under its own weight; on,
    1 or 0 over frames; ease_in, frames over which it takes hold again.
    """

    name: Name
    choose: ChoiceRecord
    follows: str | None = None
    sticks: StickRecord | None = None
    stitched: StitchRecord | None = None
    handle: HandleRecord | None = None
    tether: TetherRecord | None = None
    elastic: ElasticRecord | None = None
    grip: Keyed = 1.0
    on: Keyed = 1.0
    ease_in: float = Field(6.0, ge=0, le=1000)


class KeptChoiceRecord(_Record):
    """A choice under a name of its own."""

    name: Name
    choose: ChoiceRecord


Share = Annotated[float, Field(ge=0, le=1)]
Place = tuple[float, float, float]


class StrokeRecord(_Record):
    """A brush drawn along a path over the garment as made. hits: place in m, the way the cloth faces there, and
    pressure; softness: share of the radius over which it falls off; through: other layers and the inside too;
    mirrored: on the other side of x = 0 as well.
    """

    hits: list[tuple[float, float, float, float, float, float, Share]] = Field(min_length=1, max_length=20_000)
    radius_mm: float = Field(40.0, gt=0, le=10_000)
    strength: Share = 1.0
    softness: Share = 0.5
    mode: Literal["add", "lift", "set", "blend"] = "add"
    amount: Share = 1.0
    through: bool = False
    mirrored: bool = False


class AlongRecord(_Record):
    """From one value to another along a line, held beyond its ends; places in m of the garment as made."""

    start: Place
    end: Place
    values: tuple[Share, Share] = (0.0, 1.0)


class FromChoiceRecord(_Record):
    """From one value at chosen vertices to another some way off along the cloth."""

    choose: ChoiceRecord
    reach_mm: float = Field(100.0, gt=0, le=100_000)
    values: tuple[Share, Share] = (1.0, 0.0)


class ChangeRecord(_Record):
    """Of all values: inverted, scaled by `amount`, clamped from `amount` to `other`, smoothed over `amount` mm
    of cloth.
    """

    how: Literal["invert", "scale", "clamp", "smooth"]
    amount: float = Field(1.0, ge=0, le=10_000)
    other: float = Field(1.0, ge=0, le=10_000)


class WithRecord(_Record):
    """Put together with another map of the garment."""

    map: str
    how: Literal["multiply", "least", "most"] = "multiply"


class FromWeightsRecord(_Record):
    """How much the joints carry the nearest place of a cast member."""

    member: str
    joints: list[str] = Field(min_length=1)


class FromDistanceRecord(_Record):
    """From one value on a cast member, as it stands in its rest pose, to another some way off."""

    member: str
    reach_mm: float = Field(100.0, gt=0, le=100_000)
    values: tuple[Share, Share] = (1.0, 0.0)


class FromGarmentRecord(_Record):
    """A map of another garment at its nearest place; what is further off than the reach stays as it was."""

    garment: str
    map: str
    reach_mm: float = Field(50.0, gt=0, le=100_000)


class FromFileRecord(_Record):
    """Values from a file: a grey PNG laid over the UVs, or a PLY or USD mesh of the same vertices whose values
    are called `named`, if it has several kinds.
    """

    file: str
    named: str | None = None


class StepRecord(_Record):
    """One step of a map: exactly one of stroke, fill, along, from_choice, from_weights, from_distance,
    from_garment, from_file, change, with_map, mirror (the side of x = 0 that is copied to the other, 1 or -1)
    and values (one per vertex).
    """

    stroke: StrokeRecord | None = None
    fill: Share | None = None
    along: AlongRecord | None = None
    from_choice: FromChoiceRecord | None = None
    from_weights: FromWeightsRecord | None = None
    from_distance: FromDistanceRecord | None = None
    from_garment: FromGarmentRecord | None = None
    from_file: FromFileRecord | None = None
    change: ChangeRecord | None = None
    with_map: WithRecord | None = None
    mirror: Literal[-1, 1] | None = None
    values: list[float] | None = None


class MapRecord(_Record):
    """A chalk map: a value from 0 to 1 per vertex, made by its steps in order from 0 everywhere. span: what 0
    and 1 mean, as factors of the fabric's own value, or of hold as grips; in_use: one map of each role can
    be.
    """

    name: Name
    role: Literal[
        "hold", "stretch", "shear", "bend", "weight", "memory", "friction", "clearance", "thickness", "damping"
    ]
    span: tuple[float, float] | None = None
    in_use: bool = True
    steps: list[StepRecord] = []


class FinishedRecord(_Record):
    """An earlier result, worn as it is: a cache in metres, Y up, its first frame, and which take it is of."""

    cache: str
    starts_at: int
    take: str = ""


class GarmentRecord(_Record):
    """A garment: one mesh of a file, fabric, warp direction where the UVs are no pattern, choices of its
    vertices kept by name, maps, holds; calm, how much secondary motion is taken out; shelter, how much of the
    wind its back side is spared; what fills it; finished, when it is not to be simulated again; starts_at:
    the shot's frame of the first one of its own file, for a hold that follows that.
    """

    name: Name
    file: str
    unit: str = "m"
    up: Literal["y", "z"] = "y"
    mesh: str | None = None
    placed: PlacedRecord = PlacedRecord()
    fabric: str
    warp: tuple[float, float, float] = (0.0, 1.0, 0.0)
    rest_angles: Literal["flat", "as made"] = "flat"
    calm: float = Field(0.0, ge=0, le=1)
    shelter: float = Field(0.0, ge=0, le=1)
    filling: FillingRecord | None = None
    finished: FinishedRecord | None = None
    starts_at: int = 0
    choices: list[KeptChoiceRecord] = []
    maps: list[MapRecord] = []
    holds: list[HoldRecord] = []


class ShotFile(_Record):
    """Version 1 of the shot file. time_stretch: seconds that pass for the cloth in one second of the shot;
    least_substeps: substeps per frame that are taken at least. garments stand in dressing order, innermost
    first; together: simulated as one outfit, or each as if the others that are not finished were not there.
    """

    format: Literal["patient-needle-shot"]
    version: Literal[1]
    name: Name
    frame_rate: float = Field(24.0, gt=0, le=1000)
    frames: tuple[int, int]
    run_in: RunInRecord = RunInRecord()
    patience: Literal["first-look", "working", "final"] = "first-look"
    forces: ForcesRecord = ForcesRecord()
    time_stretch: Keyed = 1.0
    least_substeps: Keyed = 1.0
    together: bool = True
    cast: list[CastRecord] = []
    fabrics: list[FabricRecord]
    garments: list[GarmentRecord]


def read_shot_file(path: Path) -> ShotFile:
    """The shot file at `path`; one `FileError` or `ShotError` that names the first thing wrong."""
    try:
        data: Any = json.loads(read_bytes(path))
    except ValueError as error:
        raise FileError(
            f"this is not JSON ({error})", where=str(path), remedy="Mend that line or export the shot again"
        ) from None
    return parse_shot(data, str(path))


def parse_shot(data: Any, where: str) -> ShotFile:
    """A shot from its JSON value; an error names `where` and the first thing that is wrong."""
    if not isinstance(data, dict) or data.get("format") != FORMAT:
        raise FileError(
            "this is not a shot file",
            where=where,
            remedy=f'A shot file is a JSON object with "format": "{FORMAT}"',
        )
    if data.get("version") != VERSION:
        raise ShotError(
            f"version {data.get('version')!r} of the shot file is not known",
            where=where,
            remedy=f"This program reads version {VERSION}",
        )
    try:
        shot = ShotFile.model_validate(data)
    except ValidationError as error:
        raise _explained(where, error) from None
    _check_names(where, shot)
    return shot


def _explained(where: str, error: ValidationError) -> ShotError:
    first = error.errors()[0]
    place = ".".join(str(part) for part in first["loc"])
    if first["type"] == "extra_forbidden":
        return ShotError(
            f"'{place}' is not a known key", where=where, remedy="Remove it or correct its spelling"
        )
    if first["type"] == "missing":
        return ShotError(f"'{place}' is missing", where=where, remedy="Add it")
    given = shortened(repr(first["input"]), 80)
    if first["type"] == "string_pattern_mismatch" and first["ctx"]["pattern"] == NAMED:
        return ShotError(
            f"'{place}' cannot be {given}", where=where,
            remedy="A name needs a letter or a figure, and has no slash and no control character",
        )  # fmt: skip
    return ShotError(
        f"'{place}' cannot be {given} ({first['msg']})",
        where=where,
        remedy="See docs/shot-file.md for what it may be",
    )


def shortened(text: str, most: int) -> str:
    """The text, or as much of it as is wanted in a sentence."""
    return text if len(text) <= most else f"{text[:most]}..."


def _check_names(where: str, shot: ShotFile) -> None:
    for what, names in (
        ("cast members", [c.name for c in shot.cast]),
        ("fabrics", [f.name for f in shot.fabrics]),
        ("garments", [g.name for g in shot.garments]),
        *((f"choices of '{g.name}'", [one.name for one in g.choices]) for g in shot.garments),
        *((f"holds of '{g.name}'", [hold.name for hold in g.holds]) for g in shot.garments),
    ):
        double = next((n for n in names if names.count(n) > 1), None)
        if double is not None:
            raise ShotError(f"two {what} are called '{double}'", where=where, remedy="Rename one of them")


def shot_file_schema() -> dict[str, Any]:
    """The JSON Schema of version 1."""
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Patient Needle shot file, version 1",
        **ShotFile.model_json_schema(),
    }
