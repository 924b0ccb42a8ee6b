"""Fewer triangles for a surface that moves: what bends keeps more of them.

Sources: M. Garland and P. Heckbert, Surface simplification using quadric error metrics, SIGGRAPH 1997, for the
quadrics; A. Mohr and M. Gleicher, Deformation sensitive decimation, University of Wisconsin 2003, for adding
them up over poses. Only vertices that exist are kept, so that the result moves exactly with the full surface.
"""

from __future__ import annotations

from heapq import heapify, heappop, heappush

import numpy as np
from numba import njit

from ..model.tolerances import NO_AREA
from ..model.typed import Flags, Indices, Points, Triangles, Vectors


def decimated(poses: Points, triangles: Triangles, target: int, locked: Flags) -> tuple[Indices, Triangles]:
    """At most about `target` triangles of a surface seen in p poses (p, n, 3) m.

    locked (n,) bool: vertices that stay. Gives the kept vertices (k,) as indices into n, and triangles into k.
    It ends above `target` when no edge can go any more without folding a face over or joining what is apart.
    """
    alive = _collapsed(
        np.ascontiguousarray(poses, np.float64),
        triangles.astype(np.int64),
        int(target),
        np.asarray(locked, bool),
    )
    left = alive[(alive[:, 0] >= 0)]
    kept, inverse = np.unique(left, return_inverse=True)
    return kept.astype(np.int32), inverse.reshape(-1, 3).astype(np.int32)


@njit(cache=True)
def _quadrics(poses: Points, triangles: Triangles) -> Vectors:
    """(p, n, 11): the upper triangle of each vertex's plane quadric, weighted by area, and that area.

    poses (p, n, 3) m; triangles (m, 3).
    """
    count, vertices = poses.shape[0], poses.shape[1]
    out = np.zeros((count, vertices, 11))
    for p in range(count):
        for t in range(len(triangles)):
            a, b, c = poses[p, triangles[t, 0]], poses[p, triangles[t, 1]], poses[p, triangles[t, 2]]
            normal = np.cross(b - a, c - a)
            length = np.sqrt((normal * normal).sum())
            if length < 1e-20:
                continue
            normal = normal / length
            plane = np.array([normal[0], normal[1], normal[2], -(normal * a).sum()])
            area = length / 6.0
            for corner in range(3):
                row = out[p, triangles[t, corner]]
                k = 0
                for i in range(4):
                    for j in range(i, 4):
                        row[k] += area * plane[i] * plane[j]
                        k += 1
                row[10] += area
    return out


@njit(cache=True)
def _cost(quadrics: Vectors, poses: Points, gone: int, kept: int) -> float:
    """Largest mean squared distance, over the poses, of `kept` from the planes around `gone`, m2; a share of
    the edge's length is added so that flat regions stay even.
    """
    worst, longest = 0.0, 0.0
    for p in range(poses.shape[0]):
        x, y, z = poses[p, kept]
        q = quadrics[p, gone]
        value = (
            q[0] * x * x + 2 * q[1] * x * y + 2 * q[2] * x * z + 2 * q[3] * x
            + q[4] * y * y + 2 * q[5] * y * z + 2 * q[6] * y
            + q[7] * z * z + 2 * q[8] * z + q[9]
        ) / q[10]  # fmt: skip
        worst = max(worst, value)
        way = poses[p, kept] - poses[p, gone]
        longest = max(longest, (way * way).sum())
    return worst + 1e-4 * longest


@njit(cache=True)
def _neighbours(vertex, head, after, corners, out):
    """Fill `out` with the vertices around `vertex`; returns how many."""
    count = 0
    node = head[vertex]
    while node >= 0:
        triangle = node // 3
        if corners[triangle, 0] >= 0:
            for k in range(3):
                other = corners[triangle, k]
                if other == vertex:
                    continue
                known = False
                for seen in range(count):
                    known |= out[seen] == other
                if not known and count < len(out):
                    out[count] = other
                    count += 1
        node = after[node]
    return count


