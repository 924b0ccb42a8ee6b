"""Points that ride on a moving surface: bound to the nearest triangle, lifted along its smooth normal."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..model.errors import StartError
from ..model.tolerances import DEFAULT, Tolerances
from ..model.typed import Flags, Indices, Points, Scalars, Triangles, Vectors
from .tree import Tree, build_tree, closest_points
from .triangles import unit, vertex_normals


@dataclass(frozen=True, eq=False)
class Binding:
    """k points bound to a surface.

    triangles (m, 3) of the surface; triangle (k,) int32; barycentric (k, 3); height (k,) m along the normal
    blended from the corners; slide (k, 3) m left over in the triangle's rest frame (tangent, side, normal).
    """

    triangles: Triangles
    triangle: Indices
    barycentric: Vectors
    height: Scalars
    slide: Vectors

    def rows(self) -> Vectors:
        """All but the triangles in one array (k, 7): barycentric, height, slide."""
        return np.concatenate([self.barycentric, self.height[:, None], self.slide], axis=1)

    @staticmethod
    def of_rows(triangles: Triangles, triangle: Indices, rows: Vectors) -> Binding:
        """A binding from what `rows` gave."""
        return Binding(triangles, triangle, rows[:, :3], rows[:, 3], rows[:, 4:])


def bind(
    surface: Points,
    triangles: Triangles,
    points: Points,
    *,
    name: str,
    tolerances: Tolerances = DEFAULT,
) -> Binding:
    """Bind `points` (k, 3) m to the nearest place of the surface.

    `StartError` when a point is further than `tolerances.hold_reach` m away.
    """
    triangle, barycentric, distance = closest_points(build_tree(surface, triangles), surface, points)
    if distance.max(initial=0.0) > tolerances.hold_reach:
        worst = int(np.argmax(distance))
        raise StartError(
            f"a held point is {distance[worst] * 1e3:.0f} mm from the surface it should follow",
            where=f"{name}, held point {worst}",
            remedy="Fit the garment to the rest pose, or check the units of both files",
        )
    return _bound(surface, triangles, points, triangle, barycentric)


def bind_within(surface: Points, tree: Tree, points: Points, reach: float) -> tuple[Flags, Binding]:
    """Bind those of `points` (k, 3) m that are within `reach` m of the surface, which the tree's boxes fit:
    which, and how.
    """
    triangle, barycentric, _ = closest_points(tree, surface, points, reach)
    near = triangle >= 0
    return near, _bound(surface, tree.triangles, points[near], triangle[near], barycentric[near])


def _bound(
    surface: Points, triangles: Triangles, points: Points, triangle: Indices, barycentric: Vectors
) -> Binding:
    base, normal, frame = _carriers(surface, triangles, triangle, barycentric)
    offset = points - base
    height = np.einsum("ij,ij->i", offset, normal)
    slide = np.einsum("ikj,ij->ik", frame, offset - height[:, None] * normal)
    return Binding(triangles, triangle, barycentric, height, slide)


def follow(binding: Binding, surface: Points) -> Points:
    """Where the bound points are when the surface is at `surface` (n, 3) m; (k, 3) m."""
    base, normal, frame = _carriers(surface, binding.triangles, binding.triangle, binding.barycentric)
    return base + binding.height[:, None] * normal + np.einsum("ikj,ik->ij", frame, binding.slide)


def _carriers(surface, triangles, triangle, barycentric):
    """Base point, smooth normal and triangle frame (rows tangent, side, normal) of each bound point."""
    corners = triangles[triangle]
    base = np.einsum("ik,ikj->ij", barycentric, surface[corners])
    normal = unit(np.einsum("ik,ikj->ij", barycentric, vertex_normals(surface, triangles)[corners]))
    tangent = unit(surface[corners[:, 1]] - surface[corners[:, 0]])
    flat = unit(np.cross(tangent, surface[corners[:, 2]] - surface[corners[:, 0]]))
    return base, normal, np.stack([tangent, np.cross(flat, tangent), flat], axis=1)
