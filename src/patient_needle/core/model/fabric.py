"""Fabrics: how a woven cloth answers a load, what a fabric is, and what varies over a garment."""

from __future__ import annotations

from dataclasses import dataclass, fields

import numpy as np

from .errors import MaterialError
from .typed import Scalars, Vectors

# Beyond the strain limit a fabric is this much stiffer than just before it.
LIMIT_STIFFENING = 30.0


@dataclass(frozen=True)
class LoadCurve:
    """Measured points of a pull: strains (0 left out) rising, and the forces per width N/m they took.

    Between the points the force is linear, beyond the last one it goes on with the last slope.
    """

    strains: tuple[float, ...]
    forces: tuple[float, ...]

    def __post_init__(self) -> None:
        strains, forces = (0.0, *self.strains), (0.0, *self.forces)
        if len(self.strains) != len(self.forces) or not self.strains:
            raise MaterialError(
                f"a load curve has {len(self.strains)} strains and {len(self.forces)} forces",
                remedy="Give one force in N/m for each strain, at least one pair",
            )
        if not (np.all(np.isfinite(strains)) and np.all(np.isfinite(forces))):
            raise MaterialError(
                "a load curve has a point that is not a finite number", remedy="Mend that point"
            )
        if min(np.diff(strains)) <= 0 or min(np.diff(forces)) <= 0:
            raise MaterialError(
                "a load curve does not rise from point to point",
                remedy="Order the points by strain and see that each takes more force than the one before",
            )


def force_table(stiffness: float, compression: float, curve: LoadCurve | None, limit: float | None) -> Vectors:
    """Rows (k, 4) of start strain, force N/m, slope N/m and energy N/m at the start.

    Row 0 holds below strain 0 (compression), row i from its start to the next. stiffness N/m counts where no
    `curve` is given; from the strain `limit` on the slope is LIMIT_STIFFENING times the one before.
    """
    strains = [0.0, *(curve.strains if curve else ())]
    forces = [0.0, *(curve.forces if curve else ())]
    slopes = [(b - a) / (t - s) for s, t, a, b in zip(strains, strains[1:], forces, forces[1:], strict=False)]
    slopes.append(slopes[-1] if slopes else stiffness)
    if limit is not None:
        index = int(np.searchsorted(strains, limit, side="right")) - 1
        reached = forces[index] + slopes[index] * (limit - strains[index])
        stiff = LIMIT_STIFFENING * slopes[index]
        strains = [*strains[: index + 1], limit]
        forces, slopes = [*forces[: index + 1], reached], [*slopes[: index + 1], stiff]
    energies = [0.0]
    for index in range(1, len(strains)):
        width = strains[index] - strains[index - 1]
        energies.append(energies[-1] + 0.5 * width * (forces[index - 1] + forces[index]))
    rows = np.column_stack([strains, forces, slopes, energies])
    return np.vstack([[0.0, 0.0, compression, 0.0], rows])


@dataclass(frozen=True)
class Fabric:
    """Properties of one fabric.

    stretch_warp, stretch_weft    N/m, force per width for a strain of 1, in tension
    compress_warp, compress_weft  N/m, the same in compression; None: as in tension
    shear                         N/m, force per width for a shear angle of 1 rad
    load_warp, load_weft, load_shear  measured force against strain (or sine of the shear angle), which then
                                  count instead of stretch_warp, stretch_weft and shear
    strain_limit                  strain beyond which warp and weft give hardly any more; None: no limit
    bend_warp, bend_weft          N m, bending rigidity per width
    memory                        N m, rigidity with which it returns to the folds it was made with
    areal_density                 kg/m2
    thickness                     m
    friction                      Coulomb coefficient, none
    stretch_damping               s, Kelvin-Voigt retardation time of stretch and shear
    bend_damping                  s, the same for bending
    air_across, air_along         none, force coefficients of air that meets it square on and along it
    """

    name: str
    stretch_warp: float = 1000.0
    stretch_weft: float = 1000.0
    shear: float = 100.0
    bend_warp: float = 1e-5
    bend_weft: float = 1e-5
    areal_density: float = 0.2
    thickness: float = 0.5e-3
    friction: float = 0.3
    stretch_damping: float = 0.0
    bend_damping: float = 0.0
    compress_warp: float | None = None
    compress_weft: float | None = None
    load_warp: LoadCurve | None = None
    load_weft: LoadCurve | None = None
    load_shear: LoadCurve | None = None
    strain_limit: float | None = None
    memory: float = 0.0
    air_across: float = 1.2
    air_along: float = 0.02

    def __post_init__(self) -> None:
        above_zero = {"stretch_warp", "stretch_weft", "shear", "areal_density", "strain_limit"}
        above_zero |= {"compress_warp", "compress_weft"}
        for item in fields(self):
            value = getattr(self, item.name)
            if item.name == "name" or value is None or isinstance(value, LoadCurve):
                continue
            if not value >= 0 or value == float("inf") or (item.name in above_zero and value == 0):
                raise MaterialError(
                    f"{item.name} is {value:g}",
                    where=f"fabric '{self.name}'",
                    remedy="Give a finite value "
                    + ("above zero" if item.name in above_zero else "of zero or more"),
                )


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
