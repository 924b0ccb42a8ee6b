"""The surface of a garment as made: to draw on, and to measure distances along."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from ...geometry.geodesics import Walk
from ...geometry.topology import build_topology, triangulated
from ...geometry.tree import Tree, build_tree, closest_points
from ...geometry.triangles import area_vectors, unit, vertex_normals
from ...model.mesh import Mesh, Topology, TriangleMap
from ...model.tolerances import OFF_SURFACE, SAME_SIDE_COSINE
from ...model.typed import Flags, Indices, Points, Scalars, Triangles, Vectors


def triangles_in(mesh: Mesh, cut: TriangleMap, group: str) -> Indices:
    """The triangles (k,) of a face group of a mesh that is cut into them."""
    return np.flatnonzero(np.isin(cut.source_face, mesh.groups[group])).astype(np.int32)


@dataclass(frozen=True, eq=False)
class GarmentSurface:
    """A garment as made, to draw on: its mesh, the triangles it is cut into, their topology."""

    mesh: Mesh
    cut: TriangleMap
    topology: Topology

    @staticmethod
    def of(mesh: Mesh) -> GarmentSurface:
        """A mesh made ready; `MeshError` when it is no cloth."""
        cut = triangulated(mesh)
        return GarmentSurface(mesh, cut, build_topology(cut.triangles, mesh.vertex_count, name=mesh.name))

    @property
    def triangles(self) -> Triangles:
        """(m, 3) int32."""
        return self.cut.triangles

    @cached_property
    def normals(self) -> Vectors:
        """Unit normals of its vertices (n, 3)."""
        return vertex_normals(self.mesh.vertices, self.triangles)

    @cached_property
    def walk(self) -> Walk:
        """Its surface to measure along."""
        return Walk.on(self.mesh.vertices, self.triangles)

    @cached_property
    def facing(self) -> Vectors:
        """Unit normals (m, 3)."""
        return unit(area_vectors(self.mesh.vertices, self.triangles))

    @cached_property
    def tree(self) -> Tree:
        """Boxes about its triangles."""
        return build_tree(self.mesh.vertices, self.triangles)

    @cached_property
    def _turned(self) -> tuple[tuple[Indices, Tree] | None, ...]:
        """Triangles that face each of six ways, and a tree of each; None where there are none."""
        out = []
        for axis in range(3):
            for sign in (1.0, -1.0):
                rows = np.flatnonzero(sign * self.facing[:, axis] >= SAME_SIDE_COSINE).astype(np.int32)
                tree = (rows, build_tree(self.mesh.vertices, self.triangles[rows])) if len(rows) else None
                out.append(tree)
        return tuple(out)

    def places(self, points: Points, facing: Vectors) -> tuple[Indices, Vectors]:
        """Nearest place of the surface that faces as (k, 3) says to points (k, 3) m: triangle (k,) and
        barycentric (k, 3); the nearest of all where the nearest lies at hand or nothing faces so.
        """
        triangle, barycentric, _ = self.nearest(points, facing)
        return triangle, barycentric

    def nearest(self, points: Points, facing: Vectors) -> tuple[Indices, Vectors, Scalars]:
        """The same, and how far it is, (k,) m."""
        triangle, barycentric, distance = closest_points(self.tree, self.mesh.vertices, points)
        agrees = np.einsum("ij,ij->i", self.facing[triangle], facing) >= SAME_SIDE_COSINE
        for k in np.flatnonzero(~agrees & (distance > OFF_SURFACE)):
            axis = int(np.argmax(np.abs(facing[k])))
            turned = self._turned[2 * axis + int(facing[k, axis] < 0)]
            if turned is not None:
                found, at, away = closest_points(turned[1], self.mesh.vertices, points[k : k + 1])
                triangle[k], barycentric[k], distance[k] = turned[0][found[0]], at[0], away[0]
        return triangle, barycentric, distance

    @cached_property
    def spacing(self) -> float:
        """Mean length of its edges, m."""
        ends = self.mesh.vertices[self.topology.edges]
        return float(np.linalg.norm(ends[:, 0] - ends[:, 1], axis=1).mean())

    @cached_property
    def reflection(self) -> tuple[Indices, Vectors, Flags]:
        """Place of each vertex's mirror image in x = 0 on the surface: triangle (n,), barycentric (n, 3), and
        (n,) whether the image lies on it at all, within half a spacing.
        """
        mirror = np.array([-1.0, 1.0, 1.0])
        images = self.mesh.vertices * mirror
        triangle, barycentric = self.places(images, self.normals * mirror)
        found = np.einsum("ik,ikj->ij", barycentric, self.mesh.vertices[self.triangles[triangle]])
        return triangle, barycentric, np.linalg.norm(found - images, axis=1) < 0.5 * self.spacing

    def reflected(self, values: Scalars, instead: Scalars | float = 0.0) -> Scalars:
        """Values (n,) as they are at each vertex's mirror image; `instead` where there is no cloth there."""
        triangle, barycentric, there = self.reflection
        return np.where(there, np.einsum("ik,ik->i", barycentric, values[self.triangles[triangle]]), instead)

    def smoothed(self, values: Scalars, over: float) -> Scalars:
        """Values (n,) spread over about `over` m: means with neighbours, again and again."""
        edges, count = self.topology.edges, len(values)
        degree = np.maximum(np.bincount(edges.ravel(), minlength=count), 1)
        out = values.copy()
        for _ in range(max(1, round((over / self.spacing) ** 2))):
            total = np.bincount(edges[:, 0], out[edges[:, 1]], count)
            total += np.bincount(edges[:, 1], out[edges[:, 0]], count)
            out = 0.5 * (out + total / degree)
        return out
