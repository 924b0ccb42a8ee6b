"""A surface part of the way from one shape to another of the same triangles, without losing volume."""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_matrix, csc_matrix, csr_matrix, diags_array
from scipy.sparse.csgraph import breadth_first_order, connected_components, minimum_spanning_tree
from scipy.sparse.linalg import splu
from scipy.spatial import cKDTree
from scipy.spatial.transform import Rotation

from ..model.typed import Points, Triangles, Vectors
from .topology import across_edges

FLAT = 1e-12  # share of the mean area below which a triangle has no direction
NEAREST = 6  # points among which a loose part finds two that it does not lie in line with
SHARES_KEPT = 4
MOST_POINTS = 200_000  # a factor of more takes a minute and gigabytes


class Between:
    """The way from `start` to `end`, both (n, 3), over triangles (m, 3).

    The rigid motion that best fits the whole is taken out first (W. Kabsch, 1976): its turn goes along the
    shorter arc and its place straight. In the frame that turns along, every triangle goes by itself, its turn
    along an arc and its stretch straight, and the points follow by least squares (M. Alexa, D. Cohen-Or and D.
    Levin, As-rigid-as-possible shape interpolation, 2000; triangles with their normals as R. Sumner and J.
    Popovic, Deformation transfer, 2004). Points without a triangle ride on their nearest neighbours. More than
    MOST_POINTS go straight in the frame that turns along.
    """

    def __init__(self, start: Points, end: Points, triangles: Triangles) -> None:
        weight = _weights(start, triangles)
        self._start, self._end = _centre(start, weight), _centre(end, weight)
        turn = _best_turn(start - self._start, end - self._end, weight)
        self._turn = Rotation.from_matrix(turn).as_rotvec()
        before, after = start - self._start, (end - self._end) @ turn
        self._weight = weight
        self._at = lru_cache(SHARES_KEPT)(self._found)
        self._shape = lambda share: before + share * (after - before)
        if len(start) <= MOST_POINTS:
            self._shape = _shaped(before, after, triangles)

    def at(self, share: float) -> Points:
        """Points (n, 3) part of the way, `share` from 0 to 1."""
        return self._at(share)

    def _found(self, share: float) -> Points:
        shape = self._shape(share)
        shape = shape - _centre(shape, self._weight)
        place = self._start + share * (self._end - self._start)
        return np.asarray(shape @ Rotation.from_rotvec(share * self._turn).as_matrix().T + place)


def _shaped(before: Points, after: Points, triangles: Triangles) -> Callable[[float], Points]:
    """The shape part of the way from one to another, wherever it stands."""
    sound = _with_area(before, triangles)
    if len(sound) == 0:
        return lambda share: before + share * (after - before)
    kept = _with_area(before, np.concatenate([sound, _joints(before, sound)]))
    axes = _axes(before, kept)
    stretched = _with_normals(after, kept) @ np.linalg.inv(_with_normals(before, kept))
    turns, stretches = _turns_and_stretches(stretched, kept)
    solve = _Poisson(kept, axes, np.linalg.norm(np.cross(*_sides(before, kept)), axis=1), len(before))

    def at(share: float) -> Points:
        turned = Rotation.from_rotvec(share * turns).as_matrix()
        return solve(turned @ (np.eye(3) + share * (stretches - np.eye(3))))

    return at


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


def _with_area(points: Points, triangles: Triangles) -> Triangles:
    """The triangles that have a direction, (k, 3)."""
    double = np.linalg.norm(np.cross(*_sides(points, triangles)), axis=1)
    return triangles[double > FLAT * max(float(double.mean()), 1e-300)] if len(double) else triangles


def _axes(points: Points, triangles: Triangles) -> NDArray[np.float64]:
    """Gradients of the hat functions of triangles' corners, (m, 3, 3): axis by corner."""
    inverse = np.linalg.inv(_with_normals(points, triangles))  # rows: duals of two sides and of the normal
    first, second = inverse[:, 0], inverse[:, 1]
    return np.stack([-(first + second), first, second], axis=2)


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
    m = len(triangles)
    one, other = across_edges(triangles)
    apart = (Rotation.from_rotvec(turns[one]).inv() * Rotation.from_rotvec(turns[other])).magnitude()
    # A crease may be crossed by triangles that turn over: what lies beyond is reached around them.
    near = coo_matrix((np.asarray(apart) + 1e-6, (one, other)), shape=(m, m))
    tree = csr_matrix(minimum_spanning_tree(csr_matrix(near)))
    angles = np.linalg.norm(turns, axis=1)
    _, part = connected_components(tree, directed=False)
    by_angle = np.lexsort((angles, part))
    firsts = by_angle[np.unique(part[by_angle], return_index=True)[1]]  # of each part, what turns least
    ends = tree.tocoo()
    rows = np.append(ends.row, np.full(len(firsts), m)).astype(np.int32)
    columns = np.append(ends.col, firsts).astype(np.int32)
    whole = coo_matrix((np.ones(len(rows)), (rows, columns)), shape=(m + 1, m + 1))
    return _agreed_along(csr_matrix(whole), np.vstack([turns, np.zeros((1, 3))]))[:m]


def _agreed_along(tree: csr_matrix, turns: Vectors) -> Vectors:
    """Turns (m + 1, 3) along a tree from its last node on, a generation at once. The first ones stay."""
    order, before = breadth_first_order(tree, len(turns) - 1, directed=False)
    depth = np.zeros(len(turns), np.int64)
    for node in order[1:]:
        depth[node] = depth[before[node]] + 1
    generations = np.split(order, np.flatnonzero(np.diff(depth[order])) + 1)
    out = turns.copy()
    for these in generations[2:]:
        length = np.linalg.norm(out[these], axis=1, keepdims=True)
        axis = np.where(length > 1e-9, out[these] / np.maximum(length, 1e-9), 0.0)
        along = np.einsum("ij,ij->i", out[before[these]], axis)[:, None]
        out[these] += 2 * np.pi * np.round((along - length) / (2 * np.pi)) * axis
    return out


def _joints(points: Points, triangles: Triangles) -> Triangles:
    """Triangles that join each loose part, and each point without one, to the largest part, (k, 3)."""
    n = len(points)
    ends = np.concatenate([triangles[:, [0, 1]], triangles[:, [1, 2]]])
    _, part = connected_components(
        coo_matrix((np.ones(len(ends)), (ends[:, 0], ends[:, 1])), shape=(n, n)), directed=False
    )
    largest = part == np.argmax(np.bincount(part))
    loose, held = np.flatnonzero(~largest), np.flatnonzero(largest)
    if len(loose) == 0:
        return np.zeros((0, 3), triangles.dtype)
    found = cKDTree(points[held]).query(points[loose], k=min(NEAREST, len(held)))
    distance, nearest = np.asarray(found[0]), np.asarray(found[1])
    by_distance = np.lexsort((distance[:, 0], part[loose]))
    ends = by_distance[
        np.unique(part[loose][by_distance], return_index=True)[1]
    ]  # of each part, what is nearest
    places = held[nearest[ends]]
    sides = points[places] - points[loose[ends]][:, None]
    areas = np.linalg.norm(np.cross(sides[:, :1], sides[:, 1:]), axis=2)
    other = places[np.arange(len(ends)), 1 + np.argmax(areas, axis=1)]
    return np.stack([loose[ends], places[:, 0], other], axis=1).astype(triangles.dtype)
