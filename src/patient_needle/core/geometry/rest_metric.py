"""The rest metric of a cloth: from a surface made as it lies, or from flat pieces that are sewn together."""

from __future__ import annotations

import numpy as np

from ..model.errors import MeshError
from ..model.garment import GarmentShape, RestMetric
from ..model.mesh import Mesh, Topology, TriangleMap
from ..model.tolerances import DEFAULT, Tolerances
from ..model.typed import Indices, Points, Scalars, Triangles, Vectors
from .closed import volume
from .topology import build_topology, check_triangles
from .triangles import area_vectors, dihedral_angles, flat_areas, flat_bending_rows, triangle_areas, unit


def metric_of_surface(points: Points, topology: Topology, warp: Vectors) -> RestMetric:
    """A cloth at rest as it lies at points (n, 3) m; warp (m, 3) unit vectors in the triangles' planes."""
    triangles, edges, hinges = topology.triangles, topology.edges, topology.hinges
    along = points[hinges[:, 1]] - points[hinges[:, 0]]
    squares = np.einsum("ij,ij->i", along, along)
    near = warp[topology.sides.min(axis=1)]
    return RestMetric(
        corners=_laid_flat(points, topology, warp),
        areas=triangle_areas(points, triangles),
        edge_lengths=np.linalg.norm(points[edges[:, 0]] - points[edges[:, 1]], axis=1),
        hinge_squares=squares,
        hinge_warp=np.einsum("ij,ij->i", along, near) ** 2 / squares,
        hinge_areas=_side_areas(points, hinges),
        hinge_rows=flat_bending_rows(points, hinges),
        folds=dihedral_angles(points, hinges),
        volume=volume(points, triangles),
    )


def shape_of_triangles(name: str, points: Points, triangles: Triangles, warp: Vectors) -> GarmentShape:
    """A garment of bare triangles (m, 3) that is at rest as it lies at points (n, 3) m; warp (m, 3).

    `MeshError` for triangles that are no cloth.
    """
    check_triangles(points, triangles, name=name)
    count = len(triangles)
    topology = build_topology(triangles, len(points), name=name)
    surface = Mesh(name, points, np.full(count, 3, np.int32), triangles.ravel())
    return GarmentShape(
        name, topology, metric_of_surface(points, topology, warp), points, points, surface,
        np.arange(count, dtype=np.int32), "drawn direction",
    )  # fmt: skip


def metric_of_pieces(corners: Vectors, topology: Topology, folds: Scalars | None = None) -> RestMetric:
    """A cloth sewn of flat pieces: corners (m, 3, 2) m of each triangle in its own piece, along weft and warp.

    folds (h,) rad it is made with, flat if left out. The two sides of an edge need not be equally long: each
    triangle stretches from its own, and the edge and its hinge take their mean. `MeshError` for corners that do
    not fit the triangles, or a triangle without area.
    """
    count = len(topology.triangles)
    if corners.shape != (count, 3, 2) or not np.isfinite(corners).all():
        raise MeshError(f"a rest metric of shape {corners.shape} does not fit {count} triangles")
    areas = flat_areas(corners)
    _check_areas(corners, areas)
    sides = [_hinge_in(corners, topology, side) for side in (0, 1)]
    along = np.stack([hinge[:, 1] - hinge[:, 0] for hinge in sides])  # (2, h, 2)
    lengths = np.linalg.norm(along, axis=2)
    cotangents = [(_cotangent(s, 0, 1), _cotangent(s, 1, 0)) for s in sides]
    (ac, bc), (ad, bd) = cotangents
    hinge_areas = areas[topology.sides] if len(topology.hinges) else np.zeros((0, 2))
    return RestMetric(
        corners=np.ascontiguousarray(corners, np.float64),
        areas=areas,
        edge_lengths=_edge_lengths(corners, topology),
        hinge_squares=lengths.mean(axis=0) ** 2,
        hinge_warp=(along[:, :, 1] ** 2 / lengths**2).mean(axis=0),
        hinge_areas=hinge_areas,
        hinge_rows=np.stack([bc + bd, ac + ad, -(ac + bc), -(ad + bd)], axis=1),
        folds=np.zeros(len(topology.hinges)) if folds is None else folds,
        volume=0.0,
    )


def _laid_flat(points: Points, topology: Topology, warp: Vectors) -> Vectors:
    """Each triangle's corners (m, 3, 2) m in its own plane, its first at the origin."""
    corners = points[topology.triangles]
    e1, e2 = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    weft = np.cross(warp, unit(np.cross(e1, e2)))
    flat = np.zeros((len(corners), 3, 2))
    for corner, edge in ((1, e1), (2, e2)):
        flat[:, corner, 0] = np.einsum("ij,ij->i", edge, weft)
        flat[:, corner, 1] = np.einsum("ij,ij->i", edge, warp)
    return flat


def _side_areas(points: Points, hinges: Indices) -> Vectors:
    """Area (h, 2) m2 of the triangle left and right of each hinge."""
    out = np.zeros((len(hinges), 2))
    for side in (0, 1):
        a, b, c = (points[hinges[:, k]] for k in (0, 1, 2 + side))
        out[:, side] = np.linalg.norm(np.cross(b - a, c - a), axis=1) / 2
    return out


def _hinge_in(corners: Vectors, topology: Topology, side: int) -> Vectors:
    """Ends a, b and the opposite vertex (h, 3, 2) m of each hinge in the flat triangle on one side of it."""
    triangles, hinges = topology.triangles, topology.hinges
    of = topology.sides[:, side]
    out = np.zeros((len(hinges), 3, 2))
    for place, vertex in enumerate((0, 1, 2 + side)):
        at = np.argmax(triangles[of] == hinges[:, vertex, None], axis=1)
        out[:, place] = corners[of, at]
    return out


def _cotangent(hinge: Vectors, at: int, other: int) -> Scalars:
    u, v = hinge[:, other] - hinge[:, at], hinge[:, 2] - hinge[:, at]
    return np.asarray(np.einsum("ij,ij->i", u, v) / np.abs(u[:, 0] * v[:, 1] - u[:, 1] * v[:, 0]))


def _edge_lengths(corners: Vectors, topology: Topology) -> Scalars:
    """(e,) m, the mean over the triangles of each edge."""
    triangles, edges = topology.triangles, topology.edges
    ends = np.stack([triangles, np.roll(triangles, -1, axis=1)], axis=2).reshape(-1, 2)
    length = np.linalg.norm(corners - np.roll(corners, -1, axis=1), axis=2).ravel()
    count = np.int64(topology.vertex_count)
    code = np.sort(ends, axis=1).astype(np.int64) @ [count, 1]
    at = np.searchsorted(edges.astype(np.int64) @ [count, 1], code)
    return np.bincount(at, length, len(edges)) / np.bincount(at, minlength=len(edges))


def _check_areas(corners: Vectors, areas: Scalars, tolerances: Tolerances = DEFAULT) -> None:
    longest = ((corners - np.roll(corners, -1, axis=1)) ** 2).sum(axis=2).max(axis=1)
    flat = areas <= tolerances.zero_area_share * longest
    if flat.any():
        raise MeshError(
            f"{int(flat.sum())} triangles have no area at rest",
            where=f"triangle {int(np.argmax(flat))}",
            remedy="Cut the piece again",
        )


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
