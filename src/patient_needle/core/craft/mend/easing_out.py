"""Ease out: cloth leaves bodies and other cloth along the side it came from, by the least displacement.

For every vertex the last clean frame before the fault, or the first after it, says where its outside is: the
normal of the nearest collider triangle, which is carried along with the body. In a frame the vertex leaves by
the nearest place of the surface that faces this way, else straight along it. The displacements of all frames
together are the shortest ones that keep the gap and are smooth in time and along the cloth:

    min  sum |d|^2 + TIME |d'|^2 + CLOTH |grad d|^2    with    u . d >= c  for all that must leave

solved by projected relaxation and set up anew where the surface is curved, until the exact count is zero.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from scipy import sparse

from ...contact.intersections import crossing_depths, crossing_pairs, self_crossing_pairs
from ...geometry.closed import insider
from ...geometry.topology import neighbour_means
from ...geometry.tree import build_tree, closest_points
from ...geometry.triangles import area_vectors, unit
from ...model.errors import StartError
from ...model.tolerances import (
    EASE_AGREES,
    EASE_CLOTH,
    EASE_NUDGE,
    EASE_ROUNDS,
    EASE_SWEEPS,
    EASE_TIME,
)
from ...model.typed import Flags, Indices, Points, Scalars, Vectors
from ...solver.outfit import Outfit
from .footage import Footage, Patch, Region, Span, edge_graph, quiet

HISTORY = 24  # frames that are searched for a clean one, either way


@dataclass(frozen=True, eq=False)
class Asked:
    """How far vertices must go in each of f frames: u (f, q, 3) unit directions, c (f, q) m, minus infinity
    where nothing is asked.
    """

    way: Vectors
    least: Scalars


def least_displacement(
    asked: Asked,
    share: Scalars,
    graph: sparse.csr_matrix,
    *,
    time: float = EASE_TIME,
    cloth: float = EASE_CLOTH,
) -> Vectors:
    """The shortest displacements (f, q, 3) m that do what is asked and are smooth.

    share (f, q), 0 where nothing may move, else what is asked is done in full; graph (q, q), the mesh among the
    vertices, rows that sum to 1. By relaxation with a projection on each half-space, sweep by sweep (after
    C. Cryer, The solution of a quadratic programming problem using systematic overrelaxation, 1971).
    """
    frames, count = asked.least.shape
    moved = np.zeros((frames, count, 3))
    free = share > 0
    for _ in range(EASE_SWEEPS):
        before = np.concatenate([moved[:1] * 0, moved[:-1]])
        after = np.concatenate([moved[1:], moved[-1:] * 0])
        along = np.stack([graph @ frame for frame in moved])
        total = 1.0 + 2.0 * time + cloth
        moved = (time * (before + after) + cloth * along) / total
        moved *= free[..., None]
        short = asked.least - np.einsum("fqk,fqk->fq", asked.way, moved)
        moved += np.maximum(short, 0.0)[..., None] * asked.way * free[..., None]
    return moved


def ease_out(
    footage: Footage,
    region: Region,
    span: Span,
    told: Callable[[float], None] = quiet,
) -> Patch:
    """Ease a region out of everything over a span.

    `StartError` when cloth lies inside a closed body in every frame, so that no outside is known.
    """
    return _Easing(footage, region, span).patch(told)


class _Easing:
    """A region on its way out: where it is displaced so far, and what is still in the way."""

    def __init__(self, footage: Footage, region: Region, span: Span) -> None:
        self._footage, self._worn = footage, footage.worn
        self._frames, self._vertices = list(span.frames(footage)), region.vertices
        share = np.array([[span.share(frame)] for frame in self._frames])
        self._share = share * region.weights[self._vertices]
        self._start = np.stack([footage.at(frame)[self._vertices] for frame in self._frames])
        self._sides = _Sides(footage, self._vertices, self._frames, self._start)
        self._clean = _last_clean(footage, self._vertices, self._frames)
        self._graph = _means(self._worn, self._vertices)
        self._row = np.full(self._worn.count, -1, np.int32)
        self._row[self._vertices] = np.arange(len(self._vertices), dtype=np.int32)

    def patch(self, told: Callable[[float], None]) -> Patch:
        """Displace, look again, and displace further until nothing is in the way."""
        footage, frames, start = self._footage, self._frames, self._start
        self._sides.check(self._share)
        moved = np.zeros(start.shape)
        asked = Asked(np.zeros(start.shape), np.full(start.shape[:2], -np.inf))
        for turn in range(EASE_ROUNDS):
            told(turn / EASE_ROUNDS)
            asked, clean = self._asked(moved, asked)
            if clean:
                break
            moved = least_displacement(asked, self._share, self._graph)
        kept = footage.points[np.ix_(np.array(frames) - footage.first, self._vertices)]
        still = np.linalg.norm(moved, axis=2) == 0.0
        points = np.where(still[..., None], kept, (start + moved).astype(np.float32))
        return Patch(self._vertices, tuple(frames), points)

    def _asked(self, moved: Vectors, before: Asked) -> tuple[Asked, bool]:
        """What every frame asks of the displacement from the take, told by where it leads now. What was asked
        once is asked again: it would else come back.
        """
        way, least, clean = before.way.copy(), before.least.copy(), True
        for row, frame in enumerate(self._frames):
            points, may = self._start[row] + moved[row], self._share[row] > 0
            exits = self._sides.exits(row, points)
            here = np.einsum("qk,qk->q", exits.way, moved[row])
            again = exits.within | (np.isfinite(least[row]) & (exits.short > 0))
            again &= may
            way[row, again], least[row, again] = exits.way[again], (here + exits.short)[again]
            if (exits.within & may).any():
                clean = False
                continue
            push = self._in_the_way(row, frame, points, exits)
            far = np.linalg.norm(push, axis=1)
            some = np.flatnonzero((far > 0) & may)
            if len(some):
                clean = False
                way[row, some] = push[some] / far[some, None]
                least[row, some] = np.einsum("qk,qk->q", way[row, some], moved[row, some]) + far[some]
        return Asked(way, least), clean

    def _in_the_way(self, row: int, frame: int, points: Points, exits: _Exits) -> Vectors:
        """How far and where to (q, 3) m vertices are to be pushed by triangles that still cross."""
        footage, worn = self._footage, self._worn
        whole = footage.at(frame)
        whole[self._vertices] = points
        mine: Flags = np.asarray((self._row >= 0)[worn.triangles].any(axis=1))
        push, times = np.zeros(points.shape), np.zeros(len(points))
        low, high = points.min(axis=0) - worn.spacing, points.max(axis=0) + worn.spacing
        corners = whole[worn.triangles]
        near = ((corners.max(axis=1) >= low) & (corners.min(axis=1) <= high)).all(axis=1)
        colliders, own = footage.colliders(frame), worn.triangles[mine]
        around = footage.bodies(frame)
        pairs = crossing_pairs(whole, own, around, colliders.triangles)
        if len(pairs):
            depth = crossing_depths(whole, own[pairs[:, 0]], around, colliders.triangles[pairs[:, 1]])
            at = self._row[own[pairs[:, 0]]]
            for corner in range(3):
                some = at[:, corner] >= 0
                rows = at[some, corner]
                by = EASE_NUDGE * (depth[some] + exits.gap[rows])
                np.add.at(push, rows, by[:, None] * exits.way[rows])
                np.add.at(times, rows, 1.0)
        numbers = np.flatnonzero(near).astype(np.int32)
        joined, as_one = worn.as_one(whole)
        cloth = numbers[self_crossing_pairs(joined, as_one[near])]
        cloth = cloth[mine[cloth].any(axis=1)] if len(cloth) else cloth
        if len(cloth):
            self._part_cloth(row, whole, cloth, push, times)
        return push / np.maximum(times, 1.0)[:, None]

    def _part_cloth(self, row: int, whole: Points, pairs: Indices, push: Vectors, times: Scalars) -> None:
        """Push crossing triangles apart, to the sides that they were on in the last clean frame."""
        worn, clean = self._worn, self._clean[row]
        one, other = worn.triangles[pairs[:, 0]], worn.triangles[pairs[:, 1]]
        depth = crossing_depths(whole, one, whole, other)
        for first, second in ((one, other), (other, one)):
            was = clean[first].mean(axis=1) - clean[second].mean(axis=1)
            side = np.sign(np.einsum("mk,mk->m", was, unit(_normals(clean, second))))
            out = side[:, None] * unit(_normals(whole, second))
            thick = worn.skin.thickness[first].mean(axis=1)
            by = EASE_NUDGE * 0.5 * (depth + thick)
            at = self._row[first]
            for corner in range(3):
                some = at[:, corner] >= 0
                np.add.at(push, at[some, corner], by[some, None] * out[some])
                np.add.at(times, at[some, corner], 1.0)


def _normals(points: Points, corners: Indices) -> Vectors:
    a, b, c = (points[corners[:, k]] for k in range(3))
    return np.cross(b - a, c - a)


def _means(worn: Outfit, vertices: Indices) -> sparse.csr_matrix:
    """The mesh among vertices (q,) as a matrix (q, q) that takes the mean of each one's neighbours."""
    graph = edge_graph(worn)
    return neighbour_means(((graph + graph.T) > 0).tocsr()[vertices][:, vertices].astype(float))


