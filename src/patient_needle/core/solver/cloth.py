"""The constants of one cloth: what a step reads and never writes."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..geometry.dihedral import dihedral_angles, flat_bending_rows, hinge_areas
from ..geometry.material import rest_inverse
from ..geometry.normals import triangle_areas, vertex_areas
from ..geometry.topology import Topology, build_topology, check_triangles
from ..model.fabric import Fabric
from ..model.typed import Flags, Indices, Points, Scalars, Triangles, Vectors


@dataclass(frozen=True, eq=False)
class Cloth:
    """n vertices, m triangles, h hinges.

    topology      edges, hinges, borders
    rest_points   (n, 3) m
    rest_lengths  (e,) m
    spacing       m, mean rest length
    rest_inverse  (m, 4) rows of the inverse rest matrices, 1/m
    areas         (m,) m2
    vertex_areas  (n,) m2
    mass          (n,) kg
    warp, weft, shear  (m,) N, stiffness times area
    bend          (h,) N m, hinge stiffness
    bend_rows     (h, 4) constant bending operator
    rest_angles   (h,) rad
    held          (n,) bool, position prescribed by a hold
    """

    name: str
    fabric: Fabric
    topology: Topology
    rest_points: Points
    rest_lengths: Scalars
    spacing: float
    rest_inverse: Vectors
    areas: Scalars
    vertex_areas: Scalars
    mass: Scalars
    warp: Scalars
    weft: Scalars
    shear: Scalars
    bend: Scalars
    bend_rows: Vectors
    rest_angles: Scalars
    held: Flags

    @property
    def count(self) -> int:
        """Number of vertices, n."""
        return len(self.rest_points)

    @property
    def triangles(self) -> Triangles:
        """(m, 3) int32."""
        return self.topology.triangles

    @property
    def hinges(self) -> Indices:
        """(h, 4) int32."""
        return self.topology.hinges


def build_cloth(
    name: str,
    points: Points,
    triangles: Triangles,
    warp: Vectors,
    fabric: Fabric,
    held: Flags,
    *,
    flat_rest_angles: bool = True,
) -> Cloth:
    """Constants of a cloth made as it lies at `points` (n, 3) m.

    warp (m, 3) unit directions; held (n,) bool; flat_rest_angles False keeps the folds it was modelled with.
    `MeshError` for a mesh that cannot be simulated. Hinge stiffness is B l^2 / A, which gives a sheet of
    equilateral triangles, or of halved squares bent along a side, the bending rigidity B exactly.
    """
    check_triangles(points, triangles, name=name)
    topology = build_topology(triangles, len(points), name=name)
    areas = triangle_areas(points, triangles)
    edges, hinges = topology.edges, topology.hinges
    lengths = np.linalg.norm(points[edges[:, 0]] - points[edges[:, 1]], axis=1)
    shares = vertex_areas(points, triangles)
    return Cloth(
        name=name,
        fabric=fabric,
        topology=topology,
        rest_points=np.ascontiguousarray(points, np.float64),
        rest_lengths=lengths,
        spacing=float(lengths.mean()),
        rest_inverse=rest_inverse(points, triangles, warp).reshape(-1, 4),
        areas=areas,
        vertex_areas=shares,
        mass=np.maximum(shares, 1e-3 * shares.mean()) * fabric.areal_density,
        warp=areas * fabric.stretch_warp,
        weft=areas * fabric.stretch_weft,
        shear=areas * fabric.shear,
        bend=_hinge_stiffness(points, topology, warp, fabric),
        bend_rows=flat_bending_rows(points, hinges),
        rest_angles=np.zeros(len(hinges)) if flat_rest_angles else dihedral_angles(points, hinges),
        held=np.asarray(held, bool),
    )


def _hinge_stiffness(points: Points, topology: Topology, warp: Vectors, fabric: Fabric) -> Scalars:
    """(h,) N m; rigidity between weft's and warp's by the direction square to the edge."""
    hinges = topology.hinges
    along = points[hinges[:, 1]] - points[hinges[:, 0]]
    squared = np.einsum("ij,ij->i", along, along)
    near = _warp_at_hinges(topology, warp)
    cosine2 = np.einsum("ij,ij->i", along, near) ** 2 / squared
    rigidity = fabric.bend_weft * cosine2 + fabric.bend_warp * (1 - cosine2)
    return rigidity * squared / hinge_areas(points, hinges)


def _warp_at_hinges(topology: Topology, warp: Vectors) -> Vectors:
    """Warp direction of one triangle of each hinge, (h, 3)."""
    triangles = topology.triangles
    first: dict[tuple[int, int], int] = {}
    for index, (a, b, c) in enumerate(triangles.tolist()):
        for edge in ((a, b), (b, c), (c, a)):
            first.setdefault((min(edge), max(edge)), index)
    hinge_edges = np.sort(topology.hinges[:, :2], axis=1).tolist()
    return warp[np.array([first[(a, b)] for a, b in hinge_edges], int)]
