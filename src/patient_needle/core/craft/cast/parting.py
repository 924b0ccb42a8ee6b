"""Parting: where two parts of a body close on cloth, both are drawn in, so that cloth between them has room.

How far a point is drawn in follows from the pose alone: the same pose gives the same shape, whatever the cloth
does, and room comes and goes as the parts do. Two parts that touch where the run begins, as in a joint, are
left as they are made. Cloth is led by the mean of both surfaces, as pinched cloth is in D. Baraff, A. Witkin
and M. Kass, Untangling cloth, ACM Transactions on Graphics 22, 2003; here the surfaces go there instead.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numba import njit
from scipy import sparse

from ...geometry.closed import inside
from ...geometry.topology import counted_edges, neighbour_means
from ...geometry.tree import Tree, build_tree, closest_points, refit
from ...geometry.triangles import lengths, unit, vertex_normals
from ...model.tolerances import (
    COVER_LIFT,
    MOST_PARTED,
    PARTED,
    PARTING_FACES,
    PARTING_PASSES,
    PARTING_REACH,
    PARTING_REST,
    PARTING_ROUNDS,
    PARTING_SLIM,
    PARTING_SLOPE,
)
from ...model.typed import Flags, Indices, Points, Scalars, Triangles, Vectors
from .colliders import Colliders


def least_room(colliders: Colliders, cloth: float) -> float:
    """What two parts that close on cloth should leave between them, m: garments that are `cloth` m thick in all
    lie there twice, and both parts keep them off. MOST_PARTED at most.
    """
    characters = [one.collider for one in colliders.members if one.kind == "character" and one.collider]
    gaps = [float(2 * one.clearance.values.max() + one.thickness.values.max()) for one in characters]
    return min(MOST_PARTED, PARTED * (max(gaps, default=0.0) + 2 * cloth))


@dataclass(frozen=True, eq=False)
class _Part:
    """A part's triangles (m, 3), those on its open rim (m,), its vertices (v,), and a tree over it."""

    triangles: Triangles
    rim: Flags
    vertices: Indices
    tree: Tree


