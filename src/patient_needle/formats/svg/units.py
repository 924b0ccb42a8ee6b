"""How long one unit of a drawing is. Source: W3C, Scalable Vector Graphics (SVG) 2, 2018, chapters 8 and 9."""

from __future__ import annotations

import math
import re
from collections.abc import Mapping

from ...core.model.errors import FileError

MM = {
    "mm": 1.0,
    "cm": 10.0,
    "q": 0.25,
    "in": 25.4,
    "pt": 25.4 / 72,
    "pc": 25.4 / 6,
}  # W3C, CSS Values and Units Module Level 3, 2019
PIXEL = 25.4 / 96  # mm of a user unit in a drawing that has no viewBox (the same)
ASKED = {**{unit: MM[unit] for unit in ("mm", "cm", "in", "pt")}, "px": PIXEL}
UNEVEN = 1e-3  # share by which a drawing may be scaled unevenly by rounding
_LENGTH = re.compile(r"^\s*([+]?(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?)\s*([a-zA-Z]*)\s*$")


def mm_per_unit(root: Mapping[str, str], where: str) -> float | None:
    """Mm of one user unit of a drawing whose root element has these attributes; None where it does not say.

    It says so with a width and height in an absolute unit. Pixels are a screen's, and per cent are of a
    page that is not there. `FileError` for a drawing that is scaled unevenly, or a size that is none.
    """
    width, height = (_length(root.get(name, "")) for name in ("width", "height"))
    if width is None and height is None:
        return None
    box = root.get("viewBox")
    if box is None:
        return PIXEL
    sides = box.replace(",", " ").split()
    try:
        across, up = (float(side) for side in sides[2:])
    except ValueError:
        across = up = math.nan
    if len(sides) != 4 or not (0 < across < math.inf and 0 < up < math.inf):
        raise FileError(f"its viewBox '{box[:60]}' is no box", where=where, remedy="Export the drawing again")
    scales = [size / side for size, side in ((width, across), (height, up)) if size is not None]
    if max(scales) > min(scales) * (1 + UNEVEN):
        raise FileError(
            "the drawing is scaled differently across and up, so its lengths are not true", where=where,
            remedy="Give it a width and height in the proportion of its viewBox",
        )  # fmt: skip
    return min(scales)


def _length(said: str) -> float | None:
    """Mm of a width or height; None without an absolute unit."""
    found = _LENGTH.match(said)
    if found is None or found[2].lower() not in MM:
        return None
    value = float(found[1]) * MM[found[2].lower()]
    return value if 0 < value < math.inf else None
