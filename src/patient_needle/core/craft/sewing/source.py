"""A garment sewn from flat pieces, as a source of cloth."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ...geometry.tree import build_tree, closest_points
from ...model.garment import GarmentShape
from ...model.mesh import Mesh, Topology, TriangleMap
from ...model.typed import Points, Vectors
from .cutting import SewnMesh, held_pairs, metric_of
from .figure import Figure
from .laying import Lay
from .pattern import Pattern, Piece

ASIDE = 0.05  # m between pieces in the UVs
UNROLLED, GONE = 0.5, 10_000  # m across a piece when places are carried over; the place of a piece that is gone


@dataclass(frozen=True, eq=False)
class FromPieces:
    """A garment sewn from flat pieces: at rest as cut, worn as placed.

    surface  the mesh as it is placed; its UVs are the pieces beside each other in m, its groups the pieces, its
             rows the seams
    figure   the figure that it is sewn round, and `around`, its member's name
    mark     tells what it is cut as
    lay      as it lies before it is sewn; None once it is
    """

    surface: Mesh
    mesh: SewnMesh
    pattern: Pattern
    figure: Figure
    around: str
    mark: str
    lay: Lay | None

    @property
    def is_sewn(self) -> bool:
        """Whether it is worn already."""
        return self.lay is None

    def unrolled(self, like: FromPieces) -> Points:
        """Each vertex (n, 3) m in its piece, by its share of the piece's width and height, a m apart for each
        piece of `like` in turn; where several pieces meet, in the first of them.
        """
        cut, places = self.mesh.cut, np.zeros((len(self.mesh.cut.points), 3))
        names = [piece.name for piece in like.pattern.pieces]
        for index, piece in enumerate(self.pattern.pieces):
            own = cut.of_point == index
            share = _shares(piece, cut.points[own])
            number = names.index(piece.name) if piece.name in names else GONE
            places[own] = np.column_stack([share * UNROLLED, np.full(own.sum(), float(number))])
        out = np.zeros((self.mesh.count, 3))
        out[self.mesh.welded[::-1]] = places[::-1]
        return out

    def pose_from(self, former: FromPieces, pose: Points) -> Points:
        """How a former cut was worn, pose (k, 3) m of its vertices, at the vertices (n, 3) of this one.

        By place within the piece of the same name, as shares of its width and height; what lies beyond the
        former piece is where its nearest place is. A piece that is new begins where its own surface has it.
        """
        cut, old = self.mesh.cut, former.mesh.cut
        worn = pose[former.mesh.welded]
        places = self.surface.vertices[self.mesh.welded].copy()
        names = [piece.name for piece in former.pattern.pieces]
        for index, piece in enumerate(self.pattern.pieces):
            if piece.name not in names:
                continue
            number = names.index(piece.name)
            own = cut.of_point == index
            at = _shares(piece, cut.points[own])
            triangles = old.triangles[old.piece == number]
            flat = np.zeros((len(old.points), 3))
            flat[:, :2] = _shares(former.pattern.pieces[number], old.points)
            query = np.column_stack([at, np.zeros(len(at))])
            triangle, weights, _ = closest_points(build_tree(flat, triangles), flat, query)
            places[own] = np.einsum("ij,ijk->ik", weights, worn[triangles[triangle]])
        many = np.bincount(self.mesh.welded, minlength=self.mesh.count)
        welded = [np.bincount(self.mesh.welded, places[:, k], self.mesh.count) / many for k in range(3)]
        return np.stack(welded, axis=1)

    def shape(self, name: str, cut: TriangleMap, topology: Topology) -> GarmentShape:
        """Rest metric from the cut, start and allowed nearness as placed."""
        points = self.surface.vertices
        held = held_pairs(self.mesh, self.pattern)
        near = points.copy()
        near[held] = points[held].mean(axis=1)[:, None]
        return GarmentShape(
            name, topology, metric_of(self.mesh, topology, self.pattern), placed=points, near=near,
            surface=self.surface, source_face=cut.source_face, directions="down the pieces", basted=held,
        )  # fmt: skip


def _shares(piece: Piece, points: Vectors) -> Vectors:
    """Points (k, 2) m of a piece as shares of its width and height."""
    low, bottom, high, top = piece.outline.bounds
    return np.asarray((points - [low, bottom]) / [max(high - low, 1e-9), max(top - bottom, 1e-9)])


def source_of_pieces(
    name: str, pattern: Pattern, mesh: SewnMesh, placed: Points, figure: Figure, around: str, mark: str, *,
    lay: Lay | None,
) -> FromPieces:  # fmt: skip
    """A garment of sewn pieces, placed (n, 3) m."""
    groups = {
        piece.name: np.flatnonzero(mesh.cut.piece == index).astype(np.int32)
        for index, piece in enumerate(pattern.pieces)
    }
    aside, across = np.zeros((len(pattern.pieces), 2)), 0.0
    for index, piece in enumerate(pattern.pieces):
        low, bottom, high, _ = piece.outline.bounds
        aside[index] = (across - low, -bottom)
        across += high - low + ASIDE
    uvs = mesh.cut.points + aside[mesh.cut.of_point]
    rows = {
        f"{', '.join(seam.one[0])} to {', '.join(seam.other[0])}": vertices
        for seam, vertices in zip(pattern.seams, mesh.seams, strict=True)
    }
    surface = Mesh(
        name, placed, np.full(len(mesh.triangles), 3, np.int32), mesh.triangles.ravel(), uvs,
        mesh.cut.triangles.ravel(), groups, rows,
    )  # fmt: skip
    return FromPieces(surface, mesh, pattern, figure, around, mark, lay)
