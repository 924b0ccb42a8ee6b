"""What varies over a garment: one factor per vertex on each property of its fabric."""

from __future__ import annotations

from dataclasses import dataclass, fields

import numpy as np

from .errors import MaterialError
from .typed import Scalars


@dataclass(frozen=True, eq=False)
class Multipliers:
    """Each None (1 everywhere) or (n,) finite and not negative; density must be above zero.

    stretch     stiffness in tension, compression and shear
    shear       stiffness in shear, on top of `stretch`
    bend        bending rigidity
    memory      rigidity of shape memory
    density     areal density
    damping     damping of stretch and bending
    friction    Coulomb coefficient
    clearance   distance kept from colliders, beyond half of each thickness
    thickness   thickness
    air         force of the air
    calm        how much it is calmed
    """

    stretch: Scalars | None = None
    shear: Scalars | None = None
    bend: Scalars | None = None
    memory: Scalars | None = None
    density: Scalars | None = None
    damping: Scalars | None = None
    friction: Scalars | None = None
    clearance: Scalars | None = None
    thickness: Scalars | None = None
    air: Scalars | None = None
    calm: Scalars | None = None

    def of(self, name: str, count: int) -> Scalars:
        """The factors (n,) called `name` for a garment of `count` vertices."""
        values = getattr(self, name)
        return np.ones(count) if values is None else np.asarray(values, float)

    def check(self, count: int) -> None:
        """`MaterialError` names the first factor that is not one usable number per vertex."""
        for item in fields(self):
            values = getattr(self, item.name)
            if values is None:
                continue
            if np.shape(values) != (count,):
                raise MaterialError(
                    f"the map of {item.name} has {np.size(values)} values, the garment {count} vertices",
                    remedy="Give one value per vertex",
                )
            bad = ~(np.isfinite(values) & (np.asarray(values) >= 0))
            if item.name == "density":
                bad |= np.asarray(values) == 0
            if bad.any():
                vertex = int(np.argmax(bad))
                raise MaterialError(
                    f"the map of {item.name} is {values[vertex]:g}",
                    where=f"vertex {vertex}",
                    remedy="Give a finite value "
                    + ("above zero" if item.name == "density" else "of zero or more"),
                )
