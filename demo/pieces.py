"""Closed simple solids for sets and props: boxes and turned posts, cut into even triangles."""

from __future__ import annotations

from itertools import pairwise

import numpy as np


def box(low, high, spacing: float):
    """Vertices and quads of a closed box."""
    low, high = np.array(low, float), np.array(high, float)
    counts = np.maximum(1, np.round((high - low) / spacing)).astype(int)
    index: dict[tuple[int, ...], int] = {}
    points, faces = [], []

    def vertex(key: tuple[int, ...]) -> int:
        if key not in index:
            index[key] = len(points)
            points.append(low + (high - low) * np.array(key) / counts)
        return index[key]

    for axis in range(3):
        u, v = (axis + 1) % 3, (axis + 2) % 3
        for end in (0, counts[axis]):
            for i in range(counts[u]):
                for j in range(counts[v]):
                    corners = []
                    for a, b in ((0, 0), (1, 0), (1, 1), (0, 1)):
                        key = [0, 0, 0]
                        key[axis], key[u], key[v] = int(end), i + a, j + b
                        corners.append(vertex(tuple(key)))
                    faces.append(corners if end else corners[::-1])
    return np.array(points), faces


def turned_post(profile, sides: int):
    """A closed solid turned about the y axis; profile rows (height, radius), rising, radius > 0 inside."""
    rings, points = [], []
    for height, radius in profile:
        turn = np.arange(sides) / sides * 2 * np.pi
        rings.append(len(points) + np.arange(sides))
        points += [(radius * np.sin(t), height, radius * np.cos(t)) for t in turn]
    bottom, top = len(points), len(points) + 1
    points += [(0, profile[0][0], 0), (0, profile[-1][0], 0)]
    faces = []
    for lower, upper in pairwise(rings):
        for i in range(sides):
            k = (i + 1) % sides
            faces.append([int(lower[i]), int(lower[k]), int(upper[k]), int(upper[i])])
    for i in range(sides):
        k = (i + 1) % sides
        faces.append([bottom, int(rings[0][k]), int(rings[0][i])])
        faces.append([top, int(rings[-1][i]), int(rings[-1][k])])
    return np.array(points, float), faces


def triangles(faces) -> np.ndarray:
    """Faces as triangles, quads as fans."""
    return np.array([[f[0], f[k], f[k + 1]] for f in faces for k in range(1, len(f) - 1)])
