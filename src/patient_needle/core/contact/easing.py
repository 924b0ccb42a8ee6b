"""Easing released cloth out of a body: soft rows that ask for a little more room in each substep."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..geometry.tree import Tree, closest_points
from ..geometry.triangles import unit, vertex_normals
from ..model.tolerances import (
    CONTRARY_COSINE,
    EASING_PROBES,
    EASING_REACH,
    EASING_STEP,
    TELLING_LEAN,
    TELLING_VERTICES,
    WRAPPED_NORMAL,
)
from ..model.typed import Flags, Indices, Points, Scalars, Triangles, Vectors
from .filter import patches, ringed
from .rows import Rows, Surroundings


@dataclass(frozen=True, eq=False)
class _Nearest:
    """Points (k,), by their number, within REACH of a collider: the triangle (k,) nearest to each, its normal
    (k, 3), whether the point is behind it.
    """

    of: Indices
    triangle: Indices
    normal: Vectors
    behind: Flags

    def only(self, some: Flags) -> _Nearest:
        return _Nearest(self.of[some], self.triangle[some], self.normal[some], self.behind[some])


def easing_rows(
    colliders: Tree,
    cloth: Triangles,
    start: Points,
    goal: Points,
    eased: Flags,
    around: Surroundings,
    stiffness: float,
) -> Rows | None:
    """Rows for every vertex to be eased out that is behind its nearest collider triangle, or None.

    colliders' boxes must fit start (all, 3) m; cloth (m, 3) its triangles; goal (all, 3) m gives the colliders'
    end; eased (n,). What hangs together goes out on one side, the one that the cloth around it tells: a limb
    that stands in a patch would else draw it apart for ever. A triangle whose corners are out but whose middle
    is not is lifted by all of them. The rows' hard gap is minus infinity: they push, but certify nothing.
    """
    if not eased.any():
        return None
    waiting = np.flatnonzero(ringed(cloth, ringed(cloth, eased))).astype(np.int32)
    near = _nearest(colliders, start, start[waiting], waiting)
    own = vertex_normals(start[: len(eased)], cloth)
    towards = np.zeros_like(own)
    for patch in patches(cloth, eased):
        towards[patch] = _way_out(near, around.part[near.triangle], own, patch, cloth)
    near = near.only(eased[near.of] & near.behind)
    lifted, over = _chords(colliders, cloth, start, eased, near.of, towards)
    vertices, triangle = near.of, near.triangle.copy()
    stray = np.flatnonzero(np.einsum("ij,ij->i", near.normal, towards[vertices]) < 0)
    triangle[stray] = _far_side(
        colliders, start, start[vertices[stray]], towards[vertices[stray]], triangle[stray]
    )
    sunk = _height(colliders, start, vertices, triangle) < 0
    vertices, triangle = np.concatenate([vertices[sunk], lifted]), np.concatenate([triangle[sunk], over])
    if len(vertices) == 0:
        return None
    gap, height = around.gap[triangle], _height(colliders, start, vertices, triangle)
    corners = colliders.triangles[triangle]
    return Rows(
        np.stack([np.repeat(vertices, 3), corners.ravel()], axis=1).astype(np.int32),
        np.repeat(_normals(goal, corners), 3, axis=0),
        np.full(3 * len(vertices), stiffness),
        np.repeat(height + EASING_STEP * gap, 3),
        np.repeat(gap, 3),
        np.full(3 * len(vertices), -np.inf),
        np.repeat(triangle, 3).astype(np.int32),
        np.zeros((3 * len(vertices), 2), np.int32),
    )


def _way_out(near: _Nearest, part: Indices, own: Vectors, patch: Indices, cloth: Triangles) -> Vectors:
    """Which way (k, 3) the vertices (k,) of a patch are to go: with its own side outwards, as the cloth around
    it has it; where that is unclear, as most of it is nearest to a surface. All go one way, unless the patch is
    wrapped round a limb. part (k,) of what is near; own (n, 3), the cloth's normals.
    """
    within = np.isin(near.of, patch)
    sunk = within & near.behind
    side = _side_out(near, part, own, within, cloth) if sunk.any() else 0.0
    outwards = side * own[near.of[sunk]] if side else near.normal[within]
    way = outwards.mean(axis=0, keepdims=True) if len(outwards) else np.zeros((1, 3))
    if side and np.linalg.norm(way) < WRAPPED_NORMAL:
        return side * own[patch]
    return np.repeat(unit(way), len(patch), axis=0)


def _side_out(near: _Nearest, part: Indices, own: Vectors, within: Flags, cloth: Triangles) -> float:
    """1 if a patch's cloth is to have its normals outwards, -1 if inwards, 0 if nothing around it tells."""
    mostly = np.bincount(part[within & near.behind]).argmax()
    around = np.zeros(len(own), bool)
    around[near.of[within]] = True
    around = ringed(cloth, ringed(cloth, around))
    telling = around[near.of] & ~near.behind & (part == mostly)
    told = np.einsum("ij,ij->i", near.normal[telling], own[near.of[telling]])
    if len(told) < TELLING_VERTICES or abs(told.mean()) < TELLING_LEAN:
        return 0.0
    return float(np.sign(told.mean()))


