"""Closed thin shapes: cloth that was modelled with two faces, and the one sheet that it means."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from ..model.errors import MeshError
from ..model.mesh import Mesh
from ..model.typed import Flags, Indices, Points, Triangles
from .closed import volume
from .topology import across_edges, is_closed, triangulated
from .tree import build_tree, closest_points
from .triangles import triangle_areas, vertex_normals

THIN = 0.06  # mean thickness, as a share of the root of one side's area, up to which a shape is a sheet; ours
FACING = 2.5  # mean thicknesses within which the other side lies
OPPOSED = -0.5  # cosine between the normals of two sides
ALIKE = 0.6  # the smaller side's share of the larger one's area


@dataclass(frozen=True, eq=False)
class Sides:
    """Both sides of a closed thin shape. thickness m, its mean; first, second (m,) triangles of either side."""

    thickness: float
    first: Flags
    second: Flags


def sides_of(points: Points, triangles: Triangles) -> Sides | None:
    """The two sides of points (n, 3) m, triangles (m, 3); None for what is open, thick, or has no two sides.

    The mean thickness is twice the volume over the area. A triangle is on a side when the nearest surface that
    faces the other way lies within FACING thicknesses behind it; what is left is the rim.
    """
    if len(triangles) < 8 or not is_closed(triangles):
        return None
    areas = triangle_areas(points, triangles)
    area = float(areas.sum())
    thickness = 2 * abs(volume(points, triangles)) / area if area > 0 else 0.0
    if not 0 < thickness < THIN * np.sqrt(area / 2):
        return None
    sided = _faces_another(points, triangles, thickness)
    part = _parts(triangles, sided)
    sizes = np.bincount(part[sided], areas[sided], minlength=1)
    order = np.argsort(-sizes)
    if len(order) < 2 or sizes[order[1]] < ALIKE * sizes[order[0]] or sizes[order[:2]].sum() < 0.7 * area:
        return None
    return Sides(thickness, sided & (part == order[0]), sided & (part == order[1]))


def _faces_another(points: Points, triangles: Triangles, thickness: float) -> Flags:
    """Which triangles (m,) have another that faces away from them close behind."""
    corners = points[triangles]
    normals = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    normals /= np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-300)
    if volume(points, triangles) < 0:
        normals = -normals
    behind = corners.mean(axis=1) - thickness * normals
    nearest, _, distance = closest_points(build_tree(points, triangles), points, np.ascontiguousarray(behind))
    across = np.einsum("ij,ij->i", normals, normals[nearest])
    return np.asarray((distance < (FACING - 1) * thickness) & (across < OPPOSED))


def _parts(triangles: Triangles, chosen: Flags) -> Indices:
    """A number for each triangle (m,), the same for those that hang together over edges between chosen ones."""
    m = len(triangles)
    one, other = across_edges(triangles)
    kept = chosen[one] & chosen[other]
    beside = coo_matrix((np.ones(kept.sum()), (one[kept], other[kept])), shape=(m, m))
    return np.asarray(connected_components(beside, directed=False)[1], np.int32)


def one_sheet(mesh: Mesh) -> tuple[Mesh, float]:
    """The larger side of a closed thin mesh, moved to the middle between both, and the thickness in m.

    `MeshError` when the mesh has no two sides.
    """
    cut = triangulated(mesh)
    found = sides_of(mesh.vertices, cut.triangles)
    if found is None:
        raise MeshError(
            "it is no closed thin shape, so that no one sheet can stand for it", where=mesh.name,
            remedy="Use it as it was made",
        )  # fmt: skip
    whole = np.ones(mesh.face_count, bool)
    np.logical_and.at(whole, cut.source_face, found.first)
    normals = vertex_normals(mesh.vertices, cut.triangles[found.first])
    inwards = np.sign(volume(mesh.vertices, cut.triangles)) * found.thickness / 2
    return _part_of(mesh.with_vertices(mesh.vertices - inwards * normals), whole), found.thickness


def _part_of(mesh: Mesh, faces: Flags) -> Mesh:
    """The faces that are chosen (f,), and their vertices, in their order."""
    kept = np.repeat(faces, mesh.face_sizes)
    used, corners = np.unique(mesh.face_corners[kept], return_inverse=True)
    uv_corners, uvs = mesh.uv_corners, mesh.uvs
    if len(uv_corners):
        used_uvs, numbered = np.unique(uv_corners[kept], return_inverse=True)
        uvs, uv_corners = uvs[used_uvs], numbered.astype(np.int32)
    number = np.cumsum(faces) - 1
    groups = {name: number[members[faces[members]]].astype(np.int32) for name, members in mesh.groups.items()}
    return Mesh(
        mesh.name, mesh.vertices[used], mesh.face_sizes[faces], corners.astype(np.int32), uvs,
        uv_corners, {name: members for name, members in groups.items() if len(members)},
    )  # fmt: skip
