"""Whether the points of a cache belong to their mesh: unit, axis, mirror, order."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from ...geometry.placing import TO_Y_UP
from ...model.typed import Points, Triangles
from ...model.units import METRES_PER_UNIT, UNIT_NAMES
from .offers import COMMONEST, Offer

SAME = (0.8, 1.25)  # ratio of edge lengths within which the unit is right
CLOSE = 0.1  # share by which another unit must come near
TILTED = (65.0, 115.0)  # degrees between the mesh's upward axis and the cache's for one to lie on its side
UPRIGHT = 40.0  # degrees
MIRRORED = 0.5  # of the residual of a turn that a mirror must leave at most
SPREAD = 3.0  # ratio of edge lengths, ninth to first tenth, beyond which points are in another order; ours


def judge_cache(
    rest: Points, triangles: Triangles, frames: Sequence[Points], unit: str, up: str, *, mirrored: bool = False
) -> tuple[tuple[Offer, ...], tuple[str, ...]]:
    """What looks wrong about points over time, and notes that no offer mends.

    rest (n, 3) and some frames, each (n, 3), are in m, Y up, as they are read now; unit, up and mirrored are
    those of the cache.

    The unit comes from the ratio of edge lengths, which no pose changes. Axis and mirror come from the turn
    that best fits the mesh to each frame (S. Umeyama,
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
    turn, mirror = _fits(rest, frames[0] / ratio)
    if mirror:
        because.append("its cache exchanges left and right")
        does.append(f"{'not ' if mirrored else ''}mirrored")
        change["mirrored"] = not mirrored
    turns = [turn] if mirror else [_fits(rest, frame / ratio)[0] for frame in frames]
    other = _other_up(turns, up)
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


def _fits(rest: Points, points: Points) -> tuple[NDArray[np.float64], bool]:
    """The turn (3, 3) that fits the mesh to points of the same size, and whether a mirror fits far better."""
    before, after = rest - rest.mean(axis=0), points - points.mean(axis=0)
    u, size, vt = np.linalg.svd(before.T @ after)
    sign = float(np.sign(np.linalg.det(vt.T @ u.T)))
    turn = vt.T @ np.diag([1.0, 1.0, sign]) @ u.T
    whole = float((before**2).sum() + (after**2).sum())
    with_turn = whole - 2 * float(size[0] + size[1] + sign * size[2])
    with_mirror = whole - 2 * float(size[0] + size[1] - sign * size[2])
    return turn, with_mirror < MIRRORED * with_turn


def _other_up(turns: Sequence[NDArray[np.float64]], up: str) -> str | None:
    """The axis that is up in the cache, when every turn lays the figure down and that axis stands it up."""

    def tilts(other: str) -> list[float]:
        again = TO_Y_UP[other] @ TO_Y_UP[up].T
        return [float(np.degrees(np.arccos(np.clip((again @ turn)[1, 1], -1, 1)))) for turn in turns]

    if not all(TILTED[0] <= tilt <= TILTED[1] for tilt in tilts(up)):
        return None
    return next((other for other in "yzx" if other != up and max(tilts(other)) < UPRIGHT), None)