def _nearest(colliders: Tree, start: Points, points: Points, of: Indices) -> _Nearest:
    """The nearest place to points (k, 3) m, numbered `of` (k,), for those within reach."""
    triangle, barycentric, _ = closest_points(colliders, start, points, EASING_REACH)
    found = triangle >= 0
    of, triangle = of[found], triangle[found]
    corners = colliders.triangles[triangle]
    normal = _normals(start, corners)
    base = np.einsum("ik,ikj->ij", barycentric[found], start[corners])
    return _Nearest(of, triangle, normal, np.einsum("ij,ij->i", points[found] - base, normal) < 0)


def _chords(
    colliders: Tree, cloth: Triangles, start: Points, eased: Flags, behind: Indices, towards: Vectors
) -> tuple[Indices, Indices]:
    """Corners (k,) of eased triangles that are all out although a side's or the middle is not, and the collider
    triangle (k,) over it.
    """
    out = eased.copy()
    out[behind] = False
    chords = cloth[out[cloth].all(axis=1)]
    numbers = np.arange(len(chords), dtype=np.int32)
    vertices, over = [np.zeros(0, np.int32)], [np.zeros(0, np.int32)]
    for ends in ((0, 1, 2), (0, 1), (1, 2), (2, 0)):
        near = _nearest(colliders, start, start[chords[:, list(ends)]].mean(axis=1), numbers)
        near = near.only(near.behind)
        for corner in ends:
            lifts = chords[near.of, corner]
            along = np.einsum("ij,ij->i", near.normal, towards[lifts]) > CONTRARY_COSINE
            vertices.append(lifts[along])
            over.append(near.triangle[along])
    return np.concatenate(vertices), np.concatenate(over)


def _height(colliders: Tree, start: Points, vertices: Indices, triangle: Indices) -> Scalars:
    """How far vertices (k,) stand over collider triangles (k,), m."""
    corners = colliders.triangles[triangle]
    return np.einsum("ij,ij->i", start[vertices] - start[corners].mean(axis=1), _normals(start, corners))


def _far_side(colliders: Tree, start: Points, points: Points, towards: Vectors, triangle: Indices) -> Indices:
    """The collider triangles (k,) by which points (k, 3) m would leave if they went `towards` (k, 3); the given
    ones where that leads nowhere within reach.
    """
    out = triangle.copy()
    open_ = np.ones(len(points), bool)
    for share in np.arange(1, EASING_PROBES + 1) / EASING_PROBES:
        if not open_.any():
            break
        found, _, distance = closest_points(
            colliders, start, points + share * EASING_REACH * towards, EASING_REACH
        )
        facing = np.einsum("ij,ij->i", _normals(start, colliders.triangles[np.maximum(found, 0)]), towards) > 0
        takes = open_ & np.isfinite(distance) & facing
        out[takes] = found[takes]
        open_ &= ~takes
    return out


def _normals(points: Points, corners: np.ndarray) -> Points:
    a, b, c = (points[corners[:, k]] for k in range(3))
    return unit(np.cross(b - a, c - a))
