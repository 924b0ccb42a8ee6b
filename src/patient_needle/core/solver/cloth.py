"""The constants of one cloth: what a step reads and never writes."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from ..geometry.triangles import shared_areas
from ..model.fabric import Fabric, LoadCurve, Multipliers, force_table
from ..model.garment import GarmentShape, RestMetric
from ..model.mesh import Topology
from ..model.typed import Flags, Indices, Points, Scalars, Triangles, Vectors

# Hinges of stiffness B l^2 / A give equilateral triangles the plate energy of rigidity B and Poisson's ratio
# -1/3 (work out the hinge angles of a quadratic surface). A strip that may curl across then shows B (1 - 1/9).
# One that bends so far that its width stays straight shows B, and so does a wide cloth. Measured rigidities lie
# between, by the width of the strip and how far it bends. So hinges are made stiffer by the mean of both: 6 %
# off at most either way.
STRIP = (9 / 8) ** 0.5
EVEN = Multipliers()
Loads = tuple[Vectors, Vectors, Vectors]


@dataclass(frozen=True, eq=False)
class Part:
    """Triangles (k,) of a cloth that are of one fabric, and its force tables of weft, warp and shear."""

    triangles: Indices
    fabric: Fabric
    loads: Loads


@dataclass(frozen=True, eq=False)
class Cloth:
    """n vertices, m triangles, h hinges.

    topology      edges, hinges, borders
    placed        (n, 3) m, where it is when a run begins
    near          (n, 3) m, a pose whose distances its parts may keep where they are below their gap, or None
    rest_lengths  (e,) m
    spacing       m, mean rest length
    rest_inverse  (m, 4) rows of the inverse rest matrices, 1/m
    areas         (m,) m2
    vertex_areas  (n,) m2
    volume        m3 that it encloses as made
    mass          (n,) kg
    loads         force tables (k, 4) of weft, warp and shear, as `model.fabric.force_table` lays them out
    stretched, sheared  (m,) m2, area times the multiplier of stretch and of shear
    stretch_retardation (m,) s, bend_retardation (h,) s
    bend          (h,) N m, hinge stiffness, shape memory with it
    bend_rows     (h, 4) constant bending operator
    hinge_lengths (h,) m
    rest_angles   (h,) rad, where a hinge alone would rest: flat or as made, drawn to the made angle by memory
    held          (n,) bool, position prescribed by a hold
    friction, air, calm, clearance  (n,) multipliers of what meets the cloth from outside
    thickness     (n,) m
    parts         what is of which fabric where it is of several; `fabric` and `loads` are the main one's
    one           (n,) int32: vertices of one number are basted together and do not meet; None where none are
    """

    name: str
    fabric: Fabric
    topology: Topology
    placed: Points
    near: Points | None
    rest_lengths: Scalars
    spacing: float
    rest_inverse: Vectors
    areas: Scalars
    vertex_areas: Scalars
    volume: float
    mass: Scalars
    loads: tuple[Vectors, Vectors, Vectors]
    stretched: Scalars
    sheared: Scalars
    stretch_retardation: Scalars
    bend_retardation: Scalars
    bend: Scalars
    bend_rows: Vectors
    hinge_lengths: Scalars
    rest_angles: Scalars
    held: Flags
    friction: Scalars
    air: Scalars
    calm: Scalars
    clearance: Scalars
    thickness: Scalars
    parts: tuple[Part, ...] = ()
    one: Indices | None = None

    @property
    def count(self) -> int:
        """Number of vertices, n."""
        return self.topology.vertex_count

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
        return self.stretched * self._first(0)

    @property
    def warp(self) -> Scalars:
        """(m,) N, first stiffness along warp times area."""
        return self.stretched * self._first(1)

    @property
    def shear(self) -> Scalars:
        """(m,) N, first stiffness in shear times area."""
        return self.sheared * self._first(2)

    def _first(self, way: int) -> Scalars | float:
        """First stiffness along weft, warp or in shear, N/m: one, or (m,) where there are parts."""
        if not self.parts:
            return float(self.loads[way][1, 2])
        out = np.zeros(len(self.triangles))
        for part in self.parts:
            out[part.triangles] = part.loads[way][1, 2]
        return out


def build_cloth(
    shape: GarmentShape,
    fabric: Fabric,
    held: Flags,
    *,
    flat_rest_angles: bool = True,
    multipliers: Multipliers = EVEN,
    patches: Sequence[tuple[Indices, Fabric]] = (),
) -> Cloth:
    """Constants of a garment of one fabric.

    held (n,) bool; flat_rest_angles False keeps the folds it was made with; patches: triangles (k,) that are of
    other fabrics. `MaterialError` for a map that does not fit it. Hinge stiffness is STRIP B l^2 / A, B being
    what a free strip of the fabric shows in a cantilever test.
    """
    topology, metric = shape.topology, shape.metric
    triangles, hinges, count = topology.triangles, topology.hinges, topology.vertex_count
    multipliers.check(count)
    shares = shared_areas(metric.areas, triangles, count)
    stretched = metric.areas * multipliers.of("stretch", count)[triangles].mean(axis=1)
    damping = multipliers.of("damping", count)
    bend, rest_angles = _bending(topology, metric, fabric, np.asarray(held, bool), multipliers)
    cloth = Cloth(
        name=shape.name,
        fabric=fabric,
        topology=topology,
        placed=np.ascontiguousarray(shape.placed, np.float64),
        near=shape.near,
        one=_as_one(shape.basted, count),
        rest_lengths=metric.edge_lengths,
        spacing=float(metric.edge_lengths.mean()),
        rest_inverse=np.asarray(np.linalg.inv(metric.matrices), np.float64).reshape(-1, 4),
        areas=metric.areas,
        vertex_areas=shares,
        volume=metric.volume,
        mass=np.maximum(shares, 1e-3 * shares.mean()) * fabric.areal_density * multipliers.of("density", count),
        loads=_loads(fabric),
        stretched=stretched,
        sheared=stretched * multipliers.of("shear", count)[triangles].mean(axis=1),
        stretch_retardation=fabric.stretch_damping * damping[triangles].mean(axis=1),
        bend_retardation=fabric.bend_damping * damping[hinges[:, :2]].mean(axis=1),
        bend=bend,
        bend_rows=metric.hinge_rows,
        hinge_lengths=np.sqrt(metric.hinge_squares),
        rest_angles=rest_angles if flat_rest_angles else metric.folds,
        held=np.asarray(held, bool),
        friction=np.sqrt(multipliers.of("friction", count)),
        air=multipliers.of("air", count),
        calm=multipliers.of("calm", count),
        clearance=multipliers.of("clearance", count),
        thickness=fabric.thickness * multipliers.of("thickness", count),
    )
    return _patched(cloth, metric, patches, multipliers, flat=flat_rest_angles) if patches else cloth


def _patched(
    cloth: Cloth, metric: RestMetric, patches: Sequence[tuple[Indices, Fabric]], multipliers: Multipliers, *,
    flat: bool,
) -> Cloth:  # fmt: skip
    """The cloth with some of its triangles of other fabrics. At an edge between two a hinge takes the mean of
    their rigidities, at a vertex the thickness and friction of the triangles around it.
    """
    triangles, topology, count = cloth.triangles, cloth.topology, cloth.count
    fabrics, of = [cloth.fabric], np.zeros(len(triangles), np.int32)
    for at, fabric in patches:
        of[at] = len(fabrics)
        fabrics.append(fabric)

    def per(figure: str) -> Scalars:
        """A figure of each triangle's own fabric (m,)."""
        return np.array([getattr(fabric, figure) for fabric in fabrics])[of]

    def at_hinges(figure: str) -> Scalars:
        return np.asarray(per(figure)[topology.sides].mean(axis=1))

    corners = np.bincount(triangles.ravel(), minlength=count)

    def at_vertices(figure: str) -> Scalars:
        return np.bincount(triangles.ravel(), np.repeat(per(figure), 3), count) / np.maximum(corners, 1)

    damping = multipliers.of("damping", count)
    bend, rest_angles = np.zeros(len(topology.hinges)), np.zeros(len(topology.hinges))
    for index, fabric in enumerate(fabrics):
        own, angles = _bending(topology, metric, fabric, cloth.held, multipliers)
        share = (of[topology.sides] == index).mean(axis=1)
        bend += share * own
        rest_angles += share * own * angles
    rest_angles = np.divide(rest_angles, bend, out=np.zeros_like(bend), where=bend > 0)
    mass = shared_areas(metric.areas * per("areal_density"), triangles, count)
    rough = np.sqrt(at_vertices("friction") / max(cloth.fabric.friction, 1e-9))
    return replace(
        cloth,
        mass=np.maximum(mass, 1e-3 * mass.mean()) * multipliers.of("density", count),
        stretch_retardation=per("stretch_damping") * damping[triangles].mean(axis=1),
        bend_retardation=at_hinges("bend_damping") * damping[topology.hinges[:, :2]].mean(axis=1),
        bend=bend,
        rest_angles=rest_angles if flat else metric.folds,
        friction=cloth.friction * rough,
        thickness=at_vertices("thickness") * multipliers.of("thickness", count),
        parts=tuple(
            Part(np.flatnonzero(of == index).astype(np.int32), fabric, _loads(fabric))
            for index, fabric in enumerate(fabrics)
            if (of == index).any()
        ),
    )


