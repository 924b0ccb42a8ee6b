"""Which way warp and weft run in each triangle of a cloth."""

from __future__ import annotations

import numpy as np

from ..model.errors import MeshError
from ..model.mesh import Mesh
from ..model.tolerances import DEFAULT, Tolerances
from ..model.typed import Points, Triangles, Vectors
from .normals import area_vectors, unit
from .triangulate import TriangleMap


def pattern_directions(mesh: Mesh, cut: TriangleMap, tolerances: Tolerances = DEFAULT) -> Vectors | None:
    """Warp direction of each triangle (m, 3) from the UVs, or None when they are not a pattern.

    UVs are a pattern when at least 99 % of the triangles are as long in UV as in space, up to one common
    scale, within `tolerances.pattern_share`. Warp runs along v.
    """
    if len(mesh.uv_corners) == 0:
        return None
    flat = mesh.uvs[mesh.uv_corners[cut.corners]]
    solid = mesh.vertices[cut.triangles]
    flat_sides = np.linalg.norm(flat - np.roll(flat, -1, axis=1), axis=2)
    solid_sides = np.linalg.norm(solid - np.roll(solid, -1, axis=1), axis=2)
    if flat_sides.min() <= 0:
        return None
    scale = solid_sides.sum() / flat_sides.sum()
    error = np.abs(flat_sides * scale / solid_sides - 1).max(axis=1)
    if np.mean(error <= tolerances.pattern_share) < 0.99:
        return None
    e1, e2 = flat[:, 1] - flat[:, 0], flat[:, 2] - flat[:, 0]
    det = e1[:, 0] * e2[:, 1] - e1[:, 1] * e2[:, 0]
    solid1, solid2 = solid[:, 1] - solid[:, 0], solid[:, 2] - solid[:, 0]
    along_v = (-e2[:, 0, None] * solid1 + e1[:, 0, None] * solid2) / det[:, None]
    return unit(along_v)


def drawn_directions(points: Points, triangles: Triangles, direction: Vectors) -> Vectors:
    """Warp direction of each triangle (m, 3): `direction` (3,) laid onto its plane.

    Where the direction stands square to the cloth the horizontal nearest to it is taken instead.
    """
    if not np.linalg.norm(direction) > 0:
        raise MeshError("the drawn warp direction has no length", remedy="Draw it again")
    normal = unit(area_vectors(points, triangles))
    drawn = np.asarray(direction, float) / np.linalg.norm(direction)
    laid = drawn - normal * (normal @ drawn)[:, None]
    lost = np.linalg.norm(laid, axis=1) < 0.1
    if lost.any():
        other = np.eye(3)[np.argmin(np.abs(drawn))]
        laid[lost] = other - normal[lost] * (normal[lost] @ other)[:, None]
    return unit(laid)
