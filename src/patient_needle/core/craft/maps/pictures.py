"""Pictures of a map, laid over a garment by its UVs: from a picture to values and back.

A picture is grey, (h, w) from 0 to 1, its first row on top. It covers u and v from 0 to 1, v upwards.
"""

from __future__ import annotations

from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray
from scipy.ndimage import map_coordinates

from ...geometry.tree import build_tree, closest_points
from ...model.errors import ShotError
from ...model.typed import Points, Scalars
from ..garments.surface import GarmentSurface

BEYOND = 8  # pixels that a map goes on over the border of the UVs, so that no border is sampled half empty
OVERLAP = 1e-3  # share of the smaller triangle that two may share before they overlap
EDGE = 1e-6  # by which UVs may leave the picture


def laid_on(picture: NDArray[Any], surface: GarmentSurface, white: float = 1.0) -> Scalars:
    """Values (n,) from 0 to 1 that a picture (h, w) of numbers from 0 to `white` has at the garment's vertices,
    the mean of their corners.

    Between the middles of pixels linearly. `ShotError` when the garment has no UVs, when they leave the picture
    or overlap.
    """
    flat = corners(surface).reshape(-1, 2)
    height, width = picture.shape
    rows, columns = (1.0 - flat[:, 1]) * height - 0.5, flat[:, 0] * width - 0.5
    found = map_coordinates(picture, [rows, columns], np.float64, order=1, mode="nearest") / white
    vertices, count = surface.triangles.ravel(), surface.mesh.vertex_count
    met = np.maximum(np.bincount(vertices, minlength=count), 1)
    return np.bincount(vertices, found, count) / met


def picture_of(values: Scalars, surface: GarmentSurface, side: int) -> Scalars:
    """A picture (side, side) of values (n,); pixels further than BEYOND from all UVs are 0.

    Errors as of `laid_on`.
    """
    flat = corners(surface)
    points = np.concatenate([flat.reshape(-1, 2), np.zeros((3 * len(flat), 1))], axis=1)
    triangles = np.arange(len(points), dtype=np.int32).reshape(-1, 3)
    middle = (np.arange(side) + 0.5) / side
    column, row = np.meshgrid(middle, 1.0 - middle)
    queries = np.stack([column.ravel(), row.ravel(), np.zeros(side * side)], axis=1)
    reach = BEYOND / side
    triangle, barycentric, away = closest_points(build_tree(points, triangles), points, queries, reach)
    near = away <= reach
    out = np.zeros(side * side)
    corner = values[surface.triangles[triangle[near]]]
    out[near] = np.einsum("ik,ik->i", barycentric[near], corner)
    return out.reshape(side, side)


def corners(surface: GarmentSurface) -> Points:
    """UVs of each triangle's corners (m, 3, 2), which a picture can be laid over."""
    mesh, cut = surface.mesh, surface.cut
    if len(mesh.uv_corners) == 0:
        raise ShotError(
            "the garment has no UVs", remedy="Export it with its UVs, or bring the map in as PLY or USD"
        )
    flat = mesh.uvs[mesh.uv_corners[cut.corners]]
    outside = (flat < -EDGE).any(axis=(1, 2)) | (flat > 1 + EDGE).any(axis=(1, 2))
    if outside.any():
        face = int(cut.source_face[np.argmax(outside)])
        raise ShotError(
            f"the UVs of {len(np.unique(cut.source_face[outside]))} faces lie outside the picture, from 0 to 1",
            where=f"face {face}",
            remedy="Lay all UVs between 0 and 1, or bring the map in as PLY or USD",
        )
    _check_overlap(flat, surface)
    return flat


def _check_overlap(flat: Points, surface: GarmentSurface) -> None:
    shapes = np.asarray(shapely.polygons(flat))
    a, b = shapely.STRtree(shapes).query(shapes, predicate="intersects")
    a, b = a[a < b], b[a < b]
    area = np.asarray(shapely.area(shapes))
    shared = np.asarray(shapely.area(shapely.intersection(shapes[a], shapes[b])))
    over = np.flatnonzero(shared > OVERLAP * np.minimum(area[a], area[b]))
    if len(over):
        faces = sorted({int(face) for side in (a, b) for face in surface.cut.source_face[side[over]]})
        raise ShotError(
            f"the UVs of {len(faces)} faces overlap: one place of a picture would mean two of the cloth",
            where=f"faces {surface.cut.source_face[a[over[0]]]} and {surface.cut.source_face[b[over[0]]]}",
            remedy="Lay the UVs apart, or bring the map in as PLY or USD",
        )
