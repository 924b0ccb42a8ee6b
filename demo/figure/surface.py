"""The figure's surface: one closed, symmetric, graded triangle mesh of about 10,000 triangles."""

from __future__ import annotations

from dataclasses import dataclass

import fast_simplification
import numpy as np
from scipy import sparse
from scipy.ndimage import map_coordinates, spline_filter
from skimage.measure import marching_cubes

from . import profiles as shape
from .field import ABOVE_ARM, ALONG_ARM, SHOULDER, Grid, build_field
from .remesh import remesh


@dataclass(frozen=True, eq=False)
class Surface:
    """vertices (n, 3) m, triangles (m, 3), and for each vertex its mirror image, (n,)."""

    vertices: np.ndarray
    triangles: np.ndarray
    mirror: np.ndarray


class Field:
    """The distance field with smooth values and slopes anywhere."""

    def __init__(self, grid: Grid, values: np.ndarray) -> None:
        self._grid = grid
        self._spline = spline_filter(values, order=3)

    def value(self, points: np.ndarray) -> np.ndarray:
        at = ((points - self._grid.origin) / self._grid.spacing).T
        return map_coordinates(self._spline, at, order=3, prefilter=False, mode="nearest")

    def slope(self, points: np.ndarray, reach: float = 0.003) -> np.ndarray:
        return np.stack(
            [
                (self.value(points + step) - self.value(points - step)) / (2 * reach)
                for step in np.eye(3) * reach
            ],
            -1,
        )

    def laid_on(self, points: np.ndarray, middle: np.ndarray | None = None) -> np.ndarray:
        """Points moved onto the surface; those in `middle` keep x = 0."""
        for _ in range(3):
            slope = self.slope(points)
            if middle is not None:
                slope[middle, 0] = 0
            length2 = np.maximum((slope**2).sum(1), 1e-3)
            points = points - (self.value(points) / length2)[:, None] * slope
        return points

    def relaxed(self, points, triangles, rounds, share, middle=None):
        """Each vertex toward the mean of its neighbours along the surface, then back onto it."""
        ends = np.concatenate([triangles[:, [0, 1]], triangles[:, [1, 2]], triangles[:, [2, 0]]])
        ends = np.concatenate([ends, ends[:, ::-1]])
        near = sparse.coo_matrix((np.ones(len(ends)), ends.T), (len(points),) * 2).tocsr()
        near.data[:] = 1
        counts = np.asarray(near.sum(1))
        for _ in range(rounds):
            pull = (near @ points) / counts - points
            normal = self.slope(points)
            normal /= np.linalg.norm(normal, axis=1, keepdims=True)
            points = points + share * (pull - normal * (pull * normal).sum(1, keepdims=True))
            if middle is not None:
                points[middle, 0] = 0
            points = self.laid_on(points, middle)
        return points


WIDEST = 0.0255
# Where the mesh is finer: centre, radius of full fineness, edge length, all m. Fineness fades over 0.1 m.
_ELBOW = SHOULDER + ALONG_ARM * shape.UPPER_ARM
_WRIST = _ELBOW + ALONG_ARM * shape.FOREARM
FINER = (
    (SHOULDER, 0.07, 0.0190), ((0.13, 1.38, -0.03), 0.07, 0.0190), (_ELBOW, 0.05, 0.0175),
    (_WRIST + ALONG_ARM * 0.10, 0.05, 0.0110), (_WRIST + ALONG_ARM * 0.185, 0.045, 0.0075),
    (_WRIST + ALONG_ARM * 0.09 + ABOVE_ARM * 0 + np.array([0, 0, 0.06]), 0.025, 0.0085),
    (_WRIST, 0.03, 0.0125), ((0.09, 0.86, 0.0), 0.09, 0.0205), ((0.092, 0.49, -0.005), 0.07, 0.0185),
    ((0.101, 0.03, 0.03), 0.12, 0.0160), ((0.118, 0.02, 0.155), 0.04, 0.0105),
    ((0.0, 1.595, 0.095), 0.03, 0.0105), ((0.0, 1.62, 0.0), 0.10, 0.0165), ((0.0, 1.45, -0.02), 0.06, 0.0195),
)  # fmt: skip


