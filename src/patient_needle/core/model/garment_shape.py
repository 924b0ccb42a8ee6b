"""What a garment is to the engine, however it was made."""

from __future__ import annotations

from dataclasses import dataclass

from .mesh import Mesh
from .topology import Topology
from .typed import Indices, Matrices, Points, Scalars, Vectors


@dataclass(frozen=True, eq=False)
class RestMetric:
    """How long, wide and folded a cloth of m triangles, e edges and h hinges is at rest. No place in space.

    corners       (m, 3, 2) m, each triangle's corners in its own flat piece of cloth: along weft, along warp
    areas         (m,) m2
    edge_lengths  (e,) m; where the two sides of an edge differ, as in a gather, their mean
    hinge_squares (h,) m2, square of the hinge edge's length
    hinge_warp    (h,) squared cosine between the hinge edge and warp
    hinge_areas   (h, 2) m2 of the triangle left and right of the hinge edge
    hinge_rows    (h, 4) coefficients of the constant bending operator
    folds         (h,) rad, the fold that each hinge was made with
    volume        m3 that a closed cloth encloses as made, negative when it faces inwards
    """

    corners: Vectors
    areas: Scalars
    edge_lengths: Scalars
    hinge_squares: Scalars
    hinge_warp: Scalars
    hinge_areas: Vectors
    hinge_rows: Vectors
    folds: Scalars
    volume: float

    @property
    def matrices(self) -> Matrices:
        """Rest matrices (m, 2, 2) m: two edges as columns, weft and warp as rows."""
        return (self.corners[:, 1:] - self.corners[:, :1]).transpose(0, 2, 1)


@dataclass(frozen=True, eq=False)
class GarmentShape:
    """A garment of n vertices: its cloth at rest, and apart from that where it begins.

    topology     edges, hinges and borders of its triangles
    metric       the cloth at rest
    placed       (n, 3) m, where the garment is when a run begins
    near         (n, 3) m, a pose in which parts of the garment lie as near to each other as they may stay, None
                 where every part keeps its full distance
    surface      the mesh to draw on, with its faces, groups and UVs; vertices as numbered here
    source_face  (m,) the face of `surface` that each triangle is part of
    directions   where warp comes from, in words
    """

    name: str
    topology: Topology
    metric: RestMetric
    placed: Points
    near: Points | None
    surface: Mesh
    source_face: Indices
    directions: str
