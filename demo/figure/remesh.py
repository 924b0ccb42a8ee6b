"""Graded isotropic remeshing of a closed surface: split, collapse, flip.

Source of the scheme: M. Botsch and L. Kobbelt, A remeshing approach to multiresolution modeling, 2004.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

Size = Callable[[np.ndarray], np.ndarray]


def sides(triangles: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Edges (e, 2) as the first face runs along them, both faces and both opposite vertices, (e, 2) each."""
    count = len(triangles)
    halves = np.concatenate([triangles[:, [0, 1]], triangles[:, [1, 2]], triangles[:, [2, 0]]])
    opposite = np.concatenate([triangles[:, 2], triangles[:, 0], triangles[:, 1]])
    face = np.tile(np.arange(count), 3)
    low = np.sort(halves, axis=1)
    order = np.lexsort((low[:, 1], low[:, 0]))
    first, second = order[0::2], order[1::2]
    if len(order) % 2 or (low[first] != low[second]).any():
        raise ValueError("the surface is not closed")
    return (
        halves[first],
        np.stack([face[first], face[second]], 1),
        np.stack([opposite[first], opposite[second]], 1),
    )


def _lengths(points: np.ndarray, edges: np.ndarray, size: Size) -> np.ndarray:
    middle = (points[edges[:, 0]] + points[edges[:, 1]]) / 2
    return np.linalg.norm(points[edges[:, 0]] - points[edges[:, 1]], axis=1) / size(middle)


def split(points, triangles, size: Size, longest: float):
    """Halve edges longer than `longest` times their size, the longest first, one per face."""
    edges, faces, opposite = sides(triangles)
    ratio = _lengths(points, edges, size)
    used, picked = np.zeros(len(triangles), bool), []
    for e in sorted(np.flatnonzero(ratio > longest), key=lambda e: -ratio[e]):
        if not used[faces[e]].any():
            used[faces[e]] = True
            picked.append(e)
    if not picked:
        return points, triangles
    new = len(points) + np.arange(len(picked))
    (a, b), (c, d) = edges[picked].T, opposite[picked].T
    out = triangles.copy()
    out[faces[picked, 0]] = np.stack([a, new, c], 1)
    out[faces[picked, 1]] = np.stack([b, new, d], 1)
    middles = (points[a] + points[b]) / 2
    return (
        np.vstack([points, middles]),
        np.vstack([out, np.stack([new, b, c], 1), np.stack([new, a, d], 1)]),
    )


def collapse(points, triangles, size: Size, shortest: float, longest: float):
    """Merge the ends of edges shorter than `shortest` times their size where no face turns over."""
    edges, _, _ = sides(triangles)
    ratio, wanted = _lengths(points, edges, size), size(points)
    neighbours = [set() for _ in points]
    for a, b in edges:
        neighbours[a].add(b)
        neighbours[b].add(a)
    around = [[] for _ in points]
    for index, triangle in enumerate(triangles):
        for vertex in triangle:
            around[vertex].append(index)
    locked, target, points = np.zeros(len(points), bool), np.arange(len(points)), points.copy()
    for e in sorted(np.flatnonzero(ratio < shortest), key=lambda e: ratio[e]):
        a, b = edges[e]
        ring = neighbours[a] | neighbours[b]
        if locked[a] or locked[b] or locked[list(ring)].any():
            continue
        if len(neighbours[a] & neighbours[b]) != 2 or not 6 <= len(ring) <= 11:
            continue
        middle = (points[a] + points[b]) / 2
        rest = [k for k in ring if k not in (a, b)]
        if (np.linalg.norm(points[rest] - middle, axis=1) > longest * wanted[rest]).any():
            continue
        if any(_turns_over(points, triangles[f], (a, b), middle) for f in around[a] + around[b]):
            continue
        points[a], target[b] = middle, a
        locked[list(ring)] = True
    out = target[triangles]
    out = out[(out[:, 0] != out[:, 1]) & (out[:, 1] != out[:, 2]) & (out[:, 2] != out[:, 0])]
    used, out = np.unique(out, return_inverse=True)
    return points[used], out.reshape(-1, 3)


def _turns_over(points, triangle, ends, middle) -> bool:
    moved = np.isin(triangle, ends)
    if moved.sum() == 2:
        return False
    corners = points[triangle]
    before = np.cross(corners[1] - corners[0], corners[2] - corners[0])
    corners[moved] = middle
    after = np.cross(corners[1] - corners[0], corners[2] - corners[0])
    return bool(before @ after < 0.3 * np.linalg.norm(before) * np.linalg.norm(after))


def flip(points, triangles):
    """Turn edges where that brings valences nearer to six and keeps the surface's shape."""
    edges, faces, opposite = sides(triangles)
    valence = np.bincount(triangles.ravel(), minlength=len(points))
    taken = set(map(tuple, np.sort(edges, axis=1).tolist()))
    (a, b), (c, d) = edges.T, opposite.T

    def gain(e):
        ends = [(valence[a[e]], -1), (valence[b[e]], -1), (valence[c[e]], 1), (valence[d[e]], 1)]
        return sum((v - 6) ** 2 - (v + change - 6) ** 2 for v, change in ends)

    gains = gain(np.arange(len(edges)))
    used, out = np.zeros(len(triangles), bool), triangles.copy()
    for e in sorted(np.flatnonzero(gains > 0), key=lambda e: -gains[e]):
        f, g = faces[e]
        p, q, r, s = a[e], b[e], c[e], d[e]
        crossing = (min(r, s), max(r, s))
        if used[f] or used[g] or gain(e) <= 0 or crossing in taken or min(valence[p], valence[q]) <= 4:
            continue
        old = _normal(points, p, q, r) + _normal(points, q, p, s)
        new = (_normal(points, r, s, q), _normal(points, s, r, p))
        if any(n @ old < 0.7 * np.linalg.norm(n) * np.linalg.norm(old) for n in new):
            continue
        out[f], out[g] = [r, s, q], [s, r, p]
        used[[f, g]] = True
        valence[[p, q]] -= 1
        valence[[r, s]] += 1
        taken.discard((min(p, q), max(p, q)))
        taken.add(crossing)
    return points, out


def _normal(points, a, b, c):
    return np.cross(points[b] - points[a], points[c] - points[a])


def remesh(points, triangles, size: Size, relax, passes: int):
    """`passes` rounds; `relax(points, triangles)` evens the mesh and lays it back on its surface."""
    for _ in range(passes):
        points, triangles = split(points, triangles, size, 1.33)
        for _ in range(2):
            points, triangles = collapse(points, triangles, size, 0.82, 1.45)
        for _ in range(2):
            points, triangles = flip(points, triangles)
        points = relax(points, triangles)
    return points, triangles
