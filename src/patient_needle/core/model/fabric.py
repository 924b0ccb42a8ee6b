"""A swatch: the measured properties of a fabric, in SI."""

from __future__ import annotations

from dataclasses import dataclass, fields

from .errors import MaterialError


@dataclass(frozen=True)
class Fabric:
    """Properties of one fabric.

    stretch_warp, stretch_weft  N/m, force per width for a strain of 1
    shear                       N/m, force per width for a shear angle of 1 rad
    bend_warp, bend_weft        N m, bending rigidity per width
    areal_density               kg/m2
    thickness                   m
    friction                    Coulomb coefficient, none
    stretch_damping             s, Kelvin-Voigt retardation time of stretch and shear
    bend_damping                s, the same for bending
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

    def __post_init__(self) -> None:
        above_zero = {"stretch_warp", "stretch_weft", "shear", "areal_density"}
        for item in fields(self):
            if item.name == "name":
                continue
            value = getattr(self, item.name)
            if not value >= 0 or value == float("inf") or (item.name in above_zero and value == 0):
                raise MaterialError(
                    f"{item.name} is {value:g}",
                    where=f"fabric '{self.name}'",
                    remedy="Give a finite value "
                    + ("above zero" if item.name in above_zero else "of zero or more"),
                )
