"""What of a garment will not fit, or not stay as it was made, and the changes that are offered for it."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from ...geometry.two_faced import sides_of
from ...model.typed import Points, Triangles
from ...model.units import from_mm, to_mm
from .girths import Narrow
from .offers import Offer

ROOM = 0.003  # m that a ring is let out beyond what it needs
REACH_MM = 150.0  # over which the cloth beside it follows; ours
LEAST_CLEARANCE = 0.0002  # m; below it contact has no room to work in
MOST_SAID = 4  # rings
THIN_SHAPE = "thinner at the start"


def narrow_said(narrow: Narrow) -> str:
    """A ring that is too narrow, in words."""
    what = "an edge of it" if narrow.is_border else "a ring of it"
    return (
        f"{what}, {to_mm(narrow.length):.0f} mm round, is {to_mm(narrow.short):.0f} mm too narrow: "
        f"{narrow.inside} inside it needs {to_mm(narrow.needed):.0f} mm, clearance and cloth included"
    )


def narrow_offers(
    narrow: Narrow, let_out: Sequence[dict[str, object]], member: str, collider: dict[str, object],
    shapes: Sequence[dict[str, object]], run_in: tuple[int, int],
) -> tuple[Offer, ...]:  # fmt: skip
    """What could be done about a narrow ring; let_out: the rings that the garment's recipe lets out already;
    collider and shapes: of the member inside it; run_in: its first frame and that of the shot.
    """
    because = narrow_said(narrow)
    by = round(to_mm(narrow.short + ROOM), 1)
    ring: dict[str, object] = {"vertices": list(narrow.vertices), "by_mm": by, "reach_mm": REACH_MM}
    out = [Offer(because, f"Let it out by {by:.0f} mm there", {"let_out": [*let_out, ring]})]
    now = collider["clearance_mm"]
    if isinstance(now, float | int):
        fits = from_mm(now) - narrow.short / (2 * np.pi)
        if fits >= LEAST_CLEARANCE:
            kept = float(np.floor(to_mm(fits) * 10) / 10)
            change: dict[str, object] = {"collider": {**collider, "clearance_mm": kept}}
            out.append(Offer(because, f"Keep {kept:g} mm of clearance from {member}", cast={member: change}))
    if all(shape["name"] != THIN_SHAPE for shape in shapes):
        depth = round(to_mm(narrow.short) / (2 * np.pi) + 0.5, 1)
        part = narrow.inside.removeprefix(f"{member}: ")
        first, shot = run_in
        shape = {
            "name": THIN_SHAPE, "drawn_in_mm": depth, "parts": [part] if part != "whole" else [],
            "amount": {"frames": [first, (first + shot) // 2], "values": [1, 0]},
        }  # fmt: skip
        out.append(
            Offer(
                because, f"Begin with {member} {depth:g} mm thinner there and let it grow",
                cast={member: {"shapes": [*shapes, shape]}},
            )
        )  # fmt: skip
    return tuple(out)


def two_faced_offers(
    points: Points, triangles: Triangles, fabrics: Sequence[dict[str, object]], fabric: str
) -> tuple[Offer, ...]:
    """What could be done about a closed thin garment, points (n, 3) m, whose folds would rest flat: its rim
    would unfold and swell it to a pillow. fabrics: the shot's, as records; fabric: the garment's.
    """
    found = sides_of(points, triangles)
    if found is None:
        return ()
    thick = round(to_mm(found.thickness), 1)
    because = (
        f"it is closed and {thick:g} mm thick, a sheet with two faces: with folds that rest flat it would swell"
    )
    name = f"{fabric}, {thick:g} mm"
    swatch = next((one for one in fabrics if one["name"] == fabric), None)
    out = [Offer(because, "Let its folds rest as made", garment={"rest_angles": "as made"})]
    if swatch is not None:
        others = [one for one in fabrics if one["name"] != name]
        out.append(
            Offer(
                because, f"Simulate one sheet, {thick:g} mm thick, in its place", {"sheet": True},
                {"fabrics": [*others, {**swatch, "name": name, "thickness_mm": thick}]}, {"fabric": name},
            )
        )  # fmt: skip
    return tuple(out)
