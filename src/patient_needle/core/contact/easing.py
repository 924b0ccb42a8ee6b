"""Easing let-go cloth back out of a body: soft rows that ask for a little more room each substep."""

from __future__ import annotations

import numpy as np

from ..geometry.normals import unit
from ..geometry.tree import Tree, closest_points
from ..model.typed import Flags, Indices, Points, Triangles, Vectors
from .filter import patches
from .rows import Rows, Surroundings

REACH = 0.05  # m; deeper cloth is not drawn to a surface that may be the far side
PER_SUBSTEP = 0.45  # of the gap: how far a vertex is asked to come out at once
PROBES = 10  # on the way through a limb to its far side


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
    end; eased (n,). What hangs together goes out on one side, that of most of it: a limb that stands in a patch
    would else draw it apart for ever. The rows' hard gap is minus infinity: they push, but certify nothing.
    """
    waiting = np.flatnonzero(eased)
    if len(waiting) == 0:
        return None
    triangle, barycentric, distance = closest_points(colliders, start, start[waiting], REACH)
    near = np.isfinite(distance)
    waiting, triangle, barycentric = waiting[near], triangle[near], barycentric[near]
    if len(waiting) == 0:
        return None
    base = np.einsum("ik,ikj->ij", barycentric, start[colliders.triangles[triangle]])
    normal = _normals(start, colliders.triangles[triangle])
    behind = np.einsum("ij,ij->i", start[waiting] - base, normal) < 0
    towards = np.zeros_like(start)
    towards[waiting] = normal
    for patch in patches(cloth, eased):
        towards[patch] = unit(towards[patch].sum(axis=0, keepdims=True))
    stray = np.flatnonzero(behind & (np.einsum("ij,ij->i", normal, towards[waiting]) < 0))
    triangle[stray] = _far_side(
        colliders, start, start[waiting[stray]], towards[waiting[stray]], triangle[stray]
    )
    waiting, triangle = waiting[behind], triangle[behind]
    corners = colliders.triangles[triangle]
    normal = _normals(start, corners)
    height = np.einsum("ij,ij->i", start[waiting] - start[corners].mean(axis=1), normal)
    waiting, triangle, corners, height = (kept[height < 0] for kept in (waiting, triangle, corners, height))
    if len(waiting) == 0:
        return None
    gap = around.gap[triangle]
    return Rows(
        np.stack([np.repeat(waiting, 3), corners.ravel()], axis=1).astype(np.int32),
        np.repeat(_normals(goal, corners), 3, axis=0),
        np.full(3 * len(waiting), stiffness),
        np.repeat(np.minimum(gap, height + PER_SUBSTEP * gap), 3),
        np.repeat(gap, 3),
        np.full(3 * len(waiting), -np.inf),
        np.repeat(triangle, 3).astype(np.int32),
        np.zeros((3 * len(waiting), 2), np.int32),
    )


def _far_side(colliders: Tree, start: Points, points: Points, towards: Vectors, triangle: Indices) -> Indices:
    """The collider triangles (k,) by which points (k, 3) m would leave if they went `towards` (k, 3); the given
    ones where that leads nowhere within reach.
    """
    out = triangle.copy()
    open_ = np.ones(len(points), bool)
    for share in np.arange(1, PROBES + 1) / PROBES:
        if not open_.any():
            break
        found, _, distance = closest_points(colliders, start, points + share * REACH * towards, REACH)
        facing = np.einsum("ij,ij->i", _normals(start, colliders.triangles[np.maximum(found, 0)]), towards) > 0
        takes = open_ & np.isfinite(distance) & facing
        out[takes] = found[takes]
        open_ &= ~takes
    return out


def _normals(points: Points, corners: np.ndarray) -> Points:
    a, b, c = (points[corners[:, k]] for k in range(3))
    return unit(np.cross(b - a, c - a))
