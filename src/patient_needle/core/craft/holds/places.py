"""Places of holds: where each kind of hold attaches a point, and where that place is later."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Protocol

import numpy as np

from ...geometry.binding import Binding, bind, bind_within, follow
from ...geometry.curves import value_at
from ...geometry.placing import moved
from ...geometry.rotations import rigid_between
from ...geometry.skinning import transform
from ...geometry.tree import build_tree, refit
from ...geometry.triangles import unit
from ...model.errors import ShotError
from ...model.holds import Follow, Handle, How, Stick, Tether
from ...model.motion import Motion
from ...model.shot import CastMember, Garment, ShotPlan
from ...model.typed import Indices, Matrices, Points, Scalars, Vectors
from ..cast.run_in import StagedMotion


class Whereabouts:
    """The cast of one run at any moment, each member worked out once for it."""

    def __init__(self, plan: ShotPlan) -> None:
        self._plan = plan
        self._motions = {m.name: self.staged(m.motion) for m in plan.cast}
        self._known: dict[tuple[str, float], Points] = {}

    def staged(self, motion: Motion) -> StagedMotion:
        """A motion with the shot's run-in before it."""
        return StagedMotion(motion, self._plan.run_in, self._plan.frames[0])

    def member(self, name: str) -> CastMember:
        """The member called `name`; `ShotError` when the cast has none."""
        try:
            return self._plan.member(name)
        except StopIteration:
            raise ShotError(
                f"it holds on to '{name}', which is not in the cast",
                remedy=f"Name one of {', '.join(self._motions) or 'nobody: the cast is empty'}",
            ) from None

    def at(self, name: str, frame: float) -> Points:
        """Positions (n, 3) m of a member at `frame`, run-in included."""
        key = (name, frame)
        if key not in self._known:
            while len(self._known) > 2 * len(self._motions):
                del self._known[next(iter(self._known))]
            self._known[key] = self._motions[name].at(frame)
        return self._known[key]


class Places(Protocol):
    """Where k points belong: taken at one moment, found again at any other."""

    def take(self, points: Points, frame: float) -> tuple[Indices, Vectors]:
        """Hold on from `points` (k, 3) m at `frame`: what each holds on to (k,), -1 for nothing, and (k, 7)."""

    def at(self, triangle: Indices, place: Vectors, frame: float) -> Points:
        """Where points (k, 3) m that were so taken belong at `frame`; anything where there is nothing."""

    def share(self, place: Vectors) -> Scalars:
        """Share (k,) of the hold's grip that reaches each point."""


def places_of(
    how: How, garment: Garment, vertices: Indices, whereabouts: Whereabouts, name: str
) -> Places | None:
    """The places of a hold over a garment's `vertices` (k,); None for holds between cloth and cloth.

    `StartError` when one that follows is too far from what it follows, `ShotError` when there is no such thing.
    """
    points = garment.mesh.vertices[vertices]
    match how:
        case Follow(None):
            if garment.motion is None:
                raise ShotError("its own file has no motion", remedy="Let it follow a cast member")
            return InFile(whereabouts.staged(garment.motion), vertices)
        case Follow(str() as member):
            return OnRest(whereabouts, whereabouts.member(member), points, name)
        case Stick(member, reach):
            return OnNearest(whereabouts, whereabouts.member(member), reach)
        case Tether(None):
            return Fixed(points)
        case Tether(str() as member):
            return OnRest(whereabouts, whereabouts.member(member), points, name, worn=False)
        case Handle():
            return InHandle(whereabouts, how, name)
        case _:
            return None


class OnRest:
    """On the nearest surface of a member, as the garment lies on its rest pose: the worn shape; or, not worn,
    on that surface itself.
    """

    def __init__(
        self, whereabouts: Whereabouts, member: CastMember, points: Points, name: str, *, worn: bool = True
    ) -> None:
        self._whereabouts, self._name = whereabouts, member.name
        rest, triangles = member.motion.rest(), member.cut.triangles
        if worn:
            self._binding = bind(rest, triangles, points, name=f"hold '{name}'")
        else:
            _, nearest = bind_within(rest, build_tree(rest, triangles), points, np.inf)
            self._binding = replace(nearest, height=0 * nearest.height, slide=0 * nearest.slide)

    def take(self, points: Points, frame: float) -> tuple[Indices, Vectors]:  # noqa: ARG002
        """See `Places.take`; always as in the rest pose."""
        return self._binding.triangle, self._binding.rows()

    def at(self, triangle: Indices, place: Vectors, frame: float) -> Points:  # noqa: ARG002
        """See `Places.at`."""
        return follow(self._binding, self._whereabouts.at(self._name, frame))

    def share(self, place: Vectors) -> Scalars:
        """See `Places.share`."""
        return np.ones(len(place))


