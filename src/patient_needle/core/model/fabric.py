"""A swatch: the measured properties of a fabric, in SI."""

from __future__ import annotations

from dataclasses import dataclass, fields

from .errors import MaterialError
from .load_curve import LoadCurve


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
