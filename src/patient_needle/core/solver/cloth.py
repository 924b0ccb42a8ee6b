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

# Hinges of stiffness B l^2 / A give equilateral triangles the plate energy of rigidity B and Poisson's ratio
# -1/3 (work out the hinge angles of a quadratic surface). A free strip, which may curl across, then shows
# B (1 - 1/9). Measured rigidities are those of strips, so hinges are made this much stiffer.
STRIP = 9 / 8


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
    `MeshError` for a mesh that cannot be simulated. Hinge stiffness is STRIP B l^2 / A, B being what a free
    strip of the fabric shows in a cantilever test.
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
        bend=_hinge_stiffness(points, topology, warp, fabric, np.asarray(held, bool)),
        bend_rows=flat_bending_rows(points, hinges),
        rest_angles=np.zeros(len(hinges)) if flat_rest_angles else dihedral_angles(points, hinges),
        held=np.asarray(held, bool),
    )


def _hinge_stiffness(points: Points, topology: Topology, warp: Vectors, fabric: Fabric, held: Flags) -> Scalars:
    """(h,) N m; rigidity between weft's and warp's by the direction square to the edge."""
    hinges = topology.hinges
    along = points[hinges[:, 1]] - points[hinges[:, 0]]
    squared = np.einsum("ij,ij->i", along, along)
    near = _warp_at_hinges(topology, warp)
    cosine2 = np.einsum("ij,ij->i", along, near) ** 2 / squared
    rigidity = fabric.bend_weft * cosine2 + fabric.bend_warp * (1 - cosine2)
    return STRIP * rigidity * squared / _bending_areas(points, hinges, held)


def _bending_areas(points: Points, hinges: Indices, held: Flags) -> Scalars:
    """Area (h,) m2 that a hinge bends: a triangle that is wholly held cannot, so it does not count.

    Without this a clamped edge would bend half a cell behind the clamp.
    """
    area = np.zeros(len(hinges))
    wholly = np.zeros(len(hinges), int)
    for opposite in (2, 3):
        corners = hinges[:, [0, 1, opposite]]
        a, b, c = (points[corners[:, k]] for k in range(3))
        one = np.linalg.norm(np.cross(b - a, c - a), axis=1) / 2
        stiff = held[corners].all(axis=1)
        wholly += stiff
        area += np.where(stiff, 0.0, one)
    return np.where(wholly == 2, hinge_areas(points, hinges), area)


def _warp_at_hinges(topology: Topology, warp: Vectors) -> Vectors:
    """Warp direction of one triangle of each hinge, (h, 3)."""
    triangles = topology.triangles
    first: dict[tuple[int, int], int] = {}
    for index, (a, b, c) in enumerate(triangles.tolist()):
        for edge in ((a, b), (b, c), (c, a)):
            first.setdefault((min(edge), max(edge)), index)
    hinge_edges = np.sort(topology.hinges[:, :2], axis=1).tolist()
    return warp[np.array([first[(a, b)] for a, b in hinge_edges], int)]