def _last_clean(footage: Footage, vertices: Indices, frames: list[int]) -> list[Points]:
    """For each frame the positions (n, 3) m in the nearest frame, before or else after, in which no cloth of
    these vertices crosses cloth; the frame's own where there is none.
    """
    worn = footage.worn
    mine = np.zeros(worn.count, bool)
    mine[vertices] = True

    def clean(frame: int) -> bool:
        points = footage.at(frame)
        own = points[vertices]
        low, high = own.min(axis=0), own.max(axis=0)
        corners = points[worn.triangles]
        near = ((corners.max(axis=1) >= low) & (corners.min(axis=1) <= high)).all(axis=1)
        joined, as_one = worn.as_one(points)
        pairs = self_crossing_pairs(joined, as_one[near])
        return not mine[worn.triangles[near][pairs]].any()

    known: dict[int, bool] = {}

    def asked(frame: int) -> bool:
        if frame not in known:
            known[frame] = clean(frame)
        return known[frame]

    out = []
    before = next(
        (f for f in range(frames[0] - 1, max(footage.first, frames[0] - HISTORY) - 1, -1) if asked(f)), None
    )
    for frame in frames:
        if asked(frame):
            before = frame
        at = before
        if at is None:
            at = next((f for f in range(frame, min(footage.last, frame + HISTORY) + 1) if asked(f)), frame)
        out.append(footage.at(at))
    return out


