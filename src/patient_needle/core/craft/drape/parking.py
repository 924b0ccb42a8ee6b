"""Parked cloth costs only as a collider: what still moves is solved alone, the rest stands around it.

The part that is solved is every triangle with a corner that moves, and two rings of triangles around, which are
held: contact with what lies next to the part is then that of cloth with itself, which knows its neighbours. All
other parked triangles are a collider as thick and as rough as the cloth that they are.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from ...contact.anchors import Anchors
from ...contact.filter import ringed
from ...contact.rows import SIDES, Surroundings
from ...geometry.topology import build_topology
from ...model.mesh import Topology
from ...model.shot import ShotPlan
from ...model.typed import Flags, Indices, Points, Triangles
from ...solver.cloth import Cloth, Part
from ...solver.links import NOBODY, Links
from ...solver.outfit import Outfit, outfit
from ...solver.state import ClothState, Taken
from ...solver.step import Engine
from ..cast.colliders import Colliders
from ..holds.acting import HeldPoints, Moment
from ..holds.dressing import Dressed
from ..holds.places import Fixed, InFile, OnRest, Places
from ..run.advance import Constants
from ..run.inputs import FrameInputs
from ..run.outfit_run import OutfitRun

RINGS = 2  # of parked triangles around what moves, solved with it and held
WORTH = 0.25  # of the vertices: with fewer parked, the whole is solved


@dataclass(frozen=True, eq=False)
class Chosen:
    """Some of the points of a hold whose places know them all: rows (k,) of those."""

    whole: OnRest | InFile | Fixed
    rows: Indices

    def take(self, points: Points, frame: float) -> tuple[Indices, np.ndarray]:
        """See `Places.take`."""
        triangle, place = self.whole.take(points, frame)
        return triangle[self.rows], place[self.rows]

    def at(self, triangle: Indices, place: np.ndarray, frame: float) -> Points:
        """See `Places.at`."""
        return self.whole.at(triangle, place, frame)[self.rows]

    def share(self, place: np.ndarray) -> np.ndarray:
        """See `Places.share`."""
        return np.ones(len(place))


@dataclass(frozen=True, eq=False)
class SomeDressed(Dressed):
    """A part of a garment: its holds are as firm as the whole one's weight asks."""

    whole: float = 0.0

    @property
    def weight(self) -> float:
        """N on Earth, of the whole garment."""
        return self.whole


