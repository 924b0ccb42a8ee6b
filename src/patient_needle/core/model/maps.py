"""Chalk maps: a value from 0 to 1 per vertex with a role, made by steps in order: strokes, gradients, changes.

A map keeps its steps, not its values. One step can be taken back, and all can be done again on another mesh.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from .errors import ShotError
from .holds import Choice
from .typed import Scalars, Vectors

Role = Literal[
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
Mode = Literal["add", "lift", "set", "blend"]


@dataclass(frozen=True)
class MapRole:
    """span: what 0 and 1 mean unless a map says otherwise, as factors of the fabric's own value; of a hold, its
    grip. does: what a value does, in words.
    """

    role: Role
    name: str
    does: str
    span: tuple[float, float]


MAP_ROLES = (
    MapRole("hold", "Hold", "grip of what follows the body", (0.0, 1.0)),
    MapRole("bend", "Bend", "times as stiff to bend", (1.0, 30.0)),
    MapRole("stretch", "Stretch", "times as stiff to stretch", (1.0, 10.0)),
    MapRole("shear", "Shear", "times as stiff to shear", (1.0, 10.0)),
    MapRole("weight", "Weight", "times as heavy", (1.0, 4.0)),
    MapRole("memory", "Shape memory", "times as bent on its made shape", (1.0, 10.0)),
    MapRole("friction", "Friction", "times the friction", (1.0, 3.0)),
    MapRole("clearance", "Clearance", "times as far from what it lies on", (1.0, 3.0)),
    MapRole("thickness", "Thickness", "times as thick where it meets other cloth and bodies", (1.0, 3.0)),
    MapRole("damping", "Damping", "times the damping", (1.0, 5.0)),
    MapRole("spacing", "Spacing", "times the spacing, once the Wardrobe meshes by it", (1.0, 0.5)),
)
SPANS: Mapping[Role, tuple[float, float]] = {one.role: one.span for one in MAP_ROLES}


@dataclass(frozen=True, eq=False)
class Stroke:
    """A brush drawn along a path. hits (k, 7): place in m of the garment as made, unit facing, pressure from 0
    to 1; size: radius, m; strength; softness: share of the radius over which it falls off; amount: what "set"
    goes to, and "add" and "lift" change by at full strength; through: all that is within the radius, other
    layers and the inside too; mirrored: done on the other side of x = 0 as well.
    """

    hits: Vectors
    size: float
    strength: float = 1.0
    softness: float = 0.5
    mode: Mode = "add"
    amount: float = 1.0
    through: bool = False
    mirrored: bool = False


@dataclass(frozen=True)
class Fill:
    """The same everywhere."""

    amount: float


@dataclass(frozen=True)
class Along:
    """From one value to another along a drawn line, `start` and `end` (3,) m, and held beyond its ends."""

    start: tuple[float, float, float]
    end: tuple[float, float, float]
    values: tuple[float, float] = (0.0, 1.0)


@dataclass(frozen=True)
class FromChoice:
    """From one value at chosen vertices to another `reach` m from them along the cloth."""

    choice: Choice
    reach: float
    values: tuple[float, float] = (1.0, 0.0)


@dataclass(frozen=True)
class Change:
    """Of all values: inverted; scaled by `amount`; clamped to `amount` to `other`; smoothed over `amount` m."""

    how: Literal["invert", "scale", "clamp", "smooth"]
    amount: float = 1.0
    other: float = 1.0


@dataclass(frozen=True)
class With:
    """Put together with another map of the garment."""

    name: str
    how: Literal["multiply", "least", "most"]


@dataclass(frozen=True)
class Mirror:
    """The side of x = 0 that `side` names (1: x above 0) copied to the other."""

    side: Literal[-1, 1] = 1


@dataclass(frozen=True, eq=False)
class Values:
    """A value per vertex (n,), from elsewhere."""

    values: Scalars


@dataclass(frozen=True)
class FromWeights:
    """How much `joints` of a cast member carry the nearest place of it: the sum of their skin weights."""

    member: str
    joints: tuple[str, ...]


@dataclass(frozen=True)
class FromDistance:
    """From one value on the surface of a cast member, or within it, to another `reach` m off, as the garment is
    made around its rest pose.
    """

    member: str
    reach: float
    values: tuple[float, float] = (1.0, 0.0)


@dataclass(frozen=True)
class FromGarment:
    """A map of another garment at the nearest place of it, where that is within `reach` m; else as it was."""

    garment: str
    name: str
    reach: float


@dataclass(frozen=True, eq=False)
class FromPicture:
    """A grey picture (h, w) of numbers from 0 to `white`, first row on top, laid over the UVs from 0 to 1."""

    picture: NDArray[Any]
    white: float = 1.0


Own = Stroke | Fill | Along | FromChoice | Change | Mirror | Values | FromPicture
Step = Own | With | FromWeights | FromDistance | FromGarment


@dataclass(frozen=True, eq=False)
class ChalkMap:
    """A map: `span` is what its 0 and 1 mean for its role; in_use: whether the run goes by it."""

    name: str
    role: Role
    steps: tuple[Step, ...] = ()
    span: tuple[float, float] | None = None
    in_use: bool = True

    def means(self, values: Scalars) -> Scalars:
        """What values (n,) of it stand for: in even ratios between two ends above 0, else in even steps."""
        low, high = self.span or SPANS[self.role]
        if low > 0 and high > 0:
            return np.asarray(low * (high / low) ** values, np.float64)
        return np.asarray(low + (high - low) * values, np.float64)


def by_name(maps: Sequence[ChalkMap]) -> dict[str, ChalkMap]:
    """The maps by their names."""
    return {one.name: one for one in maps}


def in_use(maps: Sequence[ChalkMap]) -> dict[Role, ChalkMap]:
    """The map that a run goes by for each role; `ShotError` when there are two."""
    out: dict[Role, ChalkMap] = {}
    for one in maps:
        if one.in_use and one.role in out:
            raise ShotError(
                f"the maps '{out[one.role].name}' and '{one.name}' are both in use for {one.role}",
                remedy="Put one of them away",
            )
        if one.in_use:
            out[one.role] = one
    return out
