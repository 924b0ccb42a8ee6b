"""What acts on a cloth from outside, apart from contact and holds."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from ..model.typed import Vectors


@dataclass(frozen=True, eq=False)
class Forces:
    """gravity      (3,) m/s2
    air_drag     kg/(m2 s), force per area and speed that air takes from any motion against it
    air_density  kg/m3, of the air that presses by the square of its speed
    shelter      0 to 1, how much of the wind the garment's back side is spared
    calm         0 to 1, how much secondary motion is taken out
    """

    gravity: Vectors = field(default_factory=lambda: np.array([0.0, -9.81, 0.0]))
    air_drag: float = 0.0
    air_density: float = 0.0
    shelter: float = 0.0
    calm: float = 0.0


@dataclass(frozen=True)
class Inflation:
    """What fills a closed cloth in one substep, as `model.wind.Filling` says: amount in Pa or as a share."""

    by_volume: bool
    amount: float
    stiffness: float
