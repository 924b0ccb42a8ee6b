"""Faults of single frames: every place where cloth is in something, torn, crumpled or off its hold.

A mark says for one kind of fault which vertices have it in a frame, and how badly. What needs several frames to
be seen stands in `jumps`; marks become snags in `snags`.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ...contact.intersections import crossing_depths, crossing_pairs
from ...geometry.closed import inside
from ...geometry.curves import value_at
from ...geometry.tree import Tree, build_tree, closest_points, refit
from ...geometry.triangles import area_vectors, unit
from ...model.holds import WELD
from ...model.tolerances import (
    COVER_LIFT,
    CRUMPLED,
    DEFAULT,
    FOLDED_COSINE,
    FOLDED_NEIGHBOURS,
    OFF_HOLD,
    OFF_HOLD_SPACING,
)
from ...model.typed import Flags, Indices, Points, Scalars, Triangles
from ...solver.diagnostics import edge_strains
from ...solver.outfit import Outfit
from ..cast.colliders import Colliders
from ..holds.acting import Moment
from ..inspect.showing import Body, bodies_of, sunk_triangles
from ..inspect.snags import IN_THE_BODY, OVERSTRETCH, PINCHED, THROUGH_ANOTHER, THROUGH_ITSELF
from ..run.release import drawn_in, find_crossings
from .footage import Footage

FULL_BODY = "shows through"
CRUMPLE = "crumple"
OFF_ITS_HOLD = "off its hold"
CROSSING = (IN_THE_BODY, PINCHED, FULL_BODY, THROUGH_ANOTHER, THROUGH_ITSELF)


@dataclass(frozen=True, eq=False)
class Mark:
    """One kind of fault of one garment in a frame.

    kind, garment  what, and of which garment by index
    other    what it meets: a cast member, a garment, a hold; "" for nothing
    vertices (q,) of the outfit, in rising order; depth (q,) m, how badly each has it
    pairs    triangle pairs that cross, for kinds that cross
    part     the collider part that most of it lies in, "" for none
    strain   the worst of overstretch
    """

    kind: str
    garment: int
    other: str
    vertices: Indices
    depth: Scalars
    pairs: int = 0
    part: str = ""
    strain: float = 0.0


class Inspector:
    """Judges frames of a footage. What does not change from frame to frame is made once."""

    def __init__(self, footage: Footage) -> None:
        self._run, self._worn = footage.run, footage.worn
        self._bodies = bodies_of(footage.run.plan)
        self._taken = [one.taken(footage.run.plan.first_simulated) for one in footage.run.dressed]
        self._neighbours = [
            _neighbours(cloth.topology.sides, len(cloth.triangles)) for cloth in footage.worn.cloths
        ]
        self._trees: dict[int, Tree] = {}

    def marks(self, footage: Footage, frame: int) -> list[Mark]:
        """All faults that a single frame shows."""
        points, colliders, around = footage.at(frame), footage.colliders(frame), footage.bodies(frame)
        closing = np.zeros(len(colliders.triangles), bool)
        room = footage.room(frame)
        if room is not None:
            around, closing = colliders.points_at(frame), drawn_in(colliders, room)
        crossings = find_crossings(self._worn, points, colliders, around)
        marks = self._in_colliders(points, colliders, around, crossings.colliders, closing)
        marks += self._through(points, crossings.itself, THROUGH_ITSELF)
        marks += self._through(points, crossings.garments, THROUGH_ANOTHER)
        marks += self._in_full(points, frame)
        marks += self._stretched(points)
        marks += self._crumpled(points)
        marks += self._off_holds(points, frame)
        return marks

    # Bodies.

    def _in_colliders(
        self, points: Points, colliders: Colliders, around: Points, pairs: Indices, closing: Flags
    ) -> list[Mark]:
        """Cloth in colliders at around (k, 3) m, pairs (p, 2) of triangles; pinched beside those that close."""
        worn, marks = self._worn, []
        if len(colliders.triangles) == 0:
            return []
        sunk = _all_sunk(worn, points, colliders, around, pairs)
        if len(pairs) == 0 and len(sunk) == 0:
            return []
        tree = self._tree(colliders, around)
        touched = np.union1d(pairs[:, 0], sunk).astype(np.int32)
        garment = worn.skin.garment[touched]
        for index in np.unique(garment):
            own = touched[garment == index]
            vertices = np.unique(worn.triangles[own]).astype(np.int32)
            vertices = vertices[~worn.held[vertices]]
            if len(vertices) == 0:
                continue
            nearest, _, distance = closest_points(tree, around, points[vertices])
            within = inside(around, colliders.enclosing, points[vertices])
            depth = np.where(within, distance, 0.0)
            mine = pairs[np.isin(pairs[:, 0], own)]
            reach = crossing_depths(points, worn.triangles[mine[:, 0]], around, colliders.triangles[mine[:, 1]])
            _spread(depth, vertices, worn.triangles[mine[:, 0]], reach)
            caught = closing[nearest] | _closing(nearest, colliders, around)
            member = colliders.member[nearest]
            for which in np.unique(member):
                for pinched in (False, True):
                    some = (member == which) & (caught == pinched)
                    if some.any():
                        part = colliders.part_names[np.bincount(colliders.part[nearest[some]]).argmax()]
                        count = int(np.isin(mine[:, 0], _touching(worn.triangles, vertices[some])).sum())
                        kind = PINCHED if pinched else IN_THE_BODY
                        name = colliders.members[which].name
                        marks.append(
                            Mark(kind, int(index), name, vertices[some], depth[some], count, part)
                        )  # fmt: skip
        return marks

    def _tree(self, colliders: Colliders, around: Points) -> Tree:
        key = len(colliders.triangles)
        if key not in self._trees or self._trees[key].triangles is not colliders.triangles:
            self._trees[key] = build_tree(around, colliders.triangles)
        else:
            refit(self._trees[key], around)
        return self._trees[key]

    def _in_full(self, points: Points, frame: int) -> list[Mark]:
        """Where the full body shows that a lighter collider stands in for; not what is left out by choice."""
        worn, marks = self._worn, []
        for body in self._bodies:
            if body.on is not None and value_at(body.on, frame) < 0.5:
                continue
            around = body.motion.at(frame)
            for index in range(len(worn.cloths)):
                own = worn.triangles[worn.skin.garment == index]
                touched, pairs = _shown(body, own, points, around)
                vertices = np.unique(own[touched]).astype(np.int32)
                vertices = vertices[~worn.held[vertices]]
                if len(vertices):
                    depth = _depth_in(body.member.cut.triangles, around, points[vertices])
                    marks.append(Mark(FULL_BODY, index, body.member.name, vertices, depth, pairs))
        return marks

    # Cloth.

    def _through(self, points: Points, pairs: Indices, kind: str) -> list[Mark]:
        worn, marks = self._worn, []
        if len(pairs) == 0:
            return []
        corners = worn.triangles[pairs]
        pairs = pairs[~worn.held[corners].all(axis=(1, 2))]
        garments = np.sort(worn.skin.garment[pairs], axis=1)
        for one, other in np.unique(garments, axis=0):
            mine = pairs[(garments == (one, other)).all(axis=1)]
            corners = worn.triangles[mine]
            reach = crossing_depths(points, corners[:, 0], points, corners[:, 1])
            vertices = np.unique(corners).astype(np.int32)
            depth = np.zeros(len(vertices))
            for side in (0, 1):
                _spread(depth, vertices, corners[:, side], reach)
            name = "" if one == other else worn.cloths[one].name
            marks.append(Mark(kind, int(other), name, vertices, depth, len(mine)))
        return marks

    def _stretched(self, points: Points) -> list[Mark]:
        marks = []
        for index, (cloth, span) in enumerate(zip(self._worn.cloths, self._worn.spans, strict=True)):
            limit = cloth.fabric.strain_limit
            strain, held = edge_strains(cloth, points[span])
            limit = DEFAULT.overstretch if limit is None else limit
            over = np.flatnonzero((strain > limit) & ~held)
            if len(over):
                edges = cloth.topology.edges[over]
                vertices = np.unique(edges).astype(np.int32)
                depth = np.zeros(len(vertices))
                _spread(depth, vertices, edges, (strain[over] - limit) * cloth.rest_lengths[over])
                worst = float(strain[over].max())
                marks.append(Mark(OVERSTRETCH, index, "", vertices + span.start, depth, strain=worst))
        return marks

    def _crumpled(self, points: Points) -> list[Mark]:
        """Triangles that are needles against their rest shape, or turned over against all around them."""
        marks = []
        for index, (cloth, span) in enumerate(zip(self._worn.cloths, self._worn.spans, strict=True)):
            own, triangles = points[span], cloth.triangles
            narrow = narrowest(own, triangles, cloth.rest_inverse)
            bad = narrow < CRUMPLED
            normals, neighbours = unit(area_vectors(own, triangles)), self._neighbours[index]
            facing = np.where(
                neighbours >= 0, np.einsum("mj,mkj->mk", normals, normals[np.maximum(neighbours, 0)]), 1.0
            )
            bad |= (facing < FOLDED_COSINE).sum(axis=1) >= FOLDED_NEIGHBOURS
            bad &= ~cloth.held[triangles].all(axis=1)
            if bad.any():
                corners = triangles[bad]
                vertices = np.unique(corners).astype(np.int32)
                depth = np.zeros(len(vertices))
                _spread(
                    depth,
                    vertices,
                    corners,
                    (1.0 - np.minimum(narrow[bad], 1.0)) * np.sqrt(2 * cloth.areas[bad]),
                )
                marks.append(Mark(CRUMPLE, index, "", vertices + span.start, depth))
        return marks

    def _off_holds(self, points: Points, frame: int) -> list[Mark]:
        """Welded vertices that are not where their hold has them; not of holds that slide or start late."""
        plan, marks = self._run.plan, []
        moment = Moment(frame, frame, frame, plan.first_simulated, plan.frame_rate)
        for index, (dressed, span) in enumerate(zip(self._run.dressed, self._worn.spans, strict=True)):
            start = 0
            for held in dressed.holds:
                rows = slice(start, start + held.count)
                start += held.count
                grip = held.grip_at(moment) * held.grips if held.welds and held.hold.on is None else None
                if grip is None or held.places is None or not (grip >= WELD).any():
                    continue
                taken = self._taken[index]
                there = held.places.at(taken.triangle[rows], taken.place[rows], frame)
                away = np.linalg.norm(points[span][held.vertices] - there, axis=1)
                most = max(OFF_HOLD, OFF_HOLD_SPACING * dressed.cloth.spacing)
                off = (grip >= WELD) & (taken.triangle[rows] >= 0) & (away > most)
                if off.any():
                    order = np.argsort(held.vertices[off])
                    vertices = (held.vertices[off][order] + span.start).astype(np.int32)
                    marks.append(Mark(OFF_ITS_HOLD, index, held.hold.name, vertices, away[off][order]))
        return marks


def narrowest(points: Points, triangles: Triangles, rest_inverse: Scalars) -> Scalars:
    """The least singular value (m,) of each triangle's deformation: 1 as made, 0 for a needle."""
    edges = np.stack([points[triangles[:, k]] - points[triangles[:, 0]] for k in (1, 2)], axis=2)
    moved = edges @ rest_inverse.reshape(-1, 2, 2)
    square = np.einsum("mki,mkj->mij", moved, moved)
    mean = 0.5 * (square[:, 0, 0] + square[:, 1, 1])
    half = np.hypot(0.5 * (square[:, 0, 0] - square[:, 1, 1]), square[:, 0, 1])
    return np.sqrt(np.maximum(mean - half, 0.0))