@dataclass(frozen=True, eq=False)
class Moving:
    """What still moves of an outfit: its own constants, and what is what in the whole.

    parked    (n,) what is parked of the whole; vertices (q,) of the whole that are solved; held (q,) which of
              them stand still; taken (t,) rows of the whole's `taken`
    outer     (b,) vertices of the whole that the collider of parked cloth is made of; beside (b, 3) m, where
              they stand
    carriers  (c,) of what can carry an anchor here, which carrier of the whole it is; back (C,) the other way,
              -1 for none
    skin      what the parked collider asks of contact, per triangle: thickness m, square root of friction
    """

    parked: Flags
    constants: Constants
    vertices: Indices
    held: Flags
    taken: Indices
    number: Indices
    outer: Indices
    beside: Points
    carriers: Indices
    back: Indices
    thickness: np.ndarray
    friction: np.ndarray

    def state(self, whole: ClothState) -> ClothState:
        """The part of a state of the whole."""
        rows = self.vertices
        sides = _sides(rows, len(whole.positions))
        anchors = whole.anchors.triangle[sides]
        inside = np.where(anchors >= 0, self.back[np.maximum(anchors, 0)], -1).astype(np.int32)
        parts = np.zeros((len(rows), 1), bool)
        return ClothState(
            whole.positions[rows], whole.velocities[rows], whole.positions_before[rows],
            whole.velocities_before[rows], whole.last_step, Anchors(inside, whole.anchors.coordinates[sides]),
            whole.pushed[sides], np.concatenate([whole.released[rows], parts], axis=1), whole.eased[rows],
            Taken(*(getattr(whole.taken, name)[self.taken] for name in Taken.__dataclass_fields__)),
        )  # fmt: skip

    def back_in(self, whole: ClothState, part: ClothState) -> ClothState | None:
        """The state of the whole once the part of it has moved; None where parked cloth let something through,
        which the whole has to solve.
        """
        if part.released[:, -1].any():
            return None
        rows, count = self.vertices, len(whole.positions)
        sides = _sides(rows, count)
        triangle = part.anchors.triangle
        carried = np.where(triangle >= 0, self.carriers[np.maximum(triangle, 0)], -1).astype(np.int32)

        def put(values: np.ndarray, at: Indices, now: np.ndarray) -> np.ndarray:
            out = values.copy()
            out[at] = now
            return out

        still = np.zeros_like(whole.positions)
        taken = [
            put(getattr(whole.taken, name), self.taken, getattr(part.taken, name))
            for name in Taken.__dataclass_fields__
        ]
        return ClothState(
            put(whole.positions, rows, part.positions), put(still, rows, part.velocities),
            put(whole.positions, rows, part.positions_before), put(still, rows, part.velocities_before),
            part.last_step,
            Anchors(
                put(whole.anchors.triangle, sides, carried),
                put(whole.anchors.coordinates, sides, part.anchors.coordinates),
            ),
            put(whole.pushed, sides, part.pushed), put(whole.released, rows, part.released[:, :-1]),
            put(whole.eased, rows, part.eased), Taken(*taken),
        )  # fmt: skip

    def inputs(self, whole: FrameInputs, colliders: Colliders) -> FrameInputs:
        """A frame as the part meets it; colliders: all of the whole's."""
        off = ~np.isin(np.arange(len(colliders.rank)), whole.colliders.part)
        off &= np.isin(np.arange(len(colliders.rank)), colliders.part)

        def links(moment: Moment) -> list[Links]:
            return [made for one in whole.links(moment) if len(made := self._links(one))]

        return replace(
            whole,
            colliders=self.constants.colliders.without(np.append(off, False)),
            bodies=lambda time: np.concatenate([whole.bodies(time), self.beside]),
            around=lambda time: self.around(whole.around(time)),
            links=links,
            fillings=lambda time: (None,) * len(self.constants.dressed),  # noqa: ARG005
            prescriptions=tuple(one.prescription for one in self.constants.dressed),
            parked=self.held,
        )

    def around(self, plain: Surroundings) -> Surroundings:
        """What colliders ask of contact, with the parked cloth among them."""
        part = np.full(len(self.thickness), len(plain.rank), np.int32)
        off = np.zeros(len(plain.rank), bool) if plain.off is None else plain.off
        return Surroundings(
            np.append(plain.clearance, np.zeros(len(part))), np.append(plain.thickness, self.thickness),
            np.append(plain.friction, self.friction), np.append(plain.part, part).astype(np.int32),
            self.constants.colliders.rank, np.append(off, False),
        )  # fmt: skip

    def _links(self, links: Links) -> Links:
        """Those that draw what moves; what they draw it to in the whole is in the part too."""
        others = np.where(links.others >= 0, self.number[np.maximum(links.others, 0)], NOBODY)
        vertex = self.number[links.vertex]
        kept = (vertex >= 0) & ((others >= 0) == (links.others >= 0)).all(axis=1)
        names = Links.__dataclass_fields__
        chosen = Links(**{name: getattr(links, name)[kept] for name in names})
        return replace(chosen, vertex=vertex[kept].astype(np.int32), others=others[kept].astype(np.int32))