def sizes(points: np.ndarray) -> np.ndarray:
    """Wanted edge length at each point, m."""
    folded = points * [1, 1, 1]
    folded[:, 0] = np.abs(folded[:, 0])
    out = np.full(len(points), WIDEST)
    for centre, radius, fine in FINER:
        away = np.clip((np.linalg.norm(folded - np.array(centre), axis=1) - radius) / 0.10, 0, 1)
        out = np.minimum(out, fine + (WIDEST - fine) * away * away * (3 - 2 * away))
    return out


def build_surface() -> Surface:
    """March, decimate, remesh, then make one half and mirror it."""
    grid, values = build_field()
    field = Field(grid, values)
    points, triangles, _, _ = marching_cubes(values, 0.0, spacing=(grid.spacing,) * 3)
    points, triangles = fast_simplification.simplify(
        (points + grid.origin).astype(np.float64), triangles.astype(np.int32), target_count=18000
    )
    points, triangles = remesh(
        np.asarray(points, float), np.asarray(triangles, np.int64), sizes,
        lambda p, t: field.relaxed(p, t, 4, 0.5), 9,
    )  # fmt: skip
    points = field.relaxed(points, triangles, 8, 0.4)
    return _outward(_mirrored(points, triangles, field))


def _outward(surface: Surface) -> Surface:
    a, b, c = (surface.vertices[surface.triangles[:, k]] for k in range(3))
    if np.einsum("ij,ij->", a, np.cross(b, c)) > 0:
        return surface
    return Surface(surface.vertices, surface.triangles[:, ::-1].copy(), surface.mirror)


def _mirrored(points: np.ndarray, triangles: np.ndarray, field: Field) -> Surface:
    middle = np.abs(points[:, 0]) < 0.42 * sizes(points)
    points = points.copy()
    points[middle, 0] = 0
    points = field.laid_on(points, middle)
    points[middle, 0] = 0
    points, triangles = _left_half(points, triangles, np.where(middle, 0, np.sign(points[:, 0])))
    middle = np.abs(points[:, 0]) < 1e-9
    points[middle] = field.laid_on(points[middle], np.ones(middle.sum(), bool))
    count = len(points)
    mirror = np.arange(count)
    mirror[~middle] = count + np.arange((~middle).sum())
    both = np.vstack([points, points[~middle] * [-1, 1, 1]])
    faces = np.vstack([triangles, mirror[triangles][:, ::-1]])
    pair = np.concatenate([mirror, np.flatnonzero(~middle)])
    on_middle = np.concatenate([middle, np.zeros(len(both) - count, bool)])
    both = field.relaxed(both, faces, 12, 0.4, on_middle)
    both = (both + both[pair] * [-1, 1, 1]) / 2
    both[:, 1] = np.maximum(both[:, 1], 0)
    return Surface(both, faces, pair)


def _left_half(points, triangles, side):
    """The part of a surface with x >= 0, faces that cross the middle cut there."""
    new, cuts, out = list(points), {}, []

    def cut(i: int, j: int) -> int:
        key = (min(i, j), max(i, j))
        if key not in cuts:
            share = points[i, 0] / (points[i, 0] - points[j, 0])
            cuts[key] = len(new)
            new.append((points[i] + share * (points[j] - points[i])) * [0, 1, 1])
        return cuts[key]

    for triangle in triangles:
        if (side[triangle] <= 0).all():
            continue
        polygon = []
        for i in range(3):
            a, b = int(triangle[i]), int(triangle[(i + 1) % 3])
            if side[a] >= 0:
                polygon.append(a)
            if side[a] * side[b] < 0:
                polygon.append(cut(a, b))
        out += [[polygon[0], polygon[i], polygon[i + 1]] for i in range(1, len(polygon) - 1)]
    used, out = np.unique(np.array(out), return_inverse=True)
    return np.array(new)[used], out.reshape(-1, 3)
