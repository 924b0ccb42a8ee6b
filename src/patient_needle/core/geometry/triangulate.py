"""Polygons to triangles, with a map that says which face each triangle came from."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..model.mesh import Mesh
from ..model.typed import Indices, Triangles


@dataclass(frozen=True, eq=False)
class TriangleMap:
    """Triangles of a mesh and where they came from.

    triangles   (m, 3) int32 vertex indices, faces in order, winding kept
    corners     (m, 3) int32 index of each corner in `Mesh.face_corners`
    source_face (m,) int32 face index of each triangle
    """

    triangles: Triangles
    corners: Triangles
    source_face: Indices


def triangulated(mesh: Mesh) -> TriangleMap:
    """Cut every face of `mesh` into triangles.

    A convex quad is cut along its shorter diagonal; other polygons by ear clipping in their mean plane
    (G. H. Meisters, Polygons have ears, Amer. Math. Monthly 82, 1975). A face without area is cut as a fan.
    """
    starts = np.concatenate([[0], np.cumsum(mesh.face_sizes)])
    local: list[tuple[int, int, int]] = []
    source: list[int] = []
    for face in range(mesh.face_count):
        start, size = int(starts[face]), int(mesh.face_sizes[face])
        cut = [(0, 1, 2)] if size == 3 else cut_polygon(mesh.vertices[mesh.face_corners[start : start + size]])
        local.extend((start + i, start + j, start + k) for i, j, k in cut)
        source.extend([face] * len(cut))
    corners = np.array(local, np.int32).reshape(-1, 3)
    return TriangleMap(mesh.face_corners[corners].astype(np.int32), corners, np.array(source, np.int32))


def cut_polygon(points: np.ndarray) -> list[tuple[int, int, int]]:
    """Triangles (local corner indices) of one polygon, points (k, 3) in order."""
    flat, area = _mean_plane(points)
    fan = [(0, i, i + 1) for i in range(1, len(points) - 1)]
    if area <= 0.0:
        return fan
    if len(points) == 4 and _is_convex(flat):
        if np.linalg.norm(points[0] - points[2]) <= np.linalg.norm(points[1] - points[3]):
            return fan
        return [(0, 1, 3), (1, 2, 3)]
    return _ears(flat) or fan


def _mean_plane(points: np.ndarray) -> tuple[np.ndarray, float]:
    """Points in the polygon's mean plane (Newell's normal) and twice its area."""
    normal = np.cross(points, np.roll(points, -1, axis=0)).sum(axis=0)
    area = float(np.linalg.norm(normal))
    if area == 0.0:
        return points[:, :2], 0.0
    normal /= area
    across = np.cross(normal, np.eye(3)[np.argmin(np.abs(normal))])
    across /= np.linalg.norm(across)
    return np.stack([points @ across, points @ np.cross(normal, across)], axis=1), area


def _turn(a: np.ndarray, b: np.ndarray, c: np.ndarray) -> float:
    return float((b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0]))


def _is_convex(flat: np.ndarray) -> bool:
    return all(_turn(flat[i - 2], flat[i - 1], flat[i]) > 0 for i in range(len(flat)))


def _ears(flat: np.ndarray) -> list[tuple[int, int, int]]:
    """Ear clipping; an empty list when no ear is left (a polygon that crosses itself)."""
    left = list(range(len(flat)))
    cut: list[tuple[int, int, int]] = []
    while len(left) > 3:
        for i in range(len(left)):
            a, b, c = left[i - 1], left[i], left[(i + 1) % len(left)]
            if _turn(flat[a], flat[b], flat[c]) <= 0:
                continue
            others = (k for k in left if k not in (a, b, c))
            if any(_inside(flat[k], flat[a], flat[b], flat[c]) for k in others):
                continue
            cut.append((a, b, c))
            left.pop(i)
            break
        else:
            return []
    return [*cut, (left[0], left[1], left[2])]


def _inside(p: np.ndarray, a: np.ndarray, b: np.ndarray, c: np.ndarray) -> bool:
    return _turn(a, b, p) >= 0 and _turn(b, c, p) >= 0 and _turn(c, a, p) >= 0
