"""How much of a body shows through the cloth, counted on the full body even if an understudy collides."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy import sparse
from scipy.sparse.csgraph import connected_components

from ...contact.intersections import crossing_pairs
from ...geometry.closed import inside
from ...geometry.curves import value_at
from ...geometry.topology import is_closed
from ...geometry.tree import build_tree, closest_points
from ...geometry.triangles import triangle_areas
from ...model.curve import Curve
from ...model.shot import CastMember, ShotPlan
from ...model.typed import Flags, Indices, Points, Triangles
from ..cast.run_in import StagedMotion


@dataclass(frozen=True, eq=False)
class Body:
    """A cast member that cloth does not meet as a whole: an understudy stands in for it, or parts are left out.

    on: where it is below 0.5 the member is switched off by choice and nothing is counted; None for always.
    """

    member: CastMember
    motion: StagedMotion
    on: Curve | None
    closed: bool


@dataclass(frozen=True)
class Showing:
    """A body in one frame of one garment.

    of         name of the cast member
    left_out   whether this counts the parts that were left out by choice, or all others
    crossings  triangle pairs that intersect, exactly
    area       m2, of the cloth triangles that cross the body or lie within it
    """

    of: str
    left_out: bool
    crossings: int
    area: float


def bodies_of(plan: ShotPlan) -> tuple[Body, ...]:
    """The members whose full surface says more than the colliders do, in the order of the cast."""
    out = []
    for member in plan.cast:
        if member.stands_in_for is not None:
            continue
        meets = next((one for one in plan.cast if one.stands_in_for == member.name), member).collider
        if meets is None or (member.collider is not None and member.chosen.all()):
            continue
        motion = StagedMotion(member.motion, plan.run_in, plan.frames[0])
        out.append(Body(member, motion, meets.on, is_closed(member.cut.triangles)))
    return tuple(out)


def shown_through(
    bodies: Sequence[Body], triangles: Triangles, points: Points, frame: float
) -> tuple[Showing, ...]:
    """What of each body shows through cloth of `triangles` (m, 3) at points (n, 3) m; one for the parts that
    count, and one for the parts that are left out where there are any.
    """
    out: list[Showing] = []
    for body in bodies:
        if body.on is None or value_at(body.on, frame) >= 0.5:
            out += _counted(body, triangles, points, body.motion.at(frame))
    return tuple(out)


def _counted(body: Body, triangles: Triangles, points: Points, around: Points) -> list[Showing]:
    member = body.member
    pairs = np.zeros((0, 2), np.int32)
    within = np.zeros(0, np.int32)
    apart = np.zeros(0, bool)
    if _near(points, around):
        pairs = crossing_pairs(points, triangles, around, member.cut.triangles)
        if body.closed:
            within = sunk_triangles(triangles, points, np.unique(pairs[:, 0]), member.cut.triangles, around)
            apart = _beside_left_out(member, triangles[within], points, around)
    left_out = ~member.chosen[pairs[:, 1]]
    out = []
    for choice in (False, True):
        if choice and member.chosen.all():
            continue
        met = np.union1d(pairs[left_out == choice, 0], within[apart == choice])
        area = float(triangle_areas(points, triangles[met]).sum()) if len(met) else 0.0
        out.append(Showing(member.name, choice, int((left_out == choice).sum()), area))
    return out


def _near(a: Points, b: Points) -> bool:
    """Whether the boxes of two sets of points (n, 3) m overlap."""
    return bool(((a.max(axis=0) >= b.min(axis=0)) & (b.max(axis=0) >= a.min(axis=0))).all())


def sunk_triangles(
    triangles: Triangles, points: Points, crossed: Indices, body: Triangles, around: Points
) -> Indices:
    """Cloth triangles that lie inside the body and do not cross it, as indices.

    A piece of cloth that does not cross the body lies on one side of it: one point is asked for each piece.
    """
    whole = np.setdiff1d(np.arange(len(triangles)), crossed)
    corners = triangles[whole]
    if len(corners) == 0:
        return np.zeros(0, np.int32)
    sides = np.concatenate([corners[:, [0, 1]], corners[:, [1, 2]]])
    graph = sparse.coo_matrix((np.ones(len(sides)), (sides[:, 0], sides[:, 1])), (len(points), len(points)))
    _, label = connected_components(graph, directed=False)
    pieces, first = np.unique(label[corners[:, 0]], return_index=True)
    deep = pieces[inside(around, body, points[corners[first, 0]])]
    return whole[np.isin(label[corners[:, 0]], deep)].astype(np.int32)


def _beside_left_out(member: CastMember, corners: Triangles, points: Points, around: Points) -> Flags:
    """Which cloth triangles (k, 3) have the nearest place of the body among the parts left out, (k,)."""
    if len(corners) == 0 or member.chosen.all():
        return np.zeros(len(corners), bool)
    tree = build_tree(around, member.cut.triangles)
    nearest = closest_points(tree, around, points[corners].mean(axis=1))[0]
    return np.asarray(~member.chosen[nearest])
