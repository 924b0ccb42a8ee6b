"""What a garment is made of, its shape for the engine, and where it is prescribed instead of simulated."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Protocol, runtime_checkable

import numpy as np

from .curve import Curve
from .errors import ShotError
from .holds import WELD
from .mesh import Mesh, Topology, TriangleMap
from .motion import Motion
from .typed import Flags, Indices, Matrices, Points, Scalars, Vectors


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
    basted       (q, 2) int32 vertices that links of no length hold together, None for none
    """

    name: str
    topology: Topology
    metric: RestMetric
    placed: Points
    near: Points | None
    surface: Mesh
    source_face: Indices
    directions: str
    basted: Indices | None = None


class Source(Protocol):
    """One way to make a garment."""

    @property
    def surface(self) -> Mesh:
        """The mesh to draw on and to hand off, as it stands before a run."""
        ...

    def shape(self, name: str, cut: TriangleMap, topology: Topology) -> GarmentShape:
        """The garment `name` for the engine, its surface cut into triangles. `MeshError` if it is no cloth."""
        ...


@runtime_checkable
class Unrolled(Protocol):
    """A source whose cloth has places of its own, wherever the garment hangs."""

    def unrolled(self, like: Any) -> Points:
        """Each vertex (n, 3) m in a space of the parts of `like`, a source of the same kind, by name; far away
        where `like` has no such part.
        """
        ...


@dataclass(frozen=True, eq=False)
class Prescription:
    """A garment of n vertices follows `motion` as far as its share says. 1 is prescribed, 0 is simulated. A
    share between draws cloth to its place as a hold of that grip does, so that the two parts blend.

    motion   where it is, None when nothing is prescribed
    share    (n,) from 0 to 1, None for all of the garment
    during   factor on the share over frames, None for always
    """

    motion: Motion | None = None
    share: Scalars | None = None
    during: Curve | None = None

    @property
    def is_all(self) -> bool:
        """Whether nothing of the garment is simulated at any time."""
        return self.motion is not None and self.share is None and self.during is None

    @property
    def changes(self) -> bool:
        """Whether its share changes during a run."""
        return self.motion is not None and self.during is not None

    def always(self, count: int) -> Flags:
        """Which vertices (n,) are told where to be throughout."""
        if self.motion is None:
            return np.zeros(count, bool)
        least = 1.0 if self.during is None else float(self.during.values.min())
        return (np.ones(count) if self.share is None else self.share) * least >= WELD

    def check(self, count: int, first: int, last: int) -> None:
        """`ShotError` when it does not fit a garment of `count` vertices, or a run over these frames."""
        if self.motion is None:
            return
        if self.share is not None and self.share.shape != (count,):
            raise ShotError(
                f"its prescription has {len(self.share)} shares, the garment {count} vertices",
                remedy="Choose the part again",
            )
        if self.share is not None and not ((self.share >= 0) & (self.share <= 1)).all():
            raise ShotError("a share of its prescription is not from 0 to 1", remedy="Choose the part again")
        low, high = self.motion.span()
        if first < low or last > high:
            raise ShotError(
                f"it is finished from frame {low:g} to {high:g}, but the run goes from {first} to {last}, "
                "run-in included",
                remedy="Finish it over the whole range, run-in included, or simulate it again",
            )


FREE = Prescription()
