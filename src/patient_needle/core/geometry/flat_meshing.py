"""Even triangles over a flat piece of cloth, finer where a size says so."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import shapely
from numba import njit
from scipy.spatial import Delaunay

from ..model.errors import MeshError
from ..model.typed import Flags, Indices, Points, Scalars, Triangles, Vectors
from .topology import edge_codes

Size = Callable[[Vectors], Scalars]
APART = 0.78  # of the size: darts this far apart have as many points to an area as triangles of that edge
OFF_BORDER = 0.70  # of the size, the nearest that an inner point begins to the border
ROUNDS = 14  # of evening out
PULL = 0.9  # of the way to the middle of a point's triangles in each round
KEEP_TRYING = 8
SLIVER = 1e-7  # of the squared size: less area is a triangle between border points in one line


@dataclass(frozen=True, eq=False)
class FlatMesh:
    """points (n, 2) m, of which the first `border` are the piece's outline in order; triangles (m, 3) int32,
    counter-clockwise.
    """

    points: Vectors
    triangles: Triangles
    border: int


def even_mesh(outline: Vectors, size: Size) -> FlatMesh:
    """Delaunay triangles of a piece whose outline (k, 2) m, counter-clockwise, is already cut into edges.

    size   points (q, 2) -> (q,) m, the edge length wanted there

    Inner points are thrown as darts in one fixed order, then drawn to the middles of their triangles, which a
    size that varies weighs by its inverse fourth power (Q. Du, V. Faber and M. Gunzburger, Centroidal Voronoi
    tessellations, 1999). The same input gives the same bits. `MeshError` for an outline that crosses itself, or
    that runs so close to itself that no triangles fit.
    """
    piece = shapely.Polygon(outline)
    if not piece.is_valid or piece.area <= 0:
        reason = shapely.is_valid_reason(piece)
        raise MeshError(f"the outline of a piece is no simple line: {reason}", remedy="Draw it again")
    fixed = outline
    shapely.prepare(piece)
    inner = _darts(piece, fixed, size)
    for _ in range(ROUNDS if len(inner) else 0):
        points = np.concatenate([fixed, inner])
        triangles = _inside(points, piece)
        inner = _evened(points, triangles, size)[len(fixed) :]
        inner = inner[shapely.contains_xy(piece, inner[:, 0], inner[:, 1])]
    for _ in range(KEEP_TRYING):
        points = np.concatenate([fixed, inner])
        triangles = _inside(points, piece)
        crowding = _crowding(points, triangles, len(outline), len(fixed))
        if not crowding.any():
            return FlatMesh(*_without_loose(points, triangles, len(fixed)), len(outline))
        inner = inner[~crowding[len(fixed) :]]
    raise MeshError(
        "a piece runs so close to itself that its border cannot be kept",
        where=f"near ({outline[0, 0] * 1e3:.0f}, {outline[0, 1] * 1e3:.0f}) mm",
        remedy="Give a smaller spacing",
    )


def _darts(piece: shapely.Polygon, fixed: Vectors, size: Size) -> Vectors:
    """Inner points (q, 2), as near to each other as the size says, in rows where it is even."""
    low, high = fixed.min(axis=0), fixed.max(axis=0)
    finest = float(size(fixed).min())
    coarse = np.stack(np.meshgrid(*(np.linspace(a, b, 40) for a, b in zip(low, high, strict=True))), -1)
    coarse = coarse.reshape(-1, 2)
    coarse = coarse[shapely.contains_xy(piece, coarse[:, 0], coarse[:, 1])]
    sizes = size(coarse) if len(coarse) else np.array([finest])
    even = np.allclose(sizes, finest, rtol=1e-6) and np.allclose(size(fixed), finest, rtol=1e-6)
    step = finest * (1.0 if even else 0.5)
    rows = np.arange(low[1] + 0.433 * step, high[1], step * np.sqrt(0.75))
    columns = np.arange(low[0], high[0] + step, step)
    at = np.stack(np.meshgrid(columns, rows), -1)
    at[1::2, :, 0] -= 0.5 * step
    places = at.reshape(-1, 2)
    places = places[shapely.contains_xy(piece, places[:, 0], places[:, 1])]
    if len(places) == 0:
        return places
    wanted = size(places)
    kept = _thrown(
        np.concatenate([fixed, places]), np.concatenate([size(fixed), wanted]), len(fixed), OFF_BORDER,
        0.0 if even else APART,
    )  # fmt: skip
    return places[kept[len(fixed) :]]


@njit(cache=True)
def _thrown(points, sizes, fixed, off_border, apart):
    """Which points (n,) stay: the first `fixed`, then each that lies far enough from all before it."""
    count = len(points)
    cell = sizes.max()
    low0, low1 = points[:, 0].min(), points[:, 1].min()
    wide = int((points[:, 0].max() - low0) / cell) + 1
    high = int((points[:, 1].max() - low1) / cell) + 1
    head = np.full(wide * high, -1, np.int64)
    after = np.full(count, -1, np.int64)
    kept = np.zeros(count, np.bool_)
    for p in range(count):
        column, row = int((points[p, 0] - low0) / cell), int((points[p, 1] - low1) / cell)
        free = True
        if p >= fixed:
            for r in range(max(0, row - 1), min(high, row + 2)):
                for c in range(max(0, column - 1), min(wide, column + 2)):
                    q = head[r * wide + c]
                    while q >= 0 and free:
                        d0, d1 = points[p, 0] - points[q, 0], points[p, 1] - points[q, 1]
                        away = (off_border if q < fixed else apart) * min(sizes[p], sizes[q])
                        if d0 * d0 + d1 * d1 < away * away:
                            free = False
                        q = after[q]
        if free:
            kept[p] = True
            after[p] = head[row * wide + column]
            head[row * wide + column] = p
    return kept


def _inside(points: Vectors, piece: shapely.Polygon) -> Triangles:
    """Delaunay triangles (m, 3) within the piece, counter-clockwise."""
    found = Delaunay(points).simplices.astype(np.int32)
    corners = points[found]
    e1, e2 = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    twice = e1[:, 0] * e2[:, 1] - e1[:, 1] * e2[:, 0]
    found[twice < 0] = found[twice < 0][:, ::-1]
    middle = corners.mean(axis=1)
    longest = np.maximum((e1**2).sum(axis=1), (e2**2).sum(axis=1))
    within = (np.abs(twice) > SLIVER * longest) & shapely.contains_xy(piece, middle[:, 0], middle[:, 1])
    return np.ascontiguousarray(found[within])


def _evened(points: Vectors, triangles: Triangles, size: Size) -> Vectors:
    """Each point towards the middle of its triangles, weighed by area over size to the fourth."""
    corners = points[triangles]
    middle = corners.mean(axis=1)
    e1, e2 = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    weight = (e1[:, 0] * e2[:, 1] - e1[:, 1] * e2[:, 0]) / size(middle) ** 4
    count, at = len(points), triangles.ravel()
    total = np.bincount(at, np.repeat(weight, 3), count)
    drawn = np.stack(
        [np.bincount(at, np.repeat(weight * middle[:, axis], 3), count) for axis in (0, 1)], axis=1
    )
    mean = drawn / np.where(total > 0, total, 1.0)[:, None]
    return np.where((total > 0)[:, None], points + PULL * (mean - points), points)


def _crowding(points: Vectors, triangles: Triangles, border: int, fixed: int) -> Flags:
    """Which points (n,) keep an edge of the border from being one of a triangle."""
    ends = np.stack([np.arange(border), np.roll(np.arange(border), -1)], axis=1).astype(np.int32)
    missing = ends[~np.isin(edge_codes(ends, len(points)), edge_codes(_edges(triangles), len(points)))]
    out = np.zeros(len(points), bool)
    for a, b in missing:
        middle, radius = (points[a] + points[b]) / 2, np.linalg.norm(points[a] - points[b]) / 2
        out |= np.linalg.norm(points - middle, axis=1) < 1.05 * radius
    out[:fixed] = False
    if len(missing) and not out.any():
        raise MeshError(
            "two borders of a piece are closer to each other than its spacing",
            where=f"near ({points[missing[0, 0], 0] * 1e3:.0f}, {points[missing[0, 0], 1] * 1e3:.0f}) mm",
            remedy="Give a smaller spacing",
        )
    return out


def _without_loose(points: Vectors, triangles: Triangles, fixed: int) -> tuple[Vectors, Triangles]:
    """The mesh without inner points that no triangle has."""
    used = np.zeros(len(points), bool)
    used[triangles] = True
    used[:fixed] = True
    number = np.cumsum(used) - 1
    return points[used], number[triangles].astype(np.int32)


def _edges(triangles: Triangles) -> Indices:
    return np.stack([triangles, np.roll(triangles, -1, axis=1)], axis=2).reshape(-1, 2)


def evenly_along(line: Points, spacing: float) -> Points:
    """A line (k, 2) or (k, 3) m cut into edges as near to the spacing as whole ones are, its ends kept."""
    along = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(line, axis=0), axis=1))])
    count = max(1, round(along[-1] / spacing))
    at = np.linspace(0.0, along[-1], count + 1)
    return np.stack([np.interp(at, along, line[:, axis]) for axis in range(line.shape[1])], axis=1)