def _neighbours(sides: Indices, count: int) -> Indices:
    """The triangles (m, 3) across the edges of each, -1 for none; sides (h, 2) of each inner edge."""
    out, used = np.full((count, 3), -1, np.int32), np.zeros(count, np.int32)
    for a, b in np.concatenate([sides, sides[:, ::-1]]):
        out[a, used[a]] = b
        used[a] += 1
    return out


def _spread(depth: Scalars, vertices: Indices, corners: Indices, values: Scalars) -> None:
    """Raise the depth of each of `vertices`, in order, to the largest value of what it is a corner of."""
    where = np.searchsorted(vertices, corners)
    where = np.minimum(where, len(vertices) - 1)
    found = vertices[where] == corners
    every = np.broadcast_to(values[:, None], corners.shape)
    np.maximum.at(depth, where[found], every[found])


def _touching(triangles: Triangles, vertices: Indices) -> Indices:
    """Which triangles have one of `vertices`."""
    return np.flatnonzero(np.isin(triangles, vertices).any(axis=1)).astype(np.int32)


def _all_sunk(worn: Outfit, points: Points, colliders: Colliders, around: Points, pairs: Indices) -> Indices:
    """Cloth triangles that lie inside closed colliders and cross nothing."""
    if len(colliders.enclosing) == 0:
        return np.zeros(0, np.int32)
    return sunk_triangles(worn.triangles, points, np.unique(pairs[:, 0]), colliders.enclosing, around)