@dataclass(frozen=True, eq=False)
class _Exits:
    """For each vertex the way (q, 3) out, how far (q,) m it is short of its gap, whether it lies within a body,
    and the gap (q,) m.
    """

    way: Vectors
    short: Scalars
    within: Flags
    gap: Scalars


class Around:
    """The colliders of a frame, made ready to be asked where they are left."""

    def __init__(self, footage: Footage, frame: int) -> None:
        self.points = footage.bodies(frame)
        surroundings = footage.run.colliders.surroundings(frame, float(frame))
        on = surroundings.at_work()
        self.number = np.flatnonzero(surroundings.on)  # among all colliders, whether they are on or off
        every = footage.run.colliders.triangles
        self.all_normals = unit(area_vectors(self.points, every))
        self.triangles, self.normals = every[self.number], self.all_normals[self.number]
        self.tree = build_tree(self.points, self.triangles) if len(self.number) else None
        self.clearance, self.thickness = on.clearance, on.thickness
        enclosing = footage.colliders(frame).enclosing
        self._within = insider(self.points, enclosing) if len(enclosing) else None

    def within(self, places: Points) -> Flags:
        """Which places (q, 3) m lie in a closed body."""
        return np.zeros(len(places), bool) if self._within is None else self._within(places)

    def along(self, place: Points, way: Vectors) -> float | None:
        """How far (m) a ray from inside a body goes to where it leaves it; None where it does not (T. Moeller
        and B. Trumbore, Fast, minimum storage ray/triangle intersection, 1997).
        """
        corner, second, third = (self.points[self.triangles[:, k]] for k in range(3))
        edge, other = second - corner, third - corner
        across = np.cross(way, other)
        det = np.einsum("mk,mk->m", edge, across)
        safe = np.where(np.abs(det) > 1e-18, det, np.inf)
        back = place - corner
        u = np.einsum("mk,mk->m", back, across) / safe
        q = np.cross(back, edge)
        v = q @ way / safe
        far = np.einsum("mk,mk->m", other, q) / safe
        hit = (self.normals @ way > 0) & (u >= 0) & (v >= 0) & (u + v <= 1) & (far > 0)
        return float(far[hit].min()) if hit.any() else None


