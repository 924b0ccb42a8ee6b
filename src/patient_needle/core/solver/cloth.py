"""The constants of one cloth: what a step reads and never writes."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from ..geometry.dihedral import dihedral_angles, flat_bending_rows, hinge_areas
from ..geometry.material import rest_inverse
from ..geometry.normals import triangle_areas, vertex_areas
from ..geometry.topology import Topology, build_topology, check_triangles
from ..model.fabric import Fabric
from ..model.load_curve import LoadCurve, force_table
from ..model.multipliers import Multipliers
from ..model.typed import Flags, Indices, Points, Scalars, Triangles, Vectors

# Hinges of stiffness B l^2 / A give equilateral triangles the plate energy of rigidity B and Poisson's ratio
# -1/3 (work out the hinge angles of a quadratic surface). A free strip, which may curl across, then shows
# B (1 - 1/9). Measured rigidities are those of strips, so hinges are made this much stiffer.
STRIP = 9 / 8
EVEN = Multipliers()


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
    loads         force tables (k, 4) of weft, warp and shear, as `model.load_curve.force_table` lays them out
    stretched, sheared  (m,) m2, area times the multiplier of stretch and of shear
    stretch_retardation (m,) s, bend_retardation (h,) s
    bend          (h,) N m, hinge stiffness, shape memory with it
    bend_rows     (h, 4) constant bending operator
    rest_angles   (h,) rad, where a hinge alone would rest: flat or as made, drawn to the made angle by memory
    held          (n,) bool, position prescribed by a hold
    friction, air, calm, clearance  (n,) multipliers of what meets the cloth from outside
    thickness     (n,) m
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
    loads: tuple[Vectors, Vectors, Vectors]
    stretched: Scalars
    sheared: Scalars
    stretch_retardation: Scalars
    bend_retardation: Scalars
    bend: Scalars
    bend_rows: Vectors
    rest_angles: Scalars
    held: Flags
    friction: Scalars
    air: Scalars
    calm: Scalars
    clearance: Scalars
    thickness: Scalars

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

    @property
    def weft(self) -> Scalars:
        """(m,) N, first stiffness along weft times area."""
        return self.stretched * self.loads[0][1, 2]

    @property
    def warp(self) -> Scalars:
        """(m,) N, first stiffness along warp times area."""
        return self.stretched * self.loads[1][1, 2]

    @property
    def shear(self) -> Scalars:
        """(m,) N, first stiffness in shear times area."""
        return self.sheared * self.loads[2][1, 2]


def build_cloth(
    name: str,
    points: Points,
    triangles: Triangles,
    warp: Vectors,
    fabric: Fabric,
    held: Flags,
    *,
    flat_rest_angles: bool = True,
    multipliers: Multipliers = EVEN,
) -> Cloth:
    """Constants of a cloth made as it lies at `points` (n, 3) m.

    warp (m, 3) unit directions; held (n,) bool; flat_rest_angles False keeps the folds it was modelled with.
    `MeshError` for a mesh that cannot be simulated, `MaterialError` for a map that does not fit it. Hinge
    stiffness is STRIP B l^2 / A, B being what a free strip of the fabric shows in a cantilever test.
    """
    check_triangles(points, triangles, name=name)
    count = len(points)
    multipliers.check(count)
    topology = build_topology(triangles, count, name=name)
    areas = triangle_areas(points, triangles)
    edges, hinges = topology.edges, topology.hinges
    lengths = np.linalg.norm(points[edges[:, 0]] - points[edges[:, 1]], axis=1)
    shares = vertex_areas(points, triangles)
    stretched = areas * multipliers.of("stretch", count)[triangles].mean(axis=1)
    damping = multipliers.of("damping", count)
    made = dihedral_angles(points, hinges)
    bend, rest_angles = _bending(points, topology, warp, fabric, np.asarray(held, bool), multipliers, made)
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
        mass=np.maximum(shares, 1e-3 * shares.mean()) * fabric.areal_density * multipliers.of("density", count),
        loads=_loads(fabric),
        stretched=stretched,
        sheared=stretched * multipliers.of("shear", count)[triangles].mean(axis=1),
        stretch_retardation=fabric.stretch_damping * damping[triangles].mean(axis=1),
        bend_retardation=fabric.bend_damping * damping[hinges[:, :2]].mean(axis=1),
        bend=bend,
        bend_rows=flat_bending_rows(points, hinges),
        rest_angles=rest_angles if flat_rest_angles else made,
        held=np.asarray(held, bool),
        friction=np.sqrt(multipliers.of("friction", count)),
        air=multipliers.of("air", count),
        calm=multipliers.of("calm", count),
        clearance=multipliers.of("clearance", count),
        thickness=fabric.thickness * multipliers.of("thickness", count),
    )


def _loads(fabric: Fabric) -> tuple[Vectors, Vectors, Vectors]:
    """Force tables of weft, warp and shear; shear is alike to both sides."""

    def along(stiffness: float, compression: float | None, curve: LoadCurve | None) -> Vectors:
        return force_table(
            stiffness, stiffness if compression is None else compression, curve, fabric.strain_limit
        )

    return (
        along(fabric.stretch_weft, fabric.compress_weft, fabric.load_weft),
        along(fabric.stretch_warp, fabric.compress_warp, fabric.load_warp),
        force_table(fabric.shear, fabric.shear, fabric.load_shear, None),
    )


def _bending(
    points: Points,
    topology: Topology,
    warp: Vectors,
    fabric: Fabric,
    held: Flags,
    multipliers: Multipliers,
    made: Scalars,
) -> tuple[Scalars, Scalars]:
    """Hinge stiffness (h,) N m and rest angles (h,) rad of a cloth made flat.

    Shape memory is a second rigidity whose rest angles are the made ones; both add up to one hinge that rests
    between flat and made by their shares, and whose energy differs from theirs by a constant.
    """
    count, edge = topology.vertex_count, topology.hinges[:, :2]
    own = _hinge_stiffness(points, topology, warp, fabric, held) * multipliers.of("bend", count)[edge].mean(
        axis=1
    )
    if fabric.memory == 0.0:
        return own, np.zeros(len(own))
    even = replace(fabric, bend_warp=fabric.memory, bend_weft=fabric.memory)
    memory = _hinge_stiffness(points, topology, warp, even, held)
    memory = memory * multipliers.of("memory", count)[edge].mean(axis=1)
    both = own + memory
    return both, made * np.divide(memory, both, out=np.zeros_like(both), where=both > 0)


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
