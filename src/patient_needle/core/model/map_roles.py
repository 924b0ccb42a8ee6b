"""What a chalk map can be of, in words, and what its 0 and 1 mean: for the engine and for the page alike."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

Role = Literal[
    "hold", "stretch", "shear", "bend", "weight", "memory", "friction", "clearance", "thickness", "damping"
]


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
)