def moving_part(
    run: OutfitRun, parked: Flags, points: Points, links: list[Links], plan: ShotPlan, *, worth: float = WORTH
) -> Moving | None:
    """What moves of a run's outfit at points (n, 3) m when vertices are parked (n,); links: what draws some,
    whose ends are solved together. None where the whole is better solved: with little parked, or with garments
    that are calmed, filled, or told where to be.
    """
    whole, garments = run.outfit, run.run.garments
    plain = all(g.calm == 0 and g.filling is None and g.prescription.motion is None for g in garments)
    free = ~(parked | whole.held)
    if not plain or parked.mean() < worth or not free.any():
        return None
    solved = ~parked
    for link in links:
        ends = np.concatenate([link.vertex[:, None], link.others], axis=1)
        drawn = (solved[link.vertex])[:, None] & (ends >= 0)
        solved[ends[drawn]] = True
    for _ in range(RINGS + 1):
        solved = ringed(whole.triangles, solved)
    inner = solved[whole.triangles].all(axis=1)
    vertices = np.unique(whole.triangles[inner]).astype(np.int32)
    if len(vertices) > (1.0 - worth) * whole.count:
        return None
    number = np.full(whole.count, -1, np.int32)
    number[vertices] = np.arange(len(vertices), dtype=np.int32)
    pieces, taken, start = [], [], 0
    for one, span in zip(run.dressed, whole.spans, strict=True):
        own = vertices[(vertices >= span.start) & (vertices < span.stop)] - span.start
        if len(own):
            dressed, rows = _part_of(one, own)
            pieces.append((one, dressed))
            taken.append(rows + start)
        start += one.places
    worn = outfit(tuple(dressed.cloth for _, dressed in pieces))
    outer = whole.triangles[~inner]
    beside = np.unique(outer)
    there = np.searchsorted(beside, outer).astype(np.int32)
    colliders = _with(run.colliders, there)
    thickness = whole.skin.thickness[outer].mean(axis=1)
    friction = whole.skin.friction[outer].mean(axis=1)
    names = [one.cloth.name for one, _ in pieces]
    engine = _engine(run, worn, colliders, points[beside], names, plan)
    constants = Constants(tuple(dressed for _, dressed in pieces), worn, engine, colliders, plan.gravity)
    count = len(run.colliders.triangles)
    carriers = np.concatenate(
        [np.arange(count), count + np.flatnonzero(~inner), count + np.flatnonzero(inner)]
    ).astype(np.int32)
    back = np.full(count + len(whole.triangles), -1, np.int32)
    back[carriers] = np.arange(len(carriers), dtype=np.int32)
    rows = np.concatenate(taken).astype(np.int32) if taken else np.zeros(0, np.int32)
    return Moving(
        parked, constants, vertices, parked[vertices] & ~whole.held[vertices], rows, number,
        beside.astype(np.int32), points[beside], carriers, back, thickness, friction,
    )  # fmt: skip


def _sides(rows: Indices, count: int) -> Indices:
    """Entries of what each vertex has on each of its sides."""
    return np.concatenate([side * count + rows for side in range(SIDES)])


def _part_of(dressed: Dressed, own: Indices) -> tuple[SomeDressed, Indices]:
    """A garment's vertices (q,) made a garment, and which rows of its `taken` they have."""
    number = np.full(dressed.cloth.count, -1, np.int32)
    number[own] = np.arange(len(own), dtype=np.int32)
    holds, taken, start = [], [], 0
    for held in dressed.holds:
        rows = np.flatnonzero(number[held.vertices] >= 0).astype(np.int32)
        if held.places is not None:
            taken.append(start + rows)
        holds.append(_some(held, rows, number))
        start += held.count
    rows = np.concatenate(taken).astype(np.int32) if taken else np.zeros(0, np.int32)
    cloth = _cloth_of(dressed.cloth, own, number)
    made = SomeDressed(cloth, dressed.shape, tuple(holds), dressed.prescription, 0.0, dressed.weight)
    return made, rows


def _some(held: HeldPoints, rows: Indices, number: Indices) -> HeldPoints:
    places: Places | None = held.places
    if isinstance(places, (OnRest, InFile, Fixed)):
        places = Chosen(places, rows)
    vertices = number[held.vertices[rows]]
    return replace(
        held, vertices=vertices, grips=held.grips[rows], of_weight=held.of_weight[rows], places=places
    )


