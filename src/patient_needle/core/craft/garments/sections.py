"""What a level plane cuts of a standing figure: its girths, and how far it reaches in every direction."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.spatial import ConvexHull, QhullError

from ...geometry.level_lines import LevelLine, level_line
from ...model.errors import ShotError
from ...model.typed import Points, Scalars, Triangles, Vectors

DIRECTIONS = 360
STEP = 0.010  # m between the levels
FURTHEST = 20.0  # m between the highest and the lowest
TURN = np.arange(DIRECTIONS) * 2 * np.pi / DIRECTIONS
WAYS = np.stack([np.sin(TURN), np.cos(TURN)], axis=1)


@dataclass(frozen=True, eq=False)
class Sections:
    """Level sections of a trunk and what hangs from it, from the highest down; arms beside it do not count.

    heights  (k,) m, falling evenly
    reach    (k, DIRECTIONS) m, from `middle` to the tangent square to each direction; the first points along z,
             the next turn towards x
    middle   (2,) m, x and z of the axis that they are measured round; foot: m, what heights are told from
    """

    heights: Scalars
    reach: Vectors
    middle: Vectors
    foot: float = 0.0

    def girths(self) -> Scalars:
        """(k,) m, the length of a string drawn tight around each."""
        return girth_of(self.reach)

    def at(self, height: float) -> Scalars:
        """Reach (DIRECTIONS,) at a height, between the nearest two levels."""
        at = np.clip((self.heights[0] - height) / STEP, 0.0, len(self.heights) - 1.0)
        low = min(int(at), len(self.heights) - 2) if len(self.heights) > 1 else 0
        share = at - low
        after = self.reach[min(low + 1, len(self.heights) - 1)]
        return np.asarray((1 - share) * self.reach[low] + share * after)


def girth_of(reach: Vectors) -> Scalars:
    """Perimeters (k,) of convex outlines by their reach (k, DIRECTIONS): the mean reach times 2 pi (A. Cauchy,
    1841).
    """
    return np.asarray(2 * np.pi * reach.mean(axis=-1))


def sections_of(
    points: Points, triangles: Triangles, axis: Vectors, top: float, bottom: float, foot: float = 0.0
) -> Sections:
    """Level sections of a figure, points (n, 3) m, round an upright axis at x and z (2,) m, from one height
    down to another. Where nothing of it is cut a level is as the one above.

    `ShotError` when the highest level cuts nothing that the axis runs through.
    """
    if top - bottom > FURTHEST:
        raise ShotError(
            f"it hangs over {top - bottom:.0f} m, more than {FURTHEST:g} m",
            remedy="Put the figure's size right, or lift the hem",
        )
    heights = np.arange(top, min(top, bottom) - 0.5 * STEP, -STEP)
    reach = np.zeros((len(heights), DIRECTIONS))
    hull = np.zeros((0, 2))
    for k, height in enumerate(heights):
        line = level_line(triangles, points[:, 1] - height)
        found = _belonging(line, points, axis, hull)
        if found is None and k == 0:
            raise ShotError(
                f"the figure has no girth at a height of {(height - foot) * 1e3:.0f} mm",
                remedy="Set the waist where a level plane cuts its trunk",
            )
        if found is not None:
            hull = found
        reach[k] = ((hull - axis) @ WAYS.T).max(axis=0)
    return Sections(heights, reach, np.asarray(axis, float), foot)


def trunk_at(points: Points, triangles: Triangles, height: float) -> Vectors:
    """The middle, x and z (2,) m, of the largest part that a level plane cuts of a figure; of all its points
    where the plane cuts nothing.
    """
    line = level_line(triangles, points[:, 1] - height)
    flat = line.of(points)[:, [0, 2]]
    parts = [flat[line.part == one] for one in range(line.count)]
    if not parts:
        return np.asarray(points[:, [0, 2]].mean(axis=0))
    largest = max(parts, key=lambda part: float(np.ptp(part, axis=0).sum()))
    return np.asarray((largest.min(axis=0) + largest.max(axis=0)) / 2)


def _belonging(line: LevelLine, points: Points, axis: Vectors, above: Vectors) -> Vectors | None:
    """Corners (c, 2) of the hull around what belongs to the trunk at a level: what the axis runs through, or
    what lies under the hull above. None for nothing.
    """
    flat = line.of(points)[:, [0, 2]]
    kept = []
    for one in range(line.count):
        mine = flat[line.part == one]
        within = _around(above if len(above) else mine, axis if len(above) == 0 else mine.mean(axis=0))
        if len(mine) > 2 and within:
            kept.append(mine)
    if not kept:
        return None
    every = np.concatenate(kept)
    try:
        return np.asarray(every[ConvexHull(every).vertices])
    except QhullError:
        return None


def _around(corners: Vectors, point: Vectors) -> bool:
    """Whether a point (2,) lies in the hull of corners (c, 2)."""
    try:
        planes = ConvexHull(corners).equations
    except QhullError:
        return False
    return bool((planes[:, :2] @ point + planes[:, 2] <= 0).all())
