"""Stick anchors: where on what it touches each cloth vertex holds on.

An anchor is a material point of a triangle of a collider or of cloth; a vertex may have one on each of its
sides, entry side * n + v being that of vertex v. Friction pulls the vertex back to it with at most
the Coulomb limit; a vertex that slips drags its anchor along, one that sticks keeps it, so that nothing
creeps. Source: return mapping of elastoplastic friction, P. Wriggers, Computational Contact Mechanics, 2006.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..geometry.triangles import lengths, unit
from ..model.typed import Indices, Points, Scalars, Triangles, Vectors


@dataclass(frozen=True, eq=False)
class Anchors:
    """triangle (a,) int32 carrier, -1 for none; coordinates (a, 4) of the point in its frame.

    The first three are barycentric (they sum to 1 and may be negative), the last the height in m.
    """

    triangle: Indices
    coordinates: Vectors

    @staticmethod
    def none(count: int) -> Anchors:
        """`count` places for anchors, all of them empty."""
        return Anchors(np.full(count, -1, np.int32), np.zeros((count, 4)))


def anchor_points(anchors: Anchors, points: Points, carriers: Triangles) -> Points:
    """Positions (a, 3) m of the anchors when the scene is at `points`; 0 where there is none."""
    out = np.zeros((len(anchors.triangle), 3))
    held = anchors.triangle >= 0
    corners = points[carriers[anchors.triangle[held]]]
    barycentric = anchors.coordinates[held, :3]
    height = anchors.coordinates[held, 3:]
    out[held] = np.einsum("ik,ikj->ij", barycentric, corners) + height * _normals(corners)
    return out


def placed(triangle: Indices, targets: Points, points: Points, carriers: Triangles) -> Anchors:
    """Anchors at `targets` (a, 3) m on the given carriers (a,), -1 for none."""
    coordinates = np.zeros((len(triangle), 4))
    held = triangle >= 0
    corners = points[carriers[triangle[held]]]
    normal = _normals(corners)
    e1, e2 = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    offset = targets[held] - corners[:, 0]
    d11, d12, d22 = _dot(e1, e1), _dot(e1, e2), _dot(e2, e2)
    r1, r2 = _dot(offset, e1), _dot(offset, e2)
    det = np.maximum(d11 * d22 - d12 * d12, 1e-300)
    v, w = (d22 * r1 - d12 * r2) / det, (d11 * r2 - d12 * r1) / det
    coordinates[held] = np.stack([1 - v - w, v, w, _dot(offset, normal)], axis=1)
    return Anchors(triangle.astype(np.int32), coordinates)


def with_newcomers(
    anchors: Anchors, nearest: Indices, points: Points, carriers: Triangles, cloth_count: int
) -> Anchors:
    """Anchors with one more for every vertex near something it has none on, where it stands now.

    nearest (a,) int32 carrier near each vertex or -1; points (all, 3) m at the substep's start.
    """
    fresh = np.where((anchors.triangle < 0) & (nearest >= 0), nearest, -1)
    new = placed(fresh, _per_side(points[:cloth_count], len(nearest)), points, carriers)
    return Anchors(
        np.where(fresh >= 0, new.triangle, anchors.triangle).astype(np.int32),
        np.where((fresh >= 0)[:, None], new.coordinates, anchors.coordinates),
    )


def after_slip(
    anchors: Anchors,
    nearest: Indices,
    points: Points,
    carriers: Triangles,
    push: Vectors,
    limit: Scalars,
    cloth_count: int,
) -> Anchors:
    """Anchors after a substep that ended at `points` (all, 3) m.

    push (a, 3) N, contact force on each vertex from each side; limit (a,) m, the furthest a vertex may be from
    its anchor along the surface before it slips. A vertex without push lets go.
    """
    touching = np.flatnonzero((anchors.triangle >= 0) & (_dot(push, push) > 0))
    held = Anchors(anchors.triangle[touching], anchors.coordinates[touching])
    x, normal = points[touching % cloth_count], unit(push[touching])
    offset = x - anchor_points(held, points, carriers)
    along = offset - normal * _dot(offset, normal)[:, None]
    length = lengths(along)
    slips = length > limit[touching]
    share = np.where(slips, limit[touching] / np.where(length > 0, length, 1.0), 1.0)
    on = np.where(slips & (nearest[touching] >= 0), nearest[touching], held.triangle)
    moved = placed(np.where(slips, on, -1), x - share[:, None] * along, points, carriers)
    triangle, coordinates = np.full(len(limit), -1, np.int32), anchors.coordinates.copy()
    triangle[touching] = on
    coordinates[touching[slips]] = moved.coordinates[slips]
    return Anchors(triangle, coordinates)


def _per_side(points: Points, anchors: int) -> Points:
    return np.tile(points, (anchors // len(points), 1))


def _normals(corners: Points) -> Vectors:
    return unit(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]))


def _dot(a: Vectors, b: Vectors) -> Scalars:
    return np.einsum("ij,ij->i", a, b)
