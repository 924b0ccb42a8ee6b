"""Units at the edges. Inside, everything is SI: metres, kilograms, seconds, radians."""

from __future__ import annotations

from .errors import ShotError

METRES_PER_UNIT = {"m": 1.0, "dm": 0.1, "cm": 0.01, "mm": 0.001, "in": 0.0254, "ft": 0.3048}
UNIT_NAMES = {
    "m": "metres", "dm": "decimetres", "cm": "centimetres", "mm": "millimetres", "in": "inches", "ft": "feet",
}  # fmt: skip


def metres_per(unit: str, *, where: str = "units") -> float:
    """Length of one `unit` in metres; `ShotError` when the unit is not known."""
    try:
        return METRES_PER_UNIT[unit]
    except KeyError:
        known = ", ".join(METRES_PER_UNIT)
        raise ShotError(
            f"the length unit '{unit}' is not known", where=where, remedy=f"Use one of {known}"
        ) from None


def from_mm(value: float) -> float:
    """Millimetres to metres."""
    return value * 1e-3


def to_mm(value: float) -> float:
    """Metres to millimetres."""
    return value * 1e3