def _cloth_of(cloth: Cloth, own: Indices, number: Indices) -> Cloth:
    """Vertices (q,) of a cloth and the triangles among them as a cloth."""
    kept = np.flatnonzero((number[cloth.triangles] >= 0).all(axis=1))
    triangles = number[cloth.triangles[kept]].astype(np.int32)
    topology = build_topology(triangles, len(own), name=cloth.name)
    edges = _matched(topology.edges, cloth.topology.edges, own, cloth.count)
    hinges = _hinges(topology, cloth, own)
    moved = np.full(len(cloth.triangles), -1, np.int32)
    moved[kept] = np.arange(len(kept), dtype=np.int32)
    parts = tuple(
        Part(moved[part.triangles[moved[part.triangles] >= 0]], part.fabric, part.loads)
        for part in cloth.parts
        if (moved[part.triangles] >= 0).any()
    )
    per_vertex = ("placed", "vertex_areas", "mass", "held", "friction", "air", "calm", "clearance", "thickness")
    per_triangle = ("rest_inverse", "areas", "stretched", "sheared", "stretch_retardation")
    per_hinge = ("bend_retardation", "bend", "bend_rows", "hinge_lengths", "rest_angles")
    changes = {name: getattr(cloth, name)[own] for name in per_vertex}
    changes |= {name: getattr(cloth, name)[kept] for name in per_triangle}
    changes |= {name: getattr(cloth, name)[hinges] for name in per_hinge}
    near = None if cloth.near is None else cloth.near[own]
    one = None if cloth.one is None else cloth.one[own]
    return replace(
        cloth,
        topology=topology,
        near=near,
        one=one,
        rest_lengths=cloth.rest_lengths[edges],
        parts=parts,
        **changes,
    )


def _matched(edges: Indices, whole: Indices, own: Indices, count: int) -> Indices:
    """Which edge of the whole each edge is."""
    codes = np.sort(whole, axis=1).astype(np.int64) @ [count, 1]
    order = np.argsort(codes, kind="stable")
    wanted = np.sort(own[edges], axis=1).astype(np.int64) @ [count, 1]
    return order[np.searchsorted(codes[order], wanted)].astype(np.int32)


def _hinges(topology: Topology, cloth: Cloth, own: Indices) -> Indices:
    """Which hinge of the whole each hinge is; they run the same way, since triangles keep their order."""
    found = _matched(topology.hinges[:, :2], cloth.hinges[:, :2], own, cloth.count)
    assert np.array_equal(own[topology.hinges], cloth.hinges[found])
    return found


def _with(colliders: Colliders, triangles: Triangles) -> Colliders:
    """All colliders and, as one more part of nobody, parked cloth: triangles (b, 3) of points that follow."""
    count = sum(member.mesh.vertex_count for member in colliders.members)
    joined = np.concatenate([colliders.triangles, triangles + count]).astype(np.int32)
    nobody = np.full(len(triangles), len(colliders.members))
    rank = np.append(colliders.rank, colliders.rank.min(initial=0) - 1).astype(np.int32)
    part = np.append(colliders.part, np.full(len(triangles), len(colliders.rank))).astype(np.int32)
    return replace(
        colliders, triangles=joined, member=np.append(colliders.member, nobody).astype(np.int32), part=part,
        rank=rank, part_names=(*colliders.part_names, "parked cloth"),
        member_of_part=np.append(colliders.member_of_part, len(colliders.members)).astype(np.int32),
    )  # fmt: skip


def _engine(
    run: OutfitRun, worn: Outfit, colliders: Colliders, beside: Points, names: list[str], plan: ShotPlan
) -> Engine:
    """An engine for a part, which looks as far as the whole's."""
    whole = run.constants.engine
    rest = np.concatenate([run.colliders.rest_points(), beside])
    every = [one.cloth.name for one in run.dressed]
    forces = tuple(run.forces[every.index(name)] for name in names)
    return Engine(
        worn, rest, colliders.triangles, plan.patience, forces, whole.gap, widest=whole.widest,
        against_itself=True,
    )  # fmt: skip
