"""Easing let-go cloth back out of a body: soft rows that ask for a little more room each substep."""

from __future__ import annotations

import numpy as np

from ..geometry.normals import unit, vertex_normals
from ..geometry.tree import Tree, closest_points
from ..model.typed import Flags, Indices, Points, Scalars, Triangles, Vectors
from .filter import patches, ringed
from .rows import Rows, Surroundings

REACH = 0.05  # m; deeper cloth is not drawn to a surface that may be the far side
PER_SUBSTEP = 0.45  # of the gap: how far a vertex is asked to come out at once
TELLING, SIDED = 3, 0.3  # so many vertices beside a patch tell its side, if they lean so much to it
CONTRARY = -0.5  # cosine, from which on a surface leads another way than a patch is to go
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
    would else draw it apart for ever. A triangle whose corners are out but whose middle is not is lifted by all
    of them. The rows' hard gap is minus infinity: they push, but certify nothing.
    """
    if not eased.any():
        return None
    waiting = np.flatnonzero(ringed(cloth, ringed(cloth, eased))).astype(np.int32)
    triangle, normal, behind = _nearest(colliders, start, start[waiting])
    near = triangle >= 0
    waiting, triangle, normal, behind = waiting[near], triangle[near], normal[near], behind[near]
    own = vertex_normals(start[: len(eased)], cloth)
    towards = np.zeros_like(own)
    facing = np.einsum("ij,ij->i", normal, own[waiting])
    for patch in patches(cloth, eased):
        within = np.isin(waiting, patch)
        towards[patch] = _way_out(waiting, around.part[triangle], normal, behind, own, facing, within, cloth)
    asked = eased[waiting]
    waiting, triangle, normal, behind = waiting[asked], triangle[asked], normal[asked], behind[asked]
    lifted, over = _chords(colliders, cloth, start, eased, waiting[behind], towards)
    stray = np.flatnonzero(behind & (np.einsum("ij,ij->i", normal, towards[waiting]) < 0))
    triangle[stray] = _far_side(
        colliders, start, start[waiting[stray]], towards[waiting[stray]], triangle[stray]
    )
    waiting, triangle = waiting[behind], triangle[behind]
    sunk = _height(colliders, start, waiting, triangle) < 0
    waiting, triangle = np.concatenate([waiting[sunk], lifted]), np.concatenate([triangle[sunk], over])
    if len(waiting) == 0:
        return None
    gap, height = around.gap[triangle], _height(colliders, start, waiting, triangle)
    corners = colliders.triangles[triangle]
    return Rows(
        np.stack([np.repeat(waiting, 3), corners.ravel()], axis=1).astype(np.int32),
        np.repeat(_normals(goal, corners), 3, axis=0),
        np.full(3 * len(waiting), stiffness),
        np.repeat(height + PER_SUBSTEP * gap, 3),
        np.repeat(gap, 3),
        np.full(3 * len(waiting), -np.inf),
        np.repeat(triangle, 3).astype(np.int32),
        np.zeros((3 * len(waiting), 2), np.int32),
    )


def _way_out(
    vertices: Indices, part: Indices, normal: Vectors, behind: Flags, own: Vectors, facing: Scalars,
    within: Flags, cloth: Triangles,
) -> Vectors:  # fmt: skip
    """Which way (3,) a patch is to go: with its own side outwards, as the cloth around it has it; where that is
    unclear, as most of it is nearest to a surface.
    """
    sunk = within & behind
    plain = normal[within].sum(axis=0, keepdims=True)
    if not sunk.any():
        return unit(plain)[0]
    mostly = np.bincount(part[sunk]).argmax()
    around = np.zeros(len(own), bool)
    around[vertices[within]] = True
    around = ringed(cloth, ringed(cloth, around))
    told = facing[around[vertices] & ~behind & (part == mostly)]
    if len(told) < TELLING or abs(told.mean()) < SIDED:
        return unit(plain)[0]
    return unit(np.sign(told.mean()) * own[vertices[sunk]].sum(axis=0, keepdims=True))[0]


def _nearest(colliders: Tree, start: Points, points: Points) -> tuple[Indices, Vectors, Flags]:
    """The collider triangle nearest to points (k, 3), -1 beyond REACH, its normal; which of them lie behind."""
    triangle, barycentric, _ = closest_points(colliders, start, points, REACH)
    corners = colliders.triangles[triangle]
    normal = _normals(start, corners)
    base = np.einsum("ik,ikj->ij", barycentric, start[corners])
    return triangle, normal, (triangle >= 0) & (np.einsum("ij,ij->i", points - base, normal) < 0)


def _chords(
    colliders: Tree, cloth: Triangles, start: Points, eased: Flags, behind: Indices, towards: Vectors
) -> tuple[Indices, Indices]:
    """Corners (k,) of eased triangles that are all out although a side's or the middle is not, and the collider
    triangle (k,) over it.
    """
    out = eased.copy()
    out[behind] = False
    chords = cloth[out[cloth].all(axis=1)]
    ends = [(0, 1, 2), (0, 1), (1, 2), (2, 0)]
    found = [_nearest(colliders, start, start[chords[:, list(some)]].mean(axis=1)) for some in ends]
    vertices, over = [np.zeros(0, np.int32)], [np.zeros(0, np.int32)]
    for some, (triangle, normal, within) in zip(ends, found, strict=True):
        for corner in some:
            along = np.einsum("ij,ij->i", normal, towards[chords[:, corner]]) > CONTRARY
            vertices.append(chords[within & along, corner])
            over.append(triangle[within & along])
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
