"""Where a skirt of rings hangs before a run: round the figure and clear of it, gathered cloth in even folds."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy.ndimage import map_coordinates

from ...contact.intersections import self_crossing_pairs
from ...geometry.rest_metric import metric_of_pieces
from ...geometry.topology import build_topology
from ...model.errors import ShotError
from ...model.typed import Points, Scalars, Vectors
from .rings import Course, RingsMesh
from .sections import DIRECTIONS, WAYS, Sections, girth_of

ROWS = 0.006  # m between the levels of a course at which the pose is worked out
STEEPEST = np.tan(np.radians(35))  # m out for each m down, at most, where cloth stands off to have room
RISES = (0.5, 0.25, 0.1)  # m that a fold may stand out for each m below the edge that gathers it, in turn
PER_FOLD = 24  # places across a fold
MOST_PLACES = 4_000_000  # of a course at which the pose is worked out
LEAST_DOWN = 0.35  # m down for each m of cloth, at least
HALVINGS = 18
FOLDS_AT_LEAST = 6
SHORTENED, DRAWN = 60, 0.75  # rounds, and how far in each, by which edges that are too long are drawn shorter
APART = 0.0015  # m that each edge of an opening is set aside
GIVES = 0.01  # strain that a ring takes without a word where it is a little short


def pose_of(
    mesh: RingsMesh, courses: Sequence[Course], sections: Sections, waist: float, clear: float, fold: float
) -> Points:
    """Places (n, 3) m of a skirt's vertices round a figure, its upper edge at the height `waist` m.

    clear  m that cloth keeps off the figure, half its thickness included; fold: m of cloth in each fold of what
           is gathered

    A level outline is the figure's own hull, let out until it is as long as the cloth there (J. Steiner,
    1840); what is longer still lies in even folds, which grow from the edge that gathers them. `ShotError`
    where a ring is too short for the figure inside it. Where folds as deep as they can be go through each
    other, they are made less deep.
    """
    for rise in RISES:
        places = _posed(mesh, courses, sections, waist, clear, fold, rise)
        if len(self_crossing_pairs(places, mesh.triangles)) == 0:
            break
    return places


def _posed(
    mesh: RingsMesh, courses: Sequence[Course], sections: Sections, waist: float, clear: float, fold: float,
    rise: float,
) -> Points:  # fmt: skip
    """The same with folds that stand out `rise` m at most for each m below the edge that gathers them."""
    places = np.zeros((len(mesh.course), 3))
    above = _Above(np.zeros(DIRECTIONS), waist, courses[0].sewn, [])
    for index, course in enumerate(courses):
        hung = _hung(course, sections, above, clear, fold, rise)
        mine = np.flatnonzero(mesh.course == index)
        places[mine] = hung.at(mesh.fraction[mine], mesh.depth[mine])
        above = hung.below
    places = _shortened(places, mesh)
    aside = mesh.side * APART
    round_it = 2 * np.pi * mesh.fraction
    places[:, 0] -= aside * np.cos(round_it)
    places[:, 2] += aside * np.sin(round_it)
    return places


def _shortened(places: Points, mesh: RingsMesh) -> Points:
    """Places (n, 3) m with edges that are longer than at rest drawn shorter, again and again: between the folds
    of a gather and its edge there is not room enough for all of them. The first course stays.
    """
    topology = build_topology(mesh.triangles, len(places))
    rest = metric_of_pieces(mesh.corners, topology).edge_lengths
    a, b = topology.edges[:, 0], topology.edges[:, 1]
    free = np.where(mesh.course == 0, 0.0, 1.0)
    both, out, count = np.maximum(free[a] + free[b], 1e-9), places.copy(), len(places)
    for _ in range(SHORTENED):
        way = out[b] - out[a]
        length = np.linalg.norm(way, axis=1)
        over = np.maximum(length - rest, 0.0)
        move = (DRAWN * over / np.maximum(length, 1e-12) / both)[:, None] * way
        many = np.bincount(a, over > 0, count) + np.bincount(b, over > 0, count)
        for axis in range(3):
            drawn = np.bincount(a, move[:, axis], count) - np.bincount(b, move[:, axis], count)
            out[:, axis] += free * drawn / np.maximum(many, 1.0)
    return out


@dataclass(frozen=True, eq=False)
class _Above:
    """What a course hangs from: the reach (DIRECTIONS,) m that the cloth above has been pushed out to, the
    height of its edge, how long its outline is without folds, and its folds: number and how far they stand out.
    """

    widest: Scalars
    height: float
    outline: float
    folds: list[tuple[int, float]]


@dataclass(frozen=True, eq=False)
class _Hung:
    """A course as it hangs: places (r, c, 3) m at even depths and even shares of the way round."""

    places: Vectors
    depth: float
    below: _Above

    def at(self, fraction: Scalars, depth: Scalars) -> Points:
        """Places (n, 3) m, between those of the table."""
        rows, columns = self.places.shape[:2]
        at = np.stack([depth / self.depth * (rows - 1), (fraction % 1.0) * columns])
        padded = np.concatenate([self.places, self.places[:, :1]], axis=1)
        return np.stack(
            [map_coordinates(padded[:, :, axis], at, order=1, mode="nearest") for axis in range(3)], axis=1
        )


def _hung(course: Course, sections: Sections, above: _Above, clear: float, fold: float, rise: float) -> _Hung:
    rows = max(3, int(np.ceil(course.depth / ROWS)) + 1)
    depths = np.linspace(0.0, course.depth, rows)
    step = float(depths[1])
    own = max(FOLDS_AT_LEAST, round(course.top / fold)) if course.gather > 1 else 0
    columns = PER_FOLD * max([own, *(number for number, _ in above.folds), FOLDS_AT_LEAST])
    if rows * columns > MOST_PLACES:
        raise ShotError(
            f"the {course.name} has {columns // PER_FOLD:,} folds, which are too many to be laid",
            remedy="Give more cloth to a fold, or less gather",
        )
    places = np.zeros((rows, columns, 3))
    widest, height, outline, down, stands = above.widest, above.height, above.outline, step, 0.0
    for row, depth in enumerate(depths):
        cloth = float(course.round_at(np.array(depth)))
        if row:
            height -= down
            outline += 2 * np.pi * STEEPEST * step
        here = sections.at(height)
        widest = np.maximum(widest, here)
        outline = min(cloth, max(outline, _round(widest, clear) if row else 0.0))
        reach = _outline(here, widest, outline, clear, course, height, sections.foot)
        if own:
            stands = _standing(reach, above.folds, own, cloth, rise * depth)
        flat = _evenly(_folded(reach, _folds(above, own, stands), columns), columns)
        places[row, :, [0, 2]] = (flat + sections.middle).T
        places[row, :, 1] = height
        if row:
            moved = np.linalg.norm(places[row, :, [0, 2]] - places[row - 1, :, [0, 2]], axis=0)
            lower = np.sqrt(np.maximum(step**2 - moved**2, (LEAST_DOWN * step) ** 2))
            places[row, :, 1] = places[row - 1, :, 1] - lower
            down, height = float(lower.mean()), float(places[row, :, 1].mean())
    return _Hung(places, course.depth, _Above(widest, height, outline, _folds(above, own, stands)))


def _folds(above: _Above, own: int, stands: float) -> list[tuple[int, float]]:
    return [*above.folds, (own, stands)] if own else above.folds


def _round(reach: Scalars, clear: float) -> float:
    return float(girth_of(reach)) + 2 * np.pi * clear


def _outline(
    here: Scalars, widest: Scalars, length: float, clear: float, course: Course, height: float, foot: float
) -> Scalars:
    """Reach (DIRECTIONS,) of a convex outline, `length` m round, about a figure that is `here` at a height."""
    own, wide = _round(here, clear), _round(widest, clear)
    if length * (1 + GIVES) < own:
        short, round_it, up = ((own - length) * 1e3, own * 1e3, (height - foot) * 1e3)
        raise ShotError(
            f"the {course.name} is {short:.0f} mm too narrow at a height of {up:.0f} mm: it has "
            f"{length * 1e3:.0f} mm of cloth there, and what is inside needs {round_it:.0f} mm",
            remedy="Give it more ease, fullness or flare",
        )
    length = max(length, own)
    share = 1.0 if wide <= own else float(np.clip((length - own) / (wide - own), 0.0, 1.0))
    base = (1 - share) * here + share * widest
    return np.asarray(base + (length - float(girth_of(base))) / (2 * np.pi))


def _standing(reach: Scalars, folds: list[tuple[int, float]], own: int, cloth: float, most: float) -> float:
    """How far `own` folds stand out, m and `most` at most, so that the outline is as long as the cloth."""
    columns = PER_FOLD * max(own, *(number for number, _ in folds)) if folds else PER_FOLD * own
    if _length(_folded(reach, [*folds, (own, most)], columns)) <= cloth:
        return most
    low, high = 0.0, most
    for _ in range(HALVINGS):
        middle = (low + high) / 2
        if _length(_folded(reach, [*folds, (own, middle)], columns)) < cloth:
            low = middle
        else:
            high = middle
    return (low + high) / 2


def _folded(reach: Scalars, folds: list[tuple[int, float]], columns: int) -> Vectors:
    """The outline (q, 2) m by its reach, with folds standing out from it; q is twice `columns`."""
    corners = _corners(reach)
    share = np.arange(columns * 2) / (columns * 2)
    flat, ways = _spaced(corners, share)
    out = np.zeros(len(share))
    for number, stands in folds:
        out += stands * (1 - np.cos(2 * np.pi * number * share)) / 2
    return flat + out[:, None] * ways


def _corners(reach: Scalars) -> Vectors:
    """Corners (DIRECTIONS, 2) m of the polygon whose sides touch a convex outline in every direction, from the
    one after the first side's middle on.
    """
    turn = 2 * np.pi / DIRECTIONS
    along = np.stack([WAYS[:, 1], -WAYS[:, 0]], axis=1)
    on = (np.roll(reach, -1) - reach * np.cos(turn)) / np.sin(turn)
    return np.asarray(reach[:, None] * WAYS + on[:, None] * along)


def _spaced(corners: Vectors, share: Scalars) -> tuple[Vectors, Vectors]:
    """Points (q, 2) at shares of the way round a closed line, and the ways out there; the way round begins in
    the middle of the side between the last and the first corner.
    """
    start = (corners[-1:] + corners[:1]) / 2
    closed = np.concatenate([start, corners, start])
    along = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(closed, axis=0), axis=1))])
    between = WAYS + np.roll(WAYS, -1, axis=0)
    turned = np.concatenate([WAYS[:1], between / np.linalg.norm(between, axis=1, keepdims=True), WAYS[:1]])
    flat = np.stack([np.interp(share * along[-1], along, closed[:, axis]) for axis in (0, 1)], axis=1)
    ways = np.stack([np.interp(share * along[-1], along, turned[:, axis]) for axis in (0, 1)], axis=1)
    return flat, ways / np.linalg.norm(ways, axis=1, keepdims=True)


def _length(flat: Vectors) -> float:
    return float(np.linalg.norm(flat - np.roll(flat, -1, axis=0), axis=1).sum())


def _evenly(flat: Vectors, columns: int) -> Vectors:
    """The closed line in `columns` even steps from its first point."""
    closed = np.concatenate([flat, flat[:1]])
    along = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(closed, axis=0), axis=1))])
    at = np.arange(columns) / columns * along[-1]
    return np.stack([np.interp(at, along, closed[:, axis]) for axis in (0, 1)], axis=1)
