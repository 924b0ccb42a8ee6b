"""What was chosen and drawn on a garment, carried over to its new mesh by place."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.spatial import cKDTree

from ...geometry.tree import build_tree, closest_points
from ...geometry.triangles import vertex_normals
from ...model.garment import Source
from ...model.typed import Flags, Indices, Points, Scalars, Triangles
from .rings import FromRings
from .surface import GarmentSurface

HALF = 0.5  # a vertex is chosen where more of the cloth around it was
NEAR = 2.0  # spacings that a place may lie from where there was cloth
ON_TUBE = 0.02  # of the way round, the same for cloth cut in rings


@dataclass(frozen=True, eq=False)
class Carrying:
    """From an old mesh of n vertices to a new one of k.

    on, weights  (k,) old triangle and (k, 3) barycentric: where each new vertex was; there (k,) whether there
                 was cloth
    nearest      (n,) the new vertex nearest to each old one; kept (n,) whether there still is cloth
    """

    old: GarmentSurface
    new: GarmentSurface
    on: Indices
    weights: Points
    there: Flags
    nearest: Indices
    kept: Flags
    spaces: tuple[Points, Points] | None

    @staticmethod
    def between(old: Source, new: Source) -> Carrying:
        """What becomes of places: of cloth cut in rings by course, way round and share of the depth, of other
        cloth by where it lies and which way it faces.
        """
        one, other = GarmentSurface.of(old.surface), GarmentSurface.of(new.surface)
        if isinstance(old, FromRings) and isinstance(new, FromRings):
            names = [course.name for course in new.courses]
            before, after = old.rolled(names), new.rolled(names)
            on, weights, away = closest_points(build_tree(before, one.triangles), before, after)
            _, _, back = closest_points(build_tree(after, other.triangles), after, before)
            reach, spaces = ON_TUBE, (before, after)
        else:
            before, after = one.mesh.vertices, other.mesh.vertices
            on, weights, away = one.nearest(after, other.normals)
            _, _, back = other.nearest(before, one.normals)
            reach, spaces = NEAR * max(one.spacing, other.spacing), None
        nearest = np.asarray(cKDTree(after).query(before)[1], np.int32)
        return Carrying(one, other, on, weights, away < reach, nearest, back < reach, spaces)

    def values(self, values: Scalars) -> Scalars:
        """Values (n,) at the new vertices, (k,); where there was no cloth as at the nearest that was."""
        return np.asarray(np.einsum("ik,ik->i", self.weights, values[self.old.triangles[self.on]]))

    def points(self, points: Points) -> Points:
        """Places of the old vertices (n, 3) m at the new ones, (k, 3)."""
        return _mixed(self.weights, self.on, self.old.triangles, points)

    def vertices(self, chosen: Indices, grips: Scalars | None = None) -> tuple[Indices, Scalars | None, int]:
        """The new vertices (c,) for old ones, their grips (c,), and for how many old ones there is no cloth."""
        inside = np.zeros(len(self.kept))
        inside[chosen] = 1.0
        share = np.where(self.there, self.values(inside), 0.0)
        taken = share >= HALF
        thin = chosen[~np.isin(chosen, self.old.triangles[inside[self.old.triangles].min(axis=1) > 0])]
        taken[self.nearest[thin[self.kept[thin]]]] = True
        lost = int((~self.kept[chosen]).sum())
        found = np.flatnonzero(taken).astype(np.int32)
        if grips is None:
            return found, None, lost
        gripped = np.zeros(len(self.kept))
        gripped[chosen] = grips
        return found, np.clip(self.values(gripped)[found] / np.maximum(share[found], HALF), 0.0, 1.0), lost

    def places(self, points: Points, facing: Points) -> tuple[Points, Points, Flags]:
        """Places (q, 3) m near the old cloth, and ways it faces there (q, 3), on the new; (q,) whether it is
        there.
        """
        if self.spaces is None:
            return points, facing, np.ones(len(points), bool)
        triangle, weights = self.old.places(points, facing)
        before, after = self.spaces
        at = np.einsum("ik,ikj->ij", weights, before[self.old.triangles[triangle]])
        on, there, away = closest_points(build_tree(after, self.new.triangles), after, at)
        moved = _mixed(there, on, self.new.triangles, self.new.mesh.vertices)
        normals = vertex_normals(self.new.mesh.vertices, self.new.triangles)
        faces = _mixed(there, on, self.new.triangles, normals)
        return moved, faces / np.linalg.norm(faces, axis=1, keepdims=True), away < ON_TUBE

    @property
    def moves(self) -> bool:
        """Whether cloth lies elsewhere than before, so that places in space have to go along."""
        return self.spaces is not None and not (
            self.old.mesh.vertices.shape == self.new.mesh.vertices.shape
            and np.array_equal(self.old.mesh.vertices, self.new.mesh.vertices)
        )


def _mixed(weights: Points, on: Indices, triangles: Triangles, values: Points) -> Points:
    return np.asarray(np.einsum("ik,ikj->ij", weights, values[triangles[on]]))
