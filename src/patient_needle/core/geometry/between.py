"""A surface part of the way from one shape to another of the same triangles, without losing volume."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_matrix, csc_matrix, csr_matrix, diags_array
from scipy.sparse.csgraph import breadth_first_order, connected_components, minimum_spanning_tree
from scipy.sparse.linalg import splu
from scipy.spatial import cKDTree
from scipy.spatial.transform import Rotation

from ..model.typed import Points, Triangles, Vectors

FLAT = 1e-12  # share of the mean area below which a triangle has no direction
SHARES_KEPT = 4


class Between:
    """The way from `start` to `end`, both (n, 3), over triangles (m, 3).

    The rigid motion that best fits the whole is taken out first (W. Kabsch, 1976): its turn goes along the
    shorter arc and its place straight. In the frame that turns along, every triangle goes by itself, its turn
    along an arc and its stretch straight, and the points follow by least squares (M. Alexa, D. Cohen-Or and D.
    Levin, As-rigid-as-possible shape interpolation, 2000; triangles with their normals as R. Sumner and J.
    Popovic, Deformation transfer, 2004). Points without a triangle ride on their nearest neighbours.
    """

    def __init__(self, start: Points, end: Points, triangles: Triangles) -> None:
        weight = _weights(start, triangles)
        self._start, self._end = _centre(start, weight), _centre(end, weight)
        turn = _best_turn(start - self._start, end - self._end, weight)
        self._turn = Rotation.from_matrix(turn).as_rotvec()
        before, after = start - self._start, (end - self._end) @ turn
        joined = np.concatenate([triangles, _joints(start, triangles)])
        kept, axes = _axes(before, joined)
        self._weight = weight
        self._axes = axes
        stretched = _with_normals(after, kept) @ np.linalg.inv(_with_normals(before, kept))
        self._turns, self._stretches = _turns_and_stretches(stretched, kept)
        self._solve = _Poisson(kept, axes, np.linalg.norm(np.cross(*_sides(before, kept)), axis=1), len(start))
        self._at = lru_cache(SHARES_KEPT)(self._found)

    def at(self, share: float) -> Points:
        """Points (n, 3) part of the way, `share` from 0 to 1."""
        return self._at(share)

    def _found(self, share: float) -> Points:
        turns = Rotation.from_rotvec(share * self._turns).as_matrix()
        wanted = turns @ (np.eye(3) + share * (self._stretches - np.eye(3)))
        shape = self._solve(wanted)
        shape -= _centre(shape, self._weight)
        place = self._start + share * (self._end - self._start)
        return np.asarray(shape @ Rotation.from_rotvec(share * self._turn).as_matrix().T + place)


class _Poisson:
    """Points whose gradients over triangles come nearest to wanted ones, each triangle by its area."""

    def __init__(self, triangles: Triangles, axes: NDArray[np.float64], double: NDArray[np.float64], n: int):
        m = len(triangles)
        rows = np.repeat(np.arange(3 * m).reshape(m, 3, 1), 3, axis=2)
        columns = np.broadcast_to(triangles[:, None, :], (m, 3, 3))
        gradient = csc_matrix(coo_matrix((axes.ravel(), (rows.ravel(), columns.ravel())), shape=(3 * m, n)))
        self._weighted = csr_matrix(gradient.T @ diags_array(np.repeat(double, 3)))
        normal = (self._weighted @ gradient).tocsc()
        # The place of the whole is free: a trace of weight holds it, and the caller puts it where it belongs.
        pinned = normal + csc_matrix(
            (np.full(n, 1e-12 * normal.diagonal().mean()), (np.arange(n), np.arange(n))), shape=(n, n)
        )
        self._factor = splu(pinned, permc_spec="MMD_AT_PLUS_A", options={"SymmetricMode": True})

    def __call__(self, wanted: NDArray[np.float64]) -> Points:
        """Wanted (m, 3, 3): of each triangle, how it turns and stretches directions."""
        gradients = wanted.transpose(0, 2, 1).reshape(-1, 3)
        return np.asarray(self._factor.solve(np.asarray(self._weighted @ gradients)))


def _weights(points: Points, triangles: Triangles) -> NDArray[np.float64]:
    """A share of the surface for each vertex, (n,), adding up to 1."""
    areas = np.linalg.norm(np.cross(*_sides(points, triangles)), axis=1)
    out = np.bincount(triangles.ravel(), np.repeat(areas, 3), minlength=len(points))
    return out / out.sum() if out.sum() > 0 else np.full(len(points), 1.0 / len(points))


def _centre(points: Points, weight: NDArray[np.float64]) -> Vectors:
    return np.asarray(weight @ points)


def _best_turn(before: Points, after: Points, weight: NDArray[np.float64]) -> NDArray[np.float64]:
    """The rotation (3, 3) that brings centred points nearest to others."""
    u, _, vt = np.linalg.svd((before * weight[:, None]).T @ after)
    sign = np.sign(np.linalg.det(vt.T @ u.T)) or 1.0
    return np.asarray(vt.T @ np.diag([1.0, 1.0, sign]) @ u.T)


def _sides(points: Points, triangles: Triangles) -> tuple[Vectors, Vectors]:
    corner = points[triangles[:, 0]]
    return points[triangles[:, 1]] - corner, points[triangles[:, 2]] - corner


def _with_normals(points: Points, triangles: Triangles) -> NDArray[np.float64]:
    """Two sides of each triangle and its normal, as long as the root of its area, as columns, (m, 3, 3)."""
    first, second = _sides(points, triangles)
    normal = np.cross(first, second)
    length = np.linalg.norm(normal, axis=1, keepdims=True)
    normal = np.where(length > 0, normal / np.sqrt(np.maximum(length, 1e-300)), [0.0, 0.0, 1e-9])
    return np.stack([first, second, normal], axis=2)


def _axes(points: Points, triangles: Triangles) -> tuple[Triangles, NDArray[np.float64]]:
    """Triangles that have a direction, (k, 3), and the gradients of their corners' hat functions, (k, 3, 3):
    axis by corner.
    """
    double = np.linalg.norm(np.cross(*_sides(points, triangles)), axis=1)
    kept = triangles[double > FLAT * max(float(double.mean()), 1e-300)] if len(double) else triangles
    inverse = np.linalg.inv(_with_normals(points, kept))  # rows: duals of the two sides and of the normal
    first, second = inverse[:, 0], inverse[:, 1]
    return kept, np.stack([-(first + second), first, second], axis=2)


def _turns_and_stretches(
    gradients: NDArray[np.float64], triangles: Triangles
) -> tuple[Vectors, NDArray[np.float64]]:
    """Polar factors of gradients (m, 3, 3): turns as vectors (m, 3) that agree with their neighbours' about
    full turns, and stretches (m, 3, 3).
    """
    u, size, vt = np.linalg.svd(gradients)
    flipped = np.linalg.det(u @ vt) < 0
    u[flipped, :, 2] *= -1
    size[flipped, 2] *= -1
    turns = Rotation.from_matrix(u @ vt).as_rotvec()
    stretches = (vt.transpose(0, 2, 1) * size[:, None, :]) @ vt
    return _agreeing(turns, triangles), stretches


def _agreeing(turns: Vectors, triangles: Triangles) -> Vectors:
    """The same turns, each with so many full turns more that it is nearest to the one that leads to it.

    The way from one to the next is the tree on which neighbours differ least in all.
    """
    m, n = len(triangles), int(triangles.max(initial=-1)) + 1
    if m == 0:
        return turns
    touches = csc_matrix((np.ones(3 * m), (np.repeat(np.arange(m), 3), triangles.ravel())), shape=(m, n))
    beside = (touches @ touches.T).tocsr()
    pairs = beside.tocoo()
    edge = (pairs.data >= 2) & (pairs.row < pairs.col)  # two corners in common
    one, other = pairs.row[edge], pairs.col[edge]
    apart = (Rotation.from_rotvec(turns[one]).inv() * Rotation.from_rotvec(turns[other])).magnitude()
    # A crease may be crossed by triangles that turn over: what lies beyond is reached around them.
    near = coo_matrix((np.asarray(apart) + 1e-6, (one, other)), shape=(m, m))
    tree = csr_matrix(minimum_spanning_tree(csr_matrix(near)))
    out = turns.copy()
    angles = np.linalg.norm(turns, axis=1)
    _, part = connected_components(tree, directed=False)
    for number in range(int(part.max()) + 1):
        mine = np.flatnonzero(part == number)
        if len(mine) > 1:
            _agree_from(int(mine[np.argmin(angles[mine])]), tree, out)
    return out


def _agree_from(first: int, tree: csr_matrix, turns: Vectors) -> None:
    """Walk outwards from a triangle along a tree, a generation at once."""
    order, before = breadth_first_order(tree, first, directed=False)
    depth = np.zeros(len(turns), np.int64)
    for triangle in order[1:]:
        depth[triangle] = depth[before[triangle]] + 1
    generations = np.split(order, np.flatnonzero(np.diff(depth[order])) + 1)
    for these in generations[1:]:
        length = np.linalg.norm(turns[these], axis=1, keepdims=True)
        axis = np.where(length > 1e-9, turns[these] / np.maximum(length, 1e-9), 0.0)
        along = np.einsum("ij,ij->i", turns[before[these]], axis)[:, None]
        turns[these] += 2 * np.pi * np.round((along - length) / (2 * np.pi)) * axis


def _joints(points: Points, triangles: Triangles) -> Triangles:
    """Triangles that join each loose part, and each point without a triangle, to what lies nearest, (k, 3)."""
    n = len(points)
    ends = np.concatenate([triangles[:, [0, 1]], triangles[:, [1, 2]]])
    _, part = connected_components(
        coo_matrix((np.ones(len(ends)), (ends[:, 0], ends[:, 1])), shape=(n, n)), directed=False
    )
    sizes = np.bincount(part)
    order = np.argsort(-sizes, kind="stable")
    done = part == order[0]
    out = []
    for one in order[1:]:
        mine = np.flatnonzero(part == one)
        others = np.flatnonzero(done)
        distance, nearest = cKDTree(points[others]).query(points[mine], k=min(2, len(others)))
        closest = int(np.argmin(np.reshape(distance, (len(mine), -1))[:, 0]))
        held = others[np.atleast_1d(np.reshape(nearest, (len(mine), -1))[closest])]
        if len(held) == 2:
            out.append((mine[closest], held[0], held[1]))
        done[mine] = True
    return np.array(out, triangles.dtype).reshape(-1, 3)
