"""Winds, and how tightly a closed garment is filled: what blows on and in cloth, over frames."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

from .curve import Curve
from .errors import ShotError


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
