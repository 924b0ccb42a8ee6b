"""What was chosen and drawn on a garment, carried over to its new mesh by place."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.spatial import cKDTree

from ...geometry.tree import build_tree, closest_points
from ...geometry.triangles import vertex_normals
from ...model.garment import Source, Unrolled
from ...model.typed import Flags, Indices, Points, Scalars, Triangles
from .surface import GarmentSurface

HALF = 0.5  # a vertex is chosen where more of the cloth around it was
NEAR = 2.0  # spacings that a place may lie from where there was cloth


@dataclass(frozen=True, eq=False)
class Carrying:
    """From an old mesh of n vertices to a new one of k.

    on, weights  (k,) old triangle and (k, 3) barycentric: where each new vertex was; there (k,) whether there
                 was cloth
    kept         (n,) whether there still is cloth where each old vertex was
    """

    old: GarmentSurface
    new: GarmentSurface
    on: Indices
    weights: Points
    there: Flags
    kept: Flags
    spaces: tuple[Points, Points] | None

    @staticmethod
    def between(old: Source, new: Source) -> Carrying:
        """What becomes of places: of cloth cut in rings or pieces by where it lies in these, of other cloth by
        where it lies on the figure and which way it faces.
        """
        one, other = GarmentSurface.of(old.surface), GarmentSurface.of(new.surface)
        if type(old) is type(new) and isinstance(old, Unrolled) and isinstance(new, Unrolled):
            before, after = old.unrolled(new), new.unrolled(new)
            on, weights, away = closest_points(build_tree(before, one.triangles), before, after)
            _, _, back = closest_points(build_tree(after, other.triangles), after, before)
            spaces = (before, after)
        else:
            before, after = one.mesh.vertices, other.mesh.vertices
            on, weights, away = one.nearest(after, other.normals)
            _, _, back = other.nearest(before, one.normals)
            spaces = None
        reach = NEAR * max(one.spacing, other.spacing)
        return Carrying(one, other, on, weights, away < reach, back < reach, spaces)

    def values(self, values: Scalars) -> Scalars:
        """Values (n,) at the new vertices, (k,); where there was no cloth as at the nearest that was."""
        return np.asarray(np.einsum("ik,ik->i", self.weights, values[self.old.triangles[self.on]]))

    def points(self, points: Points) -> Points:
        """Places of the old vertices (n, 3) m at the new ones, (k, 3)."""
        return _mixed(self.weights, self.on, self.old.triangles, points)

    def vertices(self, chosen: Indices, grips: Scalars | None = None) -> tuple[Indices, Scalars | None, int]:
        """The new vertices (c,) for old ones, their grips (c,), and how many old ones have no cloth now."""
        is_chosen = np.zeros(len(self.kept), bool)
        is_chosen[chosen] = True
        whole = is_chosen[self.old.triangles].all(axis=1)
        wide = np.zeros(len(self.kept))
        wide[self.old.triangles[whole]] = 1.0
        taken = np.where(self.there, self.values(wide), 0.0) >= HALF
        taken[self._along(is_chosen, wide > 0)] = True
        lost = int((~self.kept[chosen]).sum())
        found = np.flatnonzero(taken).astype(np.int32)
        if grips is None:
            return found, None, lost
        gripped = np.zeros(len(self.kept))
        gripped[chosen] = grips
        share = self.values(is_chosen.astype(float))[found]
        return found, np.clip(self.values(gripped)[found] / np.maximum(share, HALF), 0.0, 1.0), lost

    def _along(self, is_chosen: Flags, wide: Flags) -> Indices:
        """The new vertices nearest to chosen ones that are no part of an area, and to edges between them."""
        thin = is_chosen & ~wide & self.kept
        edges = self.old.topology.edges
        edges = edges[is_chosen[edges].all(axis=1) & thin[edges].any(axis=1) & self.kept[edges].all(axis=1)]
        before, after = self.spaces or (self.old.mesh.vertices, self.new.mesh.vertices)
        ends = before[edges]
        length = float(np.linalg.norm(ends[:, 0] - ends[:, 1], axis=1).max(initial=0.0))
        finest = _shortest(after, self.new.topology.edges)
        shares = np.linspace(0, 1, 2 + int(2 * length / max(finest, 1e-9)))
        places = [before[thin], *(ends[:, 0] + share * (ends[:, 1] - ends[:, 0]) for share in shares)]
        every = np.concatenate(places)
        if len(every) == 0:
            return np.zeros(0, np.int32)
        return np.unique(cKDTree(after).query(every)[1]).astype(np.int32)

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
        return (
            moved,
            faces / np.linalg.norm(faces, axis=1, keepdims=True),
            away < NEAR * max(self.old.spacing, self.new.spacing),
        )

    @property
    def moves(self) -> bool:
        """Whether cloth lies elsewhere than before, so that places in space have to go along."""
        return self.spaces is not None and not (
            self.old.mesh.vertices.shape == self.new.mesh.vertices.shape
            and np.array_equal(self.old.mesh.vertices, self.new.mesh.vertices)
        )


def _shortest(points: Points, edges: Indices) -> float:
    """A length of edge that one in ten stays below."""
    return float(np.percentile(np.linalg.norm(points[edges[:, 0]] - points[edges[:, 1]], axis=1), 10))


def _mixed(weights: Points, on: Indices, triangles: Triangles, values: Points) -> Points:
    return np.asarray(np.einsum("ik,ikj->ij", weights, values[triangles[on]]))