class _Sides:
    """The outside of every vertex in every frame: the collider triangle that was nearest when it was clean."""

    def __init__(self, footage: Footage, vertices: Indices, frames: list[int], start: Points) -> None:
        worn = footage.worn
        self._around = [Around(footage, frame) for frame in frames]
        self._half = 0.5 * worn.skin.thickness[vertices]
        self._factor = worn.skin.clearance[vertices]
        self._triangle, self._known = self._learnt(footage, vertices, frames, start)

    def _learnt(
        self, footage: Footage, vertices: Indices, frames: list[int], start: Points
    ) -> tuple[list[Indices], list[Flags]]:
        """By frame the telling triangle (q,), as numbered among all colliders, and whether there is one (q,).
        The past tells before the future does.
        """
        count = len(vertices)
        triangle, known = np.zeros(count, np.int32), np.zeros(count, bool)
        for frame in range(max(footage.first, frames[0] - HISTORY), frames[0]):
            _learn(Around(footage, frame), footage.at(frame)[vertices], triangle, known)
        triangles, knowns = [], []
        for around, points in zip(self._around, start, strict=True):
            _learn(around, points, triangle, known)
            triangles.append(triangle.copy())
            knowns.append(known.copy())
        triangle, known = np.zeros(count, np.int32), np.zeros(count, bool)
        for frame in range(min(footage.last, frames[-1] + HISTORY), frames[-1], -1):
            if all(flags.all() for flags in knowns):
                break
            _learn(Around(footage, frame), footage.at(frame)[vertices], triangle, known)
        for row in reversed(range(len(frames))):
            _learn(self._around[row], start[row], triangle, known)
            new = ~knowns[row] & known
            triangles[row][new], knowns[row][new] = triangle[new], True
        return triangles, knowns

    def check(self, share: Scalars) -> None:
        """`StartError` where cloth is inside in every frame that is known; share (f, q), what is to move."""
        lost = max(int((~known & (row > 0)).sum()) for known, row in zip(self._known, share, strict=True))
        if self._around[0].tree is not None and lost:
            raise StartError(
                f"{lost} vertices lie inside a closed body in every frame around: nothing tells the way out",
                where="the region",
                remedy="Run again here over a longer span, or take that body out of the colliders",
            )

    def exits(self, row: int, points: Points) -> _Exits:
        """The way out of each vertex at points (q, 3) m."""
        around, count = self._around[row], len(points)
        if around.tree is None:
            nothing = np.zeros(count)
            return _Exits(np.tile([0.0, 1.0, 0.0], (count, 1)), nothing, nothing > 0, self._half)
        nearest, corners, distance = closest_points(around.tree, around.points, points)
        foot = np.einsum("qk,qkj->qj", corners, around.points[around.triangles[nearest]])
        within = around.within(points)
        outward = np.where(within[:, None], foot - points, points - foot)
        way = np.where(
            (distance > 1e-9)[:, None], outward / np.maximum(distance, 1e-12)[:, None], around.normals[nearest]
        )
        gap = self._factor * around.clearance[nearest] + 0.5 * around.thickness[nearest] + self._half
        short = gap + np.where(within, distance, -distance)
        reference = around.all_normals[self._triangle[row]]
        agrees = np.einsum("qk,qk->q", way, reference) >= EASE_AGREES
        for index in np.flatnonzero(within & self._known[row] & ~agrees):
            far = around.along(points[index], reference[index])
            if far is not None:
                way[index], short[index] = reference[index], far + gap[index]
        return _Exits(way, short, within, gap)


def _learn(around: Around, points: Points, triangle: Indices, known: Flags) -> None:
    """Keep the collider triangle nearest to each of points (q, 3) m that is outside."""
    if around.tree is None:
        return
    outside = np.flatnonzero(~around.within(points))
    nearest, _, _ = closest_points(around.tree, around.points, points[outside])
    triangle[outside] = around.number[nearest]
    known[outside] = True