def _as_one(basted: Indices | None, count: int) -> Indices | None:
    """The same number for vertices that pairs (q, 2) connect, (n,); None without pairs."""
    if basted is None or len(basted) == 0:
        return None
    graph = coo_matrix((np.ones(len(basted)), (basted[:, 0], basted[:, 1])), shape=(count, count))
    return np.asarray(connected_components(graph, directed=False)[1], np.int32)


def _loads(fabric: Fabric) -> Loads:
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
    topology: Topology, metric: RestMetric, fabric: Fabric, held: Flags, multipliers: Multipliers
) -> tuple[Scalars, Scalars]:
    """Hinge stiffness (h,) N m and rest angles (h,) rad of a cloth made flat.

    Shape memory is a second rigidity whose rest angles are the made ones; both add up to one hinge that rests
    between flat and made by their shares, and whose energy differs from theirs by a constant.
    """
    count, edge = topology.vertex_count, topology.hinges[:, :2]
    own = _hinge_stiffness(topology, metric, fabric, held) * multipliers.of("bend", count)[edge].mean(axis=1)
    if fabric.memory == 0.0:
        return own, np.zeros(len(own))
    even = replace(fabric, bend_warp=fabric.memory, bend_weft=fabric.memory)
    memory = _hinge_stiffness(topology, metric, even, held)
    memory = memory * multipliers.of("memory", count)[edge].mean(axis=1)
    both = own + memory
    return both, metric.folds * np.divide(memory, both, out=np.zeros_like(both), where=both > 0)


def _hinge_stiffness(topology: Topology, metric: RestMetric, fabric: Fabric, held: Flags) -> Scalars:
    """(h,) N m; rigidity between weft's and warp's by the direction square to the edge."""
    rigidity = fabric.bend_weft * metric.hinge_warp + fabric.bend_warp * (1 - metric.hinge_warp)
    return STRIP * rigidity * metric.hinge_squares / _bending_areas(topology.hinges, metric.hinge_areas, held)


def _bending_areas(hinges: Indices, areas: Vectors, held: Flags) -> Scalars:
    """Area (h,) m2 that a hinge bends: a triangle that is wholly held cannot, so it does not count.

    Without this a clamped edge would bend half a cell behind the clamp. areas (h, 2) m2 of both triangles.
    """
    wholly = np.stack([held[hinges[:, [0, 1, opposite]]].all(axis=1) for opposite in (2, 3)], axis=1)
    bent = np.where(wholly, 0.0, areas).sum(axis=1)
    return np.where(wholly.all(axis=1), areas.sum(axis=1), bent)
