"""Winds, and how tightly a closed garment is filled: what blows on and in cloth, over frames."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

from .curve import Curve
from .errors import ShotError
from .fabric import Fabric
from .garment import FREE, Prescription, Source
from .holds import Hold
from .maps import ChalkMap
from .mesh import Mesh, TriangleMap
from .motion import Motion
from .tolerances import FIRST_LOOK, Patience
from .typed import Flags, Indices, Points, Vectors


@dataclass(frozen=True, eq=False)
class Wind:
    """One wind.

    strength    m/s over frames
    heading     degrees over frames, where it blows to: 0 along x, 90 along z, as seen from above
    rise        degrees over frames above (below, if negative) the level
    turbulence  root mean square of the eddies' speed along each axis, as a share of the strength
    eddy        m, length of the largest eddies
    seed        which of the endless patterns of eddies
    """

    name: str
    strength: Curve
    heading: Curve = field(default_factory=lambda: Curve.constant(0.0))
    rise: Curve = field(default_factory=lambda: Curve.constant(0.0))
    turbulence: float = 0.0
    eddy: float = 0.8
    seed: int = 0

    def __post_init__(self) -> None:
        where = f"wind '{self.name}'"
        if self.strength.values.min() < 0:
            raise ShotError("its strength is below zero", where=where, remedy="Turn its heading instead")
        if not self.turbulence >= 0:
            raise ShotError("its turbulence is below zero", where=where, remedy="Give a share of 0 or more")
        if not self.eddy > 0:
            raise ShotError("its eddies have no length", where=where, remedy="Give them a length in metres")


@dataclass(frozen=True, eq=False)
class Filling:
    """What fills a closed garment.

    by 'pressure': amount is Pa over frames, inside above outside. by 'volume': amount is the share of the made
    volume it is to have, and stiffness the Pa it takes to be off by that whole volume.
    """

    by: Literal["pressure", "volume"]
    amount: Curve
    stiffness: float = 20_000.0


@dataclass(frozen=True)
class RunIn:
    """Frames before the shot: `settle` frames in the rest pose, then `move` frames into the first frame."""

    settle: int = 10
    move: int = 30

    @property
    def length(self) -> int:
        """Frames that are simulated but not delivered."""
        return self.settle + self.move


@dataclass(frozen=True, eq=False)
class ColliderSettings:
    """Over frames: clearance in m, friction coefficient, thickness in m; on: where it is 0.5 or more the member
    meets cloth, None for always.
    """

    clearance: Curve
    friction: Curve = field(default_factory=lambda: Curve.constant(0.3))
    thickness: Curve = field(default_factory=lambda: Curve.constant(0.0))
    on: Curve | None = None


@dataclass(frozen=True, eq=False)
class CastMember:
    """A character, prop or set piece.

    part (m,) int32 per triangle; rank (p,), the part with the higher rank yields first where two close on
    cloth; chosen (m,) bool, triangles that collide; collider None when it does not collide; stands_in_for: the
    member that it is the understudy of.
    """

    name: str
    kind: Literal["character", "prop", "set piece"]
    mesh: Mesh
    cut: TriangleMap
    motion: Motion
    part: Indices
    part_names: tuple[str, ...]
    rank: Indices
    chosen: Flags
    collider: ColliderSettings | None
    stands_in_for: str | None = None


@dataclass(frozen=True, eq=False)
class Patch:
    """A face group of a garment that is of another fabric than the rest."""

    group: str
    fabric: Fabric


@dataclass(frozen=True, eq=False)
class Garment:
    """A garment to simulate. source: what it is made from; maps: what varies over it; calm and shelter, 0 to 1,
    and filling as the solver's forces explain them; prescription: where it is told to be, as an earlier take
    has it; motion: that of its own file, if a hold follows it; begins (n, 3) m: where it starts, None for as
    made; patches: parts of it that are of other fabrics.
    """

    name: str
    source: Source
    fabric: Fabric
    holds: tuple[Hold, ...]
    rest_angles: Literal["flat", "as made"] = "flat"
    maps: tuple[ChalkMap, ...] = ()
    calm: float = 0.0
    shelter: float = 0.0
    filling: Filling | None = None
    prescription: Prescription = FREE
    motion: Motion | None = None
    begins: Points | None = None
    patches: tuple[Patch, ...] = ()

    @property
    def is_finished(self) -> bool:
        """Whether nothing of it is left to simulate."""
        return self.prescription.is_all

    @property
    def mesh(self) -> Mesh:
        """The surface to draw on and to hand off."""
        return self.source.surface


@dataclass(frozen=True, eq=False)
class PlannedRun:
    """Garments in one run, innermost first; reported: those whose frames this run gives."""

    garments: tuple[Garment, ...]
    reported: tuple[Garment, ...]

    @property
    def lead(self) -> str:
        """The garment the run's state is kept with."""
        return self.reported[0].name


@dataclass(frozen=True, eq=False)
class ShotPlan:
    """Everything that determines a simulation.

    frames: first and last delivered, both in; gravity (3,) m/s2; air_drag kg/(m2 s); air_density kg/m3;
    time_stretch: seconds that pass for the cloth in one second of the shot, over frames; least_substeps:
    substeps per frame that are taken at least, over frames; garments in dressing order, innermost first;
    together: whether they are simulated as one outfit, or each as if those not finished were not there.
    """

    name: str
    frame_rate: float
    frames: tuple[int, int]
    run_in: RunIn
    cast: tuple[CastMember, ...]
    garments: tuple[Garment, ...]
    gravity: Vectors
    air_drag: float
    air_density: float = 0.0
    winds: tuple[Wind, ...] = ()
    time_stretch: Curve = field(default_factory=lambda: Curve.constant(1.0))
    least_substeps: Curve = field(default_factory=lambda: Curve.constant(1.0))
    patience: Patience = FIRST_LOOK
    together: bool = True
    up: int = 1

    @property
    def first_simulated(self) -> int:
        """First frame of the run-in."""
        return self.frames[0] - self.run_in.length

    @property
    def runs(self) -> tuple[PlannedRun, ...]:
        """The runs of the shot: garments that are simulated together. Finished ones are in each run; the first
        reports them.
        """
        if self.together:
            return (PlannedRun(self.garments, self.garments),)
        runs: list[PlannedRun] = []
        for garment in self.garments:
            if not garment.is_finished:
                worn = tuple(one for one in self.garments if one.is_finished or one is garment)
                runs.append(PlannedRun(worn, (garment,) if runs else worn))
        return tuple(runs)

    def member(self, name: str) -> CastMember:
        """The cast member called `name`; `KeyError` when there is none."""
        return next(m for m in self.cast if m.name == name)
