"""Easing let-go cloth back out of a body: soft rows that ask for a little more room each substep."""

from __future__ import annotations

import numpy as np

from ..geometry.normals import unit
from ..geometry.tree import Tree, closest_points
from ..model.typed import Flags, Points
from .rows import Rows, Surroundings

REACH = 0.05  # m; deeper cloth is not drawn to a surface that may be the far side
PER_SUBSTEP = 0.5  # of the gap: how far a vertex is asked to come out at once


def easing_rows(
    colliders: Tree,
    start: Points,
    goal: Points,
    eased: Flags,
    around: Surroundings,
    stiffness: float,
) -> Rows | None:
    """Rows for every vertex to be eased out that is behind its nearest collider triangle, or None.

    colliders' boxes must fit start (all, 3) m; goal (all, 3) m gives the colliders' end; eased (n,). The
    rows' hard gap is minus infinity: they push, but certify nothing.
    """
    waiting = np.flatnonzero(eased)
    if len(waiting) == 0:
        return None
    triangle, barycentric, distance = closest_points(colliders, start, start[waiting], REACH)
    near = np.flatnonzero(np.isfinite(distance))
    corners = colliders.triangles[triangle[near]]
    base = np.einsum("ik,ikj->ij", barycentric[near], start[corners])
    height = np.einsum("ij,ij->i", start[waiting[near]] - base, _normals(start, corners))
    behind = height < 0
    near, corners, height = near[behind], corners[behind], height[behind]
    if len(near) == 0:
        return None
    gap = around.gap[triangle[near]]
    return Rows(
        np.stack([np.repeat(waiting[near], 3), corners.ravel()], axis=1).astype(np.int32),
        np.repeat(_normals(goal, corners), 3, axis=0),
        np.full(3 * len(near), stiffness),
        np.repeat(np.minimum(gap, height + PER_SUBSTEP * gap), 3),
        np.repeat(gap, 3),
        np.full(3 * len(near), -np.inf),
        np.repeat(triangle[near], 3).astype(np.int32),
        np.zeros((3 * len(near), 2), np.int32),
    )


def _normals(points: Points, corners: np.ndarray) -> Points:
    a, b, c = (points[corners[:, k]] for k in range(3))
    return unit(np.cross(b - a, c - a))
