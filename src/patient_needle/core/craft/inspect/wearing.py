"""How well a garment is worn by a body, and the placement in which it would be worn."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from itertools import product

import igl
import numpy as np
from scipy.spatial import cKDTree

from ...geometry.closed import ACCURACY, ORDER, insider
from ...geometry.placing import Placing, moved
from ...geometry.triangles import triangle_areas
from ...model.typed import Points, Triangles

PROBES = 240  # vertices of the garment that are held against the body
ENCLOSED = 0.55  # winding number of cloth at a place beyond which the cloth goes around the place; ours
WORN = 0.12  # area of the body that is enclosed, as a share of the garment's own, from which it is worn; ours
STRIDE = 5.0  # degrees between the turns that are tried first
NEAR = 0.08  # of the body's height: cloth so far away counts as one
AWAY = 6.0  # NEAR times so much and more count alike
DEEP = 20.0  # what a vertex counts that is inside the body by SHALLOW or more
SOFT = 3.0  # the same while turns are only tried: a hard one hides the right turn from those beside it
SHALLOW = 0.01  # of the body's height
TURNS = tuple(float(turn) for turn in np.arange(-180.0 + STRIDE, 181.0, STRIDE))
QUARTER = 20.0  # degrees from a quarter turn within which one is taken where it lies as well
FINER = 6  # turns of each unit and axis that are tried more finely
MOVED = 3  # places that are tried more finely
FEW = 80  # probes of a garment that may have to be moved
SURE = 0.6  # what a garment may lie badly after it was moved; ours
ABOUT, SLACK = 1.15, 0.05  # a cost that is about as good as another
LEVELS = 9  # heights that are tried for a garment that has to be moved


class Figure:
    """A body at rest that garments are held against: points (n, 3) m, Y up, triangles (m, 3)."""

    def __init__(self, points: Points, triangles: Triangles) -> None:
        self.points = points
        self.tall = float(np.ptp(points[:, 1]))
        self._low, self._high = points.min(axis=0), points.max(axis=0)
        self.middle = (self._low + self._high) / 2
        self.centres = points[triangles].mean(axis=1)
        self.areas = triangle_areas(points, triangles)
        self._near = cKDTree(np.concatenate([points, self.centres]))  # nearly the distance, and far quicker
        self._inside = insider(points, triangles)

    def misfit(self, points: Points, deep: float = DEEP) -> float:
        """How badly cloth at (k, 3) m lies: 0 on the body, more the further away, `deep` well inside it."""
        beside = np.maximum(self._low - points, points - self._high).max(axis=1)
        near = np.ascontiguousarray(points[beside < AWAY * NEAR * self.tall])
        if len(near) == 0:
            return AWAY
        distance = np.asarray(self._near.query(near)[0])
        outside = np.minimum(distance / (NEAR * self.tall), AWAY)
        within = deep * np.minimum(distance / (SHALLOW * self.tall), 1.0)
        cost = np.where(self._inside(near), within, outside).sum() + AWAY * (len(points) - len(near))
        return float(cost / len(points))


class Shell:
    """A garment in its own unit and axes: points (n, 3), triangles (m, 3). Asked about many placements."""

    def __init__(self, points: Points, triangles: Triangles) -> None:
        self.points = points
        self.probes = points[:: max(1, len(points) // PROBES)]
        self._area = float(triangle_areas(points, triangles).sum())
        self._low, self._high = points.min(axis=0), points.max(axis=0)
        self._tree = igl.FastWindingNumberBVH()
        self._tree.init(np.ascontiguousarray(points, np.float64), triangles.astype(np.int64), order=ORDER)

    def enclosed(self, figure: Figure, placing: Placing, metres: float) -> float:
        """The body's area that the garment goes around, as a share of its own.

        Around a place goes what covers more than ENCLOSED of the directions from it, by the winding number of
        an open surface (A. Jacobson, L. Kavan, O. Sorkine-Hornung, Robust inside-outside segmentation, 2013). A
        sheet that lies on a place covers half of them. The body is brought into the garment's file, which
        changes no winding number.
        """
        whole = placing.matrix(metres)
        places = moved(figure.centres, np.linalg.inv(whole).astype(np.float64))
        within = ((places > self._low) & (places < self._high)).all(axis=1)
        own = self._area * abs(float(np.linalg.det(whole[:3, :3]))) ** (2 / 3)
        if not within.any() or own <= 0:
            return 0.0
        around = np.abs(np.asarray(self._tree.winding_number(np.ascontiguousarray(places[within]), ACCURACY)))
        return float(figure.areas[within][around > ENCLOSED].sum() / own)


@dataclass(frozen=True)
class Worn:
    """A placement, how badly the garment lies in it, and how much of the body it goes around."""

    placing: Placing
    misfit: float
    enclosed: float

    @property
    def cost(self) -> float:
        """What it lies badly for how much it goes around. A smaller garment lies nearer, but around less."""
        return self.misfit / max(self.enclosed, 1e-6)

    @property
    def is_worn(self) -> bool:
        """Whether the garment goes around the body."""
        return self.enclosed >= WORN


def worn_in(shell: Shell, figure: Figure, placing: Placing, metres: float) -> Worn:
    """How a garment is worn in one placement."""
    misfit = figure.misfit(placing.of(shell.probes, metres))
    return Worn(placing, misfit, shell.enclosed(figure, placing, metres))


def best_worn(
    shell: Shell, figure: Figure, units: dict[str, float], read: Placing, also: Sequence[Placing], *,
    may_move: bool, every: int = 1,
) -> Worn | None:  # fmt: skip
    """The placement in which a garment is worn best; None when it goes around the body in none.

    units   metres of each unit to try, the commonest first
    also    placements to try as they are, before all others; the first that is about as good as the best counts
    may_move  whether the garment may be moved to the body, not only turned
    every   tries only one in so many turns
    """
    probes = shell.probes

    def worn(one: Placing) -> Worn:
        return worn_in(shell, figure, one, units[one.unit])

    best = [found for one in also if (found := worn(one)).is_worn]
    known = len(best)
    for unit, up in product(units, "yzx"):
        turns = [replace(read, unit=unit, up=up, turn=turn) for turn in TURNS[::every]]
        for one in _least(turns, lambda one: figure.misfit(one.of(probes[::2], units[one.unit]), SOFT)):
            found = worn(_finer(one, probes, figure, units[unit]))
            if found.is_worn:
                best.append(found)
    if best:
        best[known:] = sorted(best[known:], key=lambda one: one.cost)
        least = min(one.cost for one in best)
        return next(one for one in best if one.cost <= ABOUT * least + SLACK)
    return _moved_there(shell, figure, read, units) if may_move else None


def _moved_there(shell: Shell, figure: Figure, read: Placing, units: dict[str, float]) -> Worn | None:
    """The best placement that moves the garment too, if it is a sure one."""
    ways = [replace(read, unit=unit, up=up) for unit, up in product(units, "yzx")]
    brought = [found for way in ways for found in _brought(shell.points, figure, way, units[way.unit])]
    settled = [
        worn_in(shell, figure, _settled(one, shell.probes, figure, units[one.unit]), units[one.unit])
        for _, one in sorted(brought, key=lambda pair: pair[0])[:MOVED]
    ]
    sure = [one for one in settled if one.is_worn and one.misfit < SURE]
    return min(sure, key=lambda one: one.misfit, default=None)


def _least(tried: Sequence[Placing], misfit: Callable[[Placing], float]) -> list[Placing]:
    """The FINER of them that lie best."""
    return sorted(tried, key=misfit)[:FINER]


def _finer(one: Placing, probes: Points, figure: Figure, metres: float) -> Placing:
    """Turned on to where it lies best, to a degree; to a quarter turn where that is as good."""
    step = STRIDE / 2
    cost = figure.misfit(one.of(probes, metres))
    while step >= 1.0:
        for turn in (one.turn - step, one.turn + step):
            other = replace(one, turn=turn)
            if (there := figure.misfit(other.of(probes, metres))) < cost:
                one, cost = other, there
        step /= 2
    quarter = replace(one, turn=90.0 * round(one.turn / 90))
    if abs(quarter.turn - one.turn) < QUARTER and figure.misfit(quarter.of(probes, metres)) < 1.1 * cost:
        one = quarter
    return replace(one, turn=float((round(one.turn) + 180) % 360 - 180))


def _brought(points: Points, figure: Figure, read: Placing, metres: float) -> list[tuple[float, Placing]]:
    """Placements that bring the garment's middle to the body's axis, at the turns and heights that lie best;
    with each, how badly it lies.
    """
    low, high = figure.points[:, 1].min(), figure.points[:, 1].max()
    tried: list[tuple[float, Placing]] = []
    for turn in TURNS[::6]:
        one = replace(read, turn=turn, move=(0.0, 0.0, 0.0))
        whole = one.of(points, metres)
        few = whole[:: max(1, len(whole) // FEW)]
        middle, half = (whole.min(axis=0) + whole.max(axis=0)) / 2, np.ptp(whole[:, 1]) / 2
        for level in np.linspace(low + half, max(low + half, high - half), LEVELS):
            x, y, z = (float(v) for v in (figure.middle[0], level, figure.middle[2]) - middle)
            tried.append((figure.misfit(few + (x, y, z)), replace(one, move=(x, y, z))))
    tried.sort(key=lambda entry: entry[0])
    return tried[:FINER]


def _settled(one: Placing, probes: Points, figure: Figure, metres: float) -> Placing:
    """Moved and turned on in smaller and smaller steps to where it lies best."""
    cost = figure.misfit(one.of(probes, metres))
    length, angle = figure.tall / 20, 3 * STRIDE
    while length > figure.tall / 320:
        x, y, z = one.move
        near = [replace(one, turn=one.turn + turn) for turn in (-angle, angle)]
        near += [replace(one, move=(x + dx, y, z)) for dx in (-length, length)]
        near += [replace(one, move=(x, y + dy, z)) for dy in (-length, length)]
        near += [replace(one, move=(x, y, z + dz)) for dz in (-length, length)]
        costs = [figure.misfit(other.of(probes, metres)) for other in near]
        if min(costs) < cost:
            cost, one = min(costs), near[int(np.argmin(costs))]
        else:
            length, angle = length / 2, angle / 2
    x, y, z = (round(value, 3) for value in one.move)
    return replace(one, turn=float((round(one.turn) + 180) % 360 - 180), move=(x, y, z))