@njit(cache=True)
def _folds(poses, gone, kept, head, after, corners):
    """Whether moving `gone` to `kept` would turn a face over, in any pose, or leave it without area."""
    node = head[gone]
    while node >= 0:
        triangle = node // 3
        a, b, c = corners[triangle]
        if a >= 0 and a != kept and b != kept and c != kept:
            for p in range(poses.shape[0]):
                before = np.cross(poses[p, b] - poses[p, a], poses[p, c] - poses[p, a])
                na, nb, nc = (kept if a == gone else a), (kept if b == gone else b), (kept if c == gone else c)
                now = np.cross(poses[p, nb] - poses[p, na], poses[p, nc] - poses[p, na])
                area, left = (before * before).sum(), (now * now).sum()
                if (before * now).sum() < 0.2 * np.sqrt(area * left) or (left <= NO_AREA * area and area > 0.0):
                    return True
        node = after[node]
    return False


@njit(cache=True)
def _joins(gone, kept, head, after, corners, one, other):
    """Whether the collapse would join what is apart: the two share neighbours that lie in no face of theirs."""
    ones, others = _neighbours(gone, head, after, corners, one), _neighbours(kept, head, after, corners, other)
    shared = 0
    for i in range(ones):
        for j in range(others):
            shared += one[i] == other[j]
    faces = 0
    node = head[gone]
    while node >= 0:
        triangle = node // 3
        faces += corners[triangle, 0] >= 0 and (corners[triangle] == kept).any()
        node = after[node]
    return shared != faces or ones + others - shared > len(one) - 4


@njit(cache=True)
def _collapsed(poses, triangles, target, locked):
    """The corners of the triangles that are left, -1 where one is gone.

    poses (p, n, 3) m; triangles (m, 3); target, how many stay; locked (n,) bool, vertices that do.
    """
    corners = triangles.copy()
    vertices = poses.shape[1]
    quadrics = _quadrics(poses, triangles)
    head, after = np.full(vertices, -1, np.int64), np.full(3 * len(triangles), -1, np.int64)
    for node in range(3 * len(triangles)):
        vertex = corners[node // 3, node % 3]
        after[node], head[vertex] = head[vertex], node
    sides = np.zeros(vertices, np.int64)
    one, other = np.empty(64, np.int64), np.empty(64, np.int64)
    for vertex in range(vertices):  # a border vertex has more neighbours than faces: it stays
        faces, node = 0, head[vertex]
        while node >= 0:
            faces, node = faces + 1, after[node]
        sides[vertex] = _neighbours(vertex, head, after, corners, one) - faces
    stamp = np.zeros(vertices, np.int64)
    queue = [(0.0, -1, -1, 0)]
    for triangle in range(len(triangles)):
        for k in range(3):
            a, b = corners[triangle, k], corners[triangle, (k + 1) % 3]
            for gone, kept in ((a, b), (b, a)):
                if not locked[gone] and sides[gone] == 0:
                    queue.append((_cost(quadrics, poses, gone, kept), gone, kept, 0))
    heapify(queue)
    left = len(triangles)
    alive = np.ones(vertices, np.bool_)
    while left > target and len(queue) > 0:
        _, gone, kept, made = heappop(queue)
        if gone < 0 or not alive[gone] or not alive[kept] or made != stamp[gone]:
            continue
        around = _neighbours(gone, head, after, corners, one)
        if not (one[:around] == kept).any() or _joins(gone, kept, head, after, corners, one, other):
            continue
        if _folds(poses, gone, kept, head, after, corners):
            continue
        node = head[gone]
        while node >= 0:
            following, triangle = after[node], node // 3
            if corners[triangle, 0] >= 0:
                if (corners[triangle] == kept).any():
                    corners[triangle] = -1
                    left -= 1
                else:
                    corners[triangle, node % 3] = kept
                    after[node], head[kept] = head[kept], node
            node = following
        alive[gone] = False
        quadrics[:, kept] += quadrics[:, gone]
        stamp[kept] += 1
        around = _neighbours(kept, head, after, corners, one)
        for index in range(around):
            near = one[index]
            if not locked[kept] and sides[kept] == 0:
                heappush(queue, (_cost(quadrics, poses, kept, near), kept, near, stamp[kept]))
            if not locked[near] and sides[near] == 0:
                heappush(queue, (_cost(quadrics, poses, near, kept), near, kept, stamp[near]))
    return corners
