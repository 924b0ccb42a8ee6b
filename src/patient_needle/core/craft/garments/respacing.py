"""A garment's mesh at another spacing: what it is drawn with goes along."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from ...geometry.remeshing import remeshed
from ...geometry.topology import across_edges, triangulated
from ...geometry.tree import build_tree, closest_points
from ...geometry.triangles import triangle_areas
from ...model.errors import MeshError
from ...model.mesh import Mesh, TriangleMap
from ...model.typed import Indices, Points, Scalars, Triangles, Vectors
from .rings import MOST_VERTICES


def respaced(mesh: Mesh, size: Scalars) -> Mesh:
    """The mesh in even triangles of edges as long as `size` (n,) m says at its vertices.

    Borders, sharp folds, lines between face groups and seams of the UVs are kept; groups and UVs go along.
    `MeshError` for more vertices than MOST_VERTICES, a size larger than the mesh, or an edge with more than two
    triangles.
    """
    cut = triangulated(mesh)
    _check(mesh, cut, size)
    region, members = _regions(mesh, cut)
    made = remeshed(mesh.vertices, cut.triangles, region, size)
    groups = {
        name: np.flatnonzero(np.isin(made.region, np.flatnonzero(members[:, k]))).astype(np.int32)
        for k, name in enumerate(mesh.groups)
    }
    uvs, uv_corners = _uvs(mesh, cut, region, made.points, made.triangles, made.region)
    count = len(made.triangles)
    return Mesh(
        mesh.name, made.points, np.full(count, 3, np.int32), made.triangles.ravel(), uvs, uv_corners, groups
    )


def _check(mesh: Mesh, cut: TriangleMap, size: Scalars) -> None:
    areas = triangle_areas(mesh.vertices, cut.triangles)
    count = float((areas / (0.866 * size[cut.triangles].mean(axis=1) ** 2)).sum())
    finest = float(size.min())
    if count > MOST_VERTICES:
        enough = finest * np.sqrt(count / MOST_VERTICES)
        raise MeshError(
            f"a spacing of {finest * 1e3:g} mm gives about {count:,.0f} vertices, more than {MOST_VERTICES:,}",
            where=mesh.name, remedy=f"Give at least {np.ceil(enough * 1e4) / 10:g} mm",
        )  # fmt: skip
    longest = float(np.ptp(mesh.vertices, axis=0).max())
    if finest > longest / 2:
        raise MeshError(
            f"a spacing of {finest * 1e3:g} mm is more than half of the garment's {longest * 1e3:.0f} mm",
            where=mesh.name, remedy=f"Give at most {np.floor(longest * 500):g} mm",
        )  # fmt: skip


def _regions(mesh: Mesh, cut: TriangleMap) -> tuple[Indices, np.ndarray]:
    """Region (m,) of each triangle, within which groups and UVs do not change, and which groups (r, g) each of
    them is in.
    """
    within = np.zeros((mesh.face_count, len(mesh.groups)), bool)
    for k, faces in enumerate(mesh.groups.values()):
        within[faces, k] = True
    of_triangle = within[cut.source_face]
    keyed = np.concatenate([of_triangle, _charts(mesh, cut)[:, None]], axis=1).astype(np.int64)
    kinds, region = np.unique(keyed, axis=0, return_inverse=True)
    return region.ravel().astype(np.int32), kinds[:, :-1] > 0


def _charts(mesh: Mesh, cut: TriangleMap) -> Indices:
    """Which part of the UVs (m,) each triangle is in: parts meet where an edge has two places in the UVs."""
    count = len(cut.triangles)
    if len(mesh.uv_corners) == 0:
        return np.zeros(count, np.int32)
    one, other = across_edges(cut.triangles)
    uv = mesh.uv_corners[cut.corners]

    def places(mine: Indices, theirs: Indices) -> Indices:
        """UV corners (k, 3) of triangles, by the vertex of their own; -1 for the vertex the other has not."""
        shared = (cut.triangles[mine][:, :, None] == cut.triangles[theirs][:, None, :]).any(axis=2)
        order = np.argsort(np.where(shared, cut.triangles[mine], np.iinfo(np.int32).max), axis=1)
        return np.take_along_axis(np.where(shared, uv[mine], -1), order, axis=1)

    same = (places(one, other) == places(other, one)).all(axis=1)
    beside = coo_matrix((np.ones(same.sum()), (one[same], other[same])), shape=(count, count))
    return np.asarray(connected_components(beside, directed=False)[1], np.int32)


def _uvs(
    mesh: Mesh, cut: TriangleMap, region: Indices, points: Points, triangles: Triangles, new_region: Indices
) -> tuple[Vectors, Indices]:
    """UVs (u, 2) and their corners (3 m,) of a new mesh, read off the old one within each region."""
    if len(mesh.uv_corners) == 0:
        return np.zeros((0, 2)), np.zeros(0, np.int32)
    uv = mesh.uvs[mesh.uv_corners[cut.corners]]
    found, corners, start = [], np.zeros((len(triangles), 3), np.int32), 0
    for one in np.unique(new_region).tolist():
        mine, old = np.flatnonzero(new_region == one), np.flatnonzero(region == one).astype(np.int32)
        used, local = np.unique(triangles[mine], return_inverse=True)
        tree = build_tree(mesh.vertices, cut.triangles[old])
        on, weights, _ = closest_points(tree, mesh.vertices, np.ascontiguousarray(points[used]))
        found.append(np.einsum("ik,ikj->ij", weights, uv[old[on]]))
        corners[mine] = local.reshape(-1, 3) + start
        start += len(used)
    return np.concatenate(found), corners.ravel().astype(np.int32)


def vertices_at(areas: Sequence[float], spacing: float) -> int:
    """About how many vertices cloth of these areas m2 has at a spacing m: two triangles to each."""
    return round(sum(areas) / (0.866 * spacing**2))