class OnNearest:
    """On the nearest place of a member when the hold begins, within reach, at the distance it has then."""

    def __init__(self, whereabouts: Whereabouts, member: CastMember, reach: float) -> None:
        self._whereabouts, self._member, self._reach = whereabouts, member, reach
        self._tree = build_tree(member.motion.rest(), member.cut.triangles)

    def take(self, points: Points, frame: float) -> tuple[Indices, Vectors]:
        """See `Places.take`."""
        return self._nearest(points, frame, self._reach)

    def slid(self, triangle: Indices, place: Vectors, way: Vectors, frame: float) -> tuple[Indices, Vectors]:
        """Places after each has gone `way` (k, 3) m along the surface, as far from it as before."""
        moves = (triangle >= 0) & (way != 0).any(axis=1)
        there = self.at(triangle, place, frame)[moves] + way[moves]
        on, to = triangle.copy(), place.copy()
        on[moves], to[moves] = self._nearest(there, frame, np.inf)
        far = np.linalg.norm(place[moves, 3:], axis=1)
        to[moves, 3:] *= (far / np.maximum(np.linalg.norm(to[moves, 3:], axis=1), 1e-300))[:, None]
        return on, to

    def normals(self, triangle: Indices, frame: float) -> Vectors:
        """Of the triangles (k,) held on to, (k, 3)."""
        surface = self._whereabouts.at(self._member.name, frame)
        a, b, c = (surface[self._member.cut.triangles[triangle][:, k]] for k in range(3))
        return unit(np.cross(b - a, c - a))

    def _nearest(self, points: Points, frame: float, reach: float) -> tuple[Indices, Vectors]:
        surface = self._whereabouts.at(self._member.name, frame)
        refit(self._tree, surface)
        near, binding = bind_within(surface, self._tree, points, reach)
        triangle, place = np.full(len(points), -1, np.int32), np.zeros((len(points), 7))
        triangle[near], place[near] = binding.triangle, binding.rows()
        return triangle, place

    def at(self, triangle: Indices, place: Vectors, frame: float) -> Points:
        """See `Places.at`."""
        out, stuck = np.zeros((len(place), 3)), triangle >= 0
        binding = Binding.of_rows(self._member.cut.triangles, triangle[stuck], place[stuck])
        out[stuck] = follow(binding, self._whereabouts.at(self._member.name, frame))
        return out

    def share(self, place: Vectors) -> Scalars:
        """See `Places.share`."""
        return np.ones(len(place))


@dataclass(frozen=True, eq=False)
class InFile:
    """Where the garment's own file has its `vertices` (k,)."""

    motion: StagedMotion
    vertices: Indices

    def take(self, points: Points, frame: float) -> tuple[Indices, Vectors]:  # noqa: ARG002
        """See `Places.take`."""
        return np.zeros(len(self.vertices), np.int32), np.zeros((len(self.vertices), 7))

    def at(self, triangle: Indices, place: Vectors, frame: float) -> Points:  # noqa: ARG002
        """See `Places.at`."""
        return self.motion.at(frame)[self.vertices]

    def share(self, place: Vectors) -> Scalars:
        """See `Places.share`."""
        return np.ones(len(place))


@dataclass(frozen=True, eq=False)
class Fixed:
    """Where `points` (k, 3) m are, for good."""

    points: Points

    def take(self, points: Points, frame: float) -> tuple[Indices, Vectors]:  # noqa: ARG002
        """See `Places.take`."""
        return np.zeros(len(self.points), np.int32), np.zeros((len(self.points), 7))

    def at(self, triangle: Indices, place: Vectors, frame: float) -> Points:  # noqa: ARG002
        """See `Places.at`."""
        return self.points

    def share(self, place: Vectors) -> Scalars:
        """See `Places.share`."""
        return np.ones(len(place))


class InHandle:
    """Carried by a handle: place holds a point's coordinates in it and its share of the grip."""

    def __init__(self, whereabouts: Whereabouts, handle: Handle, name: str) -> None:
        self._whereabouts, self._handle = whereabouts, handle
        if handle.scale.values.min() <= 0:
            raise ShotError(
                f"the handle is scaled to {handle.scale.values.min():g}",
                where=f"hold '{name}'",
                remedy="Keep its scale above 0",
            )
        self._carried = self._carrier(name)

    def _carrier(self, name: str) -> Indices | None:
        """Vertices of what carries the handle; None when nothing does."""
        handle = self._handle
        if handle.member is None:
            return None
        member = self._whereabouts.member(handle.member)
        if handle.part is None:
            return np.arange(member.mesh.vertex_count, dtype=np.int32)
        if handle.part not in member.part_names:
            raise ShotError(
                f"'{handle.member}' has no part '{handle.part}'",
                where=f"hold '{name}'",
                remedy=f"It has {', '.join(member.part_names)}",
            )
        chosen = member.part == member.part_names.index(handle.part)
        return np.unique(member.cut.triangles[chosen]).astype(np.int32)

    def transform(self, frame: float) -> Matrices:
        """The handle's (4, 4) at `frame`; one that is carried stands as keyed while its carrier is at rest."""
        handle = self._handle
        own = transform(
            np.array([value_at(c, frame) for c in handle.place]),
            np.array([value_at(c, frame) for c in handle.turn]),
            value_at(handle.scale, frame),
        )
        if self._carried is None or handle.member is None:
            return own
        rest = self._whereabouts.member(handle.member).motion.rest()
        now = self._whereabouts.at(handle.member, frame)
        return rigid_between(rest[self._carried], now[self._carried]) @ own

    def take(self, points: Points, frame: float) -> tuple[Indices, Vectors]:
        """See `Places.take`."""
        here = self.transform(frame)
        place = np.zeros((len(points), 7))
        place[:, :3] = moved(points, np.linalg.inv(here).astype(np.float64))
        place[:, 3] = 1.0
        if self._handle.reach is not None:
            away = np.linalg.norm(points - here[:3, 3], axis=1) / self._handle.reach
            inside = np.clip(1.0 - away, 0.0, 1.0)
            place[:, 3] = inside * inside * (3.0 - 2.0 * inside)
        return np.where(place[:, 3] > 0, 0, -1).astype(np.int32), place

    def at(self, triangle: Indices, place: Vectors, frame: float) -> Points:  # noqa: ARG002
        """See `Places.at`."""
        return moved(place[:, :3], self.transform(frame))

    def share(self, place: Vectors) -> Scalars:
        """See `Places.share`."""
        return place[:, 3]
