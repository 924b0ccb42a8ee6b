"""What holds cloth, as a shot says it: which vertices, how, how firmly, from when to when."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

import numpy as np

from .curve import Curve
from .typed import Scalars

WELD = 0.9999  # from this grip on a place is simply taken: 1 um under the garment's weight
GRAVITY = 9.81  # m/s2; grips are meant for the weight on Earth, whatever a shot's gravity
SAG = 0.01  # m by which a garment sags under its own weight at a grip of one half


@dataclass(frozen=True)
class Choice:
    """Which vertices of a garment: all, a face group or a named row, a border loop, or a list; of it only the
    row that is `row` edges away, if that is not 0; then `rings` more around them, or fewer below 0, and `fade`
    more still over which the grip falls to nothing; grips: one per listed vertex, all 1 when empty.
    """

    group: str | None = None
    border: Literal["highest", "lowest", "longest"] | None = None
    vertices: tuple[int, ...] = ()
    row: int = 0
    rings: int = 0
    fade: int = 0
    grips: tuple[float, ...] = ()
    whole: bool = False


@dataclass(frozen=True)
class Follow:
    """The worn shape: the nearest surface of a cast member, as the garment lies on it in the rest pose; None
    for the motion that the garment's own file has.
    """

    member: str | None


@dataclass(frozen=True)
class Stick:
    """The nearest place on a cast member when the hold begins, no further than `reach` m, at the distance it
    has then; slides: friction coefficient along the surface, as if the garment's own weight pressed the hold
    on, None when it does not slide at all.
    """

    member: str
    reach: float
    slides: float | None = None


@dataclass(frozen=True)
class Stitch:
    """The nearest place of a garment, or of some of its vertices (`to`), within `reach` m; drawn to `gap` m."""

    garment: str
    to: Choice | None
    gap: float
    reach: float


@dataclass(frozen=True, eq=False)
class Handle:
    """A transform that carries the vertices it holds when it begins: place in m, turn in degrees about x, then
    y, then z, scale, all over frames. Its grip falls from 1 at its place to 0 at `reach` m from it, and is 1
    everywhere when None. It is carried itself by a member, or by one part of it, when one is named.
    """

    place: tuple[Curve, Curve, Curve]
    turn: tuple[Curve, Curve, Curve]
    scale: Curve
    reach: float | None
    member: str | None = None
    part: str | None = None


@dataclass(frozen=True)
class Tether:
    """Free within `length` m of its anchor: of where it lies nearest on a member in the rest pose, or of where
    it is when the run begins.
    """

    member: str | None
    length: float


@dataclass(frozen=True, eq=False)
class Elastic:
    """Edges between the vertices drawn to `factor` of their made length, with `tension` N where they are at
    their full length.
    """

    factor: Curve
    tension: float


How = Follow | Stick | Stitch | Handle | Tether | Elastic


@dataclass(frozen=True, eq=False)
class Hold:
    """One hold of a garment. grip 0 to 1 over frames: see `firmness`; on: where it is 0.5 or more it holds,
    None for always; ease_in: frames over which it takes hold again.
    """

    name: str
    choice: Choice
    how: How
    grip: Curve = field(default_factory=lambda: Curve.constant(1.0))
    on: Curve | None = None
    ease_in: float = 6.0


def firmness(grip: Scalars, weight: float) -> Scalars:
    """Stiffness in N/m of a whole hold of `grip` below 1 on a garment of `weight` N.

    It sags by SAG (1 - grip) / grip under the garment's weight, the same for every garment and spacing: 90 mm
    at 0.1, 10 mm at 0.5, 0.1 mm at 0.99.
    """
    return weight / SAG * grip / (1.0 - grip)


def damping_time(grip: Scalars) -> Scalars:
    """Seconds of its stiffness with which a hold damps: those that let the whole garment come to its place
    without swinging past it, 2 sqrt(m / k).
    """
    return 2.0 * np.sqrt(SAG * (1.0 - grip) / grip / GRAVITY)