class Parting:
    """How the parts of the cast make room among colliders, `need` m of it between two surfaces."""

    def __init__(self, colliders: Colliders, need: float) -> None:
        rest = colliders.rest_points()
        self._colliders, self._need, self._rest = colliders, need, rest
        self._parts: dict[int, _Part] = {}
        self._wanted: dict[int, tuple[Indices, Scalars]] = {}
        self._most = np.full(len(rest), np.inf)  # of two parts with one seam, the slimmer says how far
        for number in np.unique(colliders.part):
            if (colliders.member_of_part == colliders.member_of_part[number]).sum() > 1:
                triangles = colliders.triangles[colliders.part == number]
                own, edges, shares = np.unique(triangles), *counted_edges(triangles)
                rim = np.asarray(np.isin(triangles, edges[shares == 1]).any(axis=1))
                self._parts[int(number)] = _Part(triangles, rim, own, build_tree(rest, triangles))
                self._most[own] = np.minimum(self._most[own], PARTING_SLIM * _radius(rest[own]))
        if self._parts:
            self._edges, _ = counted_edges(colliders.triangles)
            self._falls = PARTING_SLOPE * lengths(rest[self._edges[:, 0]] - rest[self._edges[:, 1]])
            ends = np.concatenate([self._edges, self._edges[:, ::-1]])
            joined = sparse.csr_matrix((np.ones(len(ends)), ends.T), shape=(len(rest), len(rest)))
            self._mean = neighbour_means(joined)
            lifted = rest + COVER_LIFT * vertex_normals(rest, colliders.triangles)
            self._free = ~inside(rest, colliders.enclosing, lifted)

    def room(self, points: Points) -> Vectors | None:
        """How far colliders at points (k, 3) m are drawn in, (k, 3) m; None where no two parts close."""
        if not self._parts:
            return None
        moved = points
        for _ in range(PARTING_ROUNDS):
            lack, away = self._lack(moved)
            if not lack.any():
                break
            moved = moved + self._spread(moved, 0.5 * lack, away)
            way = moved - points
            moved = points + way * np.minimum(1.0, self._most / np.maximum(lengths(way), 1e-12))[:, None]
        return None if moved is points else moved - points

    def _lack(self, points: Points) -> tuple[Scalars, Vectors]:
        """How much each point lacks of its room, (k,) m, and the way out of what is too near, (k, 3)."""
        lack, away = np.zeros(len(points)), np.zeros((len(points), 3))
        normals = vertex_normals(points, self._colliders.triangles)
        for number, part in self._parts.items():
            vertices, room = self._apart(number)
            here, own = points[vertices], points[part.vertices]
            near = (here > own.min(axis=0) - self._need) & (here < own.max(axis=0) + self._need)
            near = near.all(axis=1)
            if not near.any():
                continue
            refit(part.tree, points)
            vertices = vertices[near]
            short, way = _short(part, points, normals, vertices, room[near])
            more = short > lack[vertices]
            lack[vertices[more]], away[vertices[more]] = short[more], way[more]
        return lack, away

    def _apart(self, number: int) -> tuple[Indices, Scalars]:
        """Vertices of a member's other parts that are apart from this one where the run begins, and the room
        that they want, m.
        """
        if number not in self._wanted:
            own, members = self._parts[number], self._colliders.member_of_part
            others = [one.vertices for other, one in self._parts.items() if members[other] == members[number]]
            vertices = np.setdiff1d(np.concatenate(others), own.vertices)
            vertices = vertices[self._free[vertices]]
            share, less = PARTING_REST
            reach, tree = (self._need + less) / share, build_tree(self._rest, own.triangles)
            distance = closest_points(tree, self._rest, self._rest[vertices], reach)[2]
            room = np.minimum(self._need, np.maximum(share * distance - less, 0.0))
            some = room > 0
            self._wanted[number] = vertices[some].astype(np.int32), room[some]
        return self._wanted[number]

    def _spread(self, points: Points, lack: Scalars, away: Vectors) -> Vectors:
        """A smooth move (k, 3) m: each point is drawn in by `lack` (k,) m, and others so that nothing tears."""
        far = lack.copy()
        _slope(far, self._edges, self._falls)
        way = away * lack[:, None]
        for _ in range(3 * PARTING_PASSES):
            way = 0.5 * (way + self._mean @ way)
        known = np.einsum("ij,ij->i", way, way) > 1e-16
        way = np.where(known[:, None], unit(way), -vertex_normals(points, self._colliders.triangles))
        move = far[:, None] * way
        for _ in range(PARTING_PASSES):
            move = 0.5 * (move + self._mean @ move)
        return np.asarray(move)


def _short(
    part: _Part, points: Points, normals: Vectors, vertices: Indices, room: Scalars
) -> tuple[Scalars, Vectors]:
    """What vertices (v,) that want room (v,) m lack to a part, (v,) m, and the way off it, (v, 3).

    Nothing where the two surfaces do not face each other, and nothing within the part's open rim, where what is
    inside cannot be told.
    """
    nearest, weights, distance = closest_points(part.tree, points, points[vertices], PARTING_REACH)
    distance = np.minimum(distance, PARTING_REACH)
    corners = part.triangles[nearest]
    way = unit(np.einsum("ij,ijk->ik", weights, normals[corners]))
    beyond = points[vertices] - np.einsum("ij,ijk->ik", weights, points[corners])
    sunk = np.einsum("ij,ij->i", beyond, way) < 0
    low, high = PARTING_FACES
    facing = np.clip((-np.einsum("ij,ij->i", normals[vertices], way) - low) / (high - low), 0, 1)
    short = (room - np.where(sunk, -distance, distance)) * facing
    short[(nearest < 0) | (sunk & part.rim[nearest])] = 0.0
    return short, way


def _radius(points: Points) -> float:
    """How far points (n, 3) m are from their longest axis, by the median, m."""
    centred = points - points.mean(axis=0)
    axis = np.linalg.svd(centred, full_matrices=False)[2][0]
    return float(np.median(np.linalg.norm(centred - np.outer(centred @ axis, axis), axis=1)))


@njit(cache=True)
def _slope(far, edges, falls):
    """Raise far (n,) until it falls by no more than falls (e,) along each of edges (e, 2)."""
    raised = True
    while raised:
        raised = False
        for i in range(edges.shape[0]):
            a, b = edges[i, 0], edges[i, 1]
            if far[a] - falls[i] > far[b] + 1e-6:
                far[b] = far[a] - falls[i]
                raised = True
            elif far[b] - falls[i] > far[a] + 1e-6:
                far[a] = far[b] - falls[i]
                raised = True
