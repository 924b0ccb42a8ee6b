"""Whether the points of a cache belong to their mesh: unit, axis, mirror, order."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from ...geometry.closed import volume
from ...geometry.placing import TO_Y_UP
from ...model.typed import Points, Triangles
from ...model.units import METRES_PER_UNIT, UNIT_NAMES
from .offers import COMMONEST, Offer

SAME = (0.8, 1.25)  # ratio of edge lengths within which the unit is right
CLOSE = 0.1  # share by which another unit must come near
TILTED = (65.0, 115.0)  # degrees between the mesh's upward axis and the cache's for one to lie on its side
UPRIGHT = 40.0  # degrees
MIRROR = np.diag([-1.0, 1.0, 1.0])
SPREAD = 3.0  # ratio of edge lengths, ninth to first tenth, beyond which points are in another order; ours


def judge_cache(
    rest: Points, triangles: Triangles, frames: Sequence[Points], unit: str, up: str, *, mirrored: bool = False
) -> tuple[tuple[Offer, ...], tuple[str, ...]]:
    """What looks wrong about points over time, and notes that no offer mends.

    rest (n, 3) and some frames, each (n, 3), are in m, Y up, as they are read now; unit, up and mirrored are
    those of the cache.

    The unit comes from the ratio of edge lengths, which no pose changes; a mirror turns the sign of the
    volume. The axis comes from the turn that best fits the mesh to each frame (S. Umeyama,
    Least-squares estimation of transformation parameters between two point patterns, 1991).
    """
    edges = np.concatenate([triangles[:, [0, 1]], triangles[:, [1, 2]], triangles[:, [2, 0]]])
    ratios = _lengths(frames[0], edges) / np.maximum(_lengths(rest, edges), 1e-12)
    ratio = float(np.median(ratios))
    low, high = np.quantile(ratios, [0.1, 0.9])
    if not np.isfinite(ratio) or ratio <= 0 or high > SPREAD * max(low, 1e-12):
        return (), (
            "the points of its cache do not have the shape of its mesh: they are probably in another order, or "
            "of another figure",
        )
    because, does = [], []
    change: dict[str, object] = {"unit": unit, "up": up, "mirrored": mirrored}
    if not SAME[0] <= ratio <= SAME[1]:
        wanted = _unit_for(ratio, unit)
        if wanted is None:
            return (), (f"its cache makes it {ratio:.3g} times as large as its mesh, which no unit explains",)
        size = "large" if ratio > 1 else "small"
        times = ratio if ratio > 1 else 1 / ratio
        because.append(f"its cache makes it {times:.3g} times as {size} as its mesh")
        does.append(f"in {UNIT_NAMES[wanted]}")
        change["unit"] = wanted
    mirror = _is_mirrored(rest, frames[0], triangles)
    if mirror:
        because.append("its cache exchanges left and right")
        does.append(f"{'not ' if mirrored else ''}mirrored")
        change["mirrored"] = not mirrored
    side = MIRROR if mirror else np.eye(3)
    turns = [_turn(rest, frame @ side) for frame in frames]
    now = (MIRROR if mirrored else np.eye(3)) @ TO_Y_UP[up]  # from the file to how it is read
    then = MIRROR if mirrored != mirror else np.eye(3)
    other = _other_up({axis: then @ TO_Y_UP[axis] @ now.T @ side for axis in "yzx"}, turns, up)
    if other is not None:
        because.append("it lies on its side in its cache")
        does.append(f"with {other.upper()} up")
        change["up"] = other
    if not because:
        return (), ()
    said = f"Read the cache {' and '.join(does)}"
    return (Offer(" and ".join(because), said, {"cache_as": change}),), ()


def _lengths(points: Points, edges: NDArray[np.int32]) -> NDArray[np.float64]:
    return np.asarray(np.linalg.norm(points[edges[:, 0]] - points[edges[:, 1]], axis=1))


def _unit_for(ratio: float, unit: str) -> str | None:
    """The unit in which points are as large as their mesh, that are `ratio` times as large in this one."""
    wanted = METRES_PER_UNIT[unit] / ratio
    off = {other: abs(METRES_PER_UNIT[other] / wanted - 1) for other in COMMONEST if other != unit}
    best = min(off, key=lambda other: off[other])
    return best if off[best] <= CLOSE else None


def _is_mirrored(rest: Points, points: Points, triangles: Triangles) -> bool:
    """Whether points enclose a volume of the other sign than the mesh they should be."""
    before, after = (volume(np.ascontiguousarray(one), triangles) for one in (rest, points))
    return before * after < 0


def _turn(rest: Points, points: Points) -> NDArray[np.float64]:
    """The turn (3, 3) that best fits the mesh to points."""
    before, after = rest - rest.mean(axis=0), points - points.mean(axis=0)
    u, _, vt = np.linalg.svd(before.T @ after)
    sign = float(np.sign(np.linalg.det(vt.T @ u.T)))
    return np.asarray(vt.T @ np.diag([1.0, 1.0, sign]) @ u.T)


def _other_up(
    ways: dict[str, NDArray[np.float64]], turns: Sequence[NDArray[np.float64]], up: str
) -> str | None:
    """The axis that is up in the cache, when every turn lays the figure down and that axis stands it up.

    ways: for each axis, what reading it with that one up does to what is there, (3, 3).
    """

    def tilts(axis: str) -> list[float]:
        return [float(np.degrees(np.arccos(np.clip((ways[axis] @ turn)[1, 1], -1, 1)))) for turn in turns]

    if not all(TILTED[0] <= tilt <= TILTED[1] for tilt in tilts(up)):
        return None
    return next((axis for axis in ways if axis != up and max(tilts(axis)) < UPRIGHT), None)