def _closing(nearest: Indices, colliders: Colliders, around: Points) -> Flags:
    """By the collider triangle nearest to each place (q,): whether it has sunk into a body, so that no place
    there is clean.
    """
    corners = colliders.triangles[nearest]
    lifted = around[corners].mean(axis=1) + COVER_LIFT * unit(area_vectors(around, corners))
    return inside(around, colliders.enclosing, lifted)


def _shown(body: Body, triangles: Triangles, points: Points, around: Points) -> tuple[Indices, int]:
    """Which cloth triangles the counted parts of a body show through, and how many pairs cross."""
    member = body.member
    pairs = crossing_pairs(points, triangles, around, member.cut.triangles)
    pairs = pairs[member.chosen[pairs[:, 1]]]
    return np.unique(pairs[:, 0]), len(pairs)


def _depth_in(triangles: Triangles, around: Points, points: Points) -> Scalars:
    """How deep points (q, 3) m lie in a closed body, m."""
    depth = np.zeros(len(points))
    within = np.flatnonzero(inside(around, triangles, points))
    if len(within):
        depth[within] = closest_points(build_tree(around, triangles), around, points[within])[2]
    return depth


def crossing_count(marks: Sequence[Mark]) -> int:
    """Triangle pairs that cross, of all kinds but the full body's."""
    return sum(mark.pairs for mark in marks if mark.kind != FULL_BODY)
