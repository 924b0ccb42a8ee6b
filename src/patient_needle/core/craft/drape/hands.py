"""What hands do to cloth: soft pulls, pins, parking, smoothing. Each is what one substep is told of it."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import numpy as np

from ...geometry.binding import Binding, bind_within, follow
from ...geometry.topology import border_loops
from ...geometry.tree import build_tree
from ...model.errors import ShotError
from ...model.tolerances import (
    FITTING_STEP,
    PIN_DAMPING,
    PIN_FIRMNESS,
    PIN_MOST,
    PIN_ON_BODY,
    PIN_REACH,
    PULL_FIRMNESS,
    PULL_MOST,
    PULL_SPEED,
    SMOOTHING,
)
from ...model.typed import Flags, Indices, Points, Scalars, Vectors
from ...solver.links import Links, to_places
from ...solver.outfit import Outfit
from ..cast.colliders import Colliders
from ..garments.surface import GarmentSurface


@dataclass(frozen=True, eq=False)
class Grip:
    """Cloth that is taken hold of: vertices (q,) of the outfit, how firmly each (q,) from 0 to 1, and where
    they were (q, 3) m. reach m; at (3,) m the place itself; corners (3,) and weights (3,): where on the cloth.
    """

    garment: str
    vertices: Indices
    share: Scalars
    was: Points
    reach: float
    at: Vectors
    corners: Indices
    weights: Vectors


@dataclass(frozen=True, eq=False)
class Pull:
    """A soft pull on cloth by `by` (3,) m, on its way to `goal`. With more than a force that goes with its
    reach, it slips.
    """

    grip: Grip
    by: Vectors
    goal: Vectors

    def further(self) -> Pull:
        """A step later: no faster than a hand draws cloth."""
        way = self.goal - self.by
        far = float(np.linalg.norm(way))
        most = PULL_SPEED * FITTING_STEP
        return replace(self, by=self.goal if far <= most else self.by + way * (most / far))

    @property
    def most(self) -> float:
        """N that it pulls with at most."""
        return PULL_MOST * 2.0 * self.grip.reach

    def links(self) -> Links:
        """What it asks in a substep."""
        grip = self.grip
        part = grip.share / grip.share.sum()
        goal = grip.was + self.by
        pull = to_places(grip.vertices, goal, goal, PULL_FIRMNESS * part, np.zeros(len(part)))
        return pull.yielding(self.most * part)

    def slips(self, points: Points) -> float:
        """How far the cloth stays behind, m, with the outfit at points (n, 3) m: 0 while the pull holds it."""
        grip = self.grip
        part = grip.share / grip.share.sum()
        behind = float(part @ np.linalg.norm(grip.was + self.goal - points[grip.vertices], axis=1))
        return behind if PULL_FIRMNESS * behind > self.most else 0.0


@dataclass(frozen=True, eq=False)
class Pin:
    """A pin through cloth: firm, but it gives way before cloth tears. places (q, 3) m in space, or binding: on
    the body that it was put in. on: the cast member of that, "" in space.
    """

    number: int
    grip: Grip
    places: Points
    binding: Binding | None = None
    on: str = ""

    def at(self, bodies: Points) -> Points:
        """Where its cloth belongs (q, 3) m with the colliders at bodies (k, 3) m."""
        return self.places if self.binding is None else follow(self.binding, bodies)

    def links(self, before: Points, after: Points) -> Links:
        """What it asks while the colliders go from `before` to `after`, (k, 3) m each."""
        part = self.grip.share / self.grip.share.sum()
        damping = np.full(len(part), PIN_DAMPING)
        held = to_places(self.grip.vertices, self.at(before), self.at(after), PIN_FIRMNESS * part, damping)
        return replace(held, most=PIN_MOST * part)

    def moved(self, by: Vectors, bodies: Points) -> Pin:
        """The pin in space, (3,) m further."""
        return replace(self, places=self.at(bodies) + by, binding=None, on="")


@dataclass(frozen=True, eq=False)
class Hands:
    """All that hands do at one time. parked (n,) vertices that are set aside; smoothing (n,) how much each is
    relaxed, None for none; weight: share of gravity; next_pin: the number that the next pin gets.
    """

    parked: Flags
    pulls: tuple[Pull, ...] = ()
    pins: tuple[Pin, ...] = ()
    smoothing: Scalars | None = None
    weight: float = 1.0
    next_pin: int = 1

    @staticmethod
    def none(count: int) -> Hands:
        """Hands off `count` vertices."""
        return Hands(np.zeros(count, bool))

    def links(self, cloth: Handled, points: Points, before: Points, after: Points) -> list[Links]:
        """What they ask of the outfit at points (n, 3) m while the colliders go from `before` to `after`."""
        out = [pull.links() for pull in self.pulls] + [pin.links(before, after) for pin in self.pins]
        if self.smoothing is not None and self.smoothing.any():
            out.append(cloth.smoothed(points, self.smoothing))
        return out


@dataclass(frozen=True, eq=False)
class Handled:
    """An outfit with what hands need of it: the surface of each garment, by name, in its order."""

    outfit: Outfit
    names: tuple[str, ...]
    surfaces: tuple[GarmentSurface, ...]
    _degree: Scalars = field(init=False)
    _edges: Indices = field(init=False)

    def __post_init__(self) -> None:
        pieces = [
            s.topology.edges + span.start for s, span in zip(self.surfaces, self.outfit.spans, strict=True)
        ]
        edges = np.concatenate(pieces)
        object.__setattr__(self, "_edges", edges)
        object.__setattr__(self, "_degree", np.bincount(edges.ravel(), minlength=self.outfit.count))

    def index(self, garment: str) -> int:
        """Which garment has a name; `ShotError` when none has it."""
        if garment not in self.names:
            remedy = f"There are {', '.join(self.names)}"
            raise ShotError(f"there is no garment '{garment}' in this fitting", remedy=remedy)
        return self.names.index(garment)

    def grip(
        self, garment: str, corners: Indices, weights: Vectors, reach: float, points: Points, free: Flags
    ) -> Grip:
        """Cloth within `reach` m, along the cloth, of a place on it: corners (3,) of a triangle of the garment
        and barycentric weights (3,); with the outfit at points (n, 3) m, of which those that are `free` (n,)
        can be taken.

        `ShotError` where there is no such triangle, or none of it is free.
        """
        index = self.index(garment)
        surface, span = self.surfaces[index], self.outfit.spans[index]
        triangle = _triangle(surface, corners, garment)
        distance = surface.walk.from_point(triangle, _in_order(surface, triangle, corners, weights), reach)
        return self._grip(garment, distance, corners, weights, reach, points, free, span)

    def hem(
        self, garment: str, corners: Indices, weights: Vectors, reach: float, points: Points, free: Flags
    ) -> Grip:
        """The whole border that runs nearest, along the cloth, to a place on it, and what is within `reach` m
        of that border. `ShotError` for a garment without borders.
        """
        index = self.index(garment)
        surface, span = self.surfaces[index], self.outfit.spans[index]
        triangle = _triangle(surface, corners, garment)
        loops = border_loops(surface.topology)
        if not loops:
            raise ShotError(f"'{garment}' has no border to take", remedy="Pull a place of it instead")
        far = surface.walk.from_point(triangle, _in_order(surface, triangle, corners, weights))
        nearest = min(loops, key=lambda loop: float(far[loop].min()))
        distance = surface.walk.from_line(nearest, reach)
        return self._grip(garment, distance, corners, weights, reach, points, free, span)

    def _grip(
        self, garment: str, distance: Scalars, corners: Indices, weights: Vectors, reach: float, points: Points,
        free: Flags, span: slice,
    ) -> Grip:  # fmt: skip
        share = np.where(np.isfinite(distance), np.maximum(0.0, 1.0 - (distance / reach) ** 2) ** 2, 0.0)
        near = np.flatnonzero(share > 0)
        if len(near) == 0:  # the reach is less than a triangle: its nearest corner is taken
            near = corners[np.argmax(weights)][None]
            share[near] = 1.0
        taken = near[free[span][near]]
        at = weights @ points[span][corners]
        if len(taken) == 0:
            what = "welded to what it is held by" if self.outfit.held[span][near].all() else "parked"
            remedy = (
                "Pull beside it" if what.startswith("welded") else "Take it up again first, or pull beside it"
            )
            raise ShotError(
                f"that cloth is {what} and cannot be moved", where=f"garment '{garment}'", remedy=remedy
            )
        vertices = (taken + span.start).astype(np.int32)
        return Grip(garment, vertices, share[taken], points[vertices], reach, at, corners, weights)

    def mirrored(self, garment: str, corners: Indices, weights: Vectors) -> tuple[Indices, Vectors]:
        """The place of a garment that lies opposite, across x = 0 as it was made: corners and weights (3,).

        `ShotError` where there is no cloth.
        """
        surface = self.surfaces[self.index(garment)]
        turn = np.array([-1.0, 1.0, 1.0])
        triangle = _triangle(surface, corners, garment)
        place = (weights @ surface.mesh.vertices[corners]) * turn
        found, at, away = surface.nearest(place[None], (surface.facing[triangle] * turn)[None])
        if away[0] > max(2.0 * surface.spacing, 0.02):
            remedy = "Pull without the mirror"
            raise ShotError(
                "there is no cloth opposite that place", where=f"garment '{garment}'", remedy=remedy
            )
        return surface.triangles[found[0]], at[0]

    def smoothed(self, points: Points, share: Scalars) -> Links:
        """Links that draw vertices to the middle of their neighbours, by share (n,) from 0 to 1."""
        edges, count = self._edges, self.outfit.count
        middle = np.zeros((count, 3))
        for axis in range(3):
            middle[:, axis] = np.bincount(edges[:, 0], points[edges[:, 1], axis], count)
            middle[:, axis] += np.bincount(edges[:, 1], points[edges[:, 0], axis], count)
        middle /= np.maximum(self._degree, 1)[:, None]
        at = np.flatnonzero(share > 0).astype(np.int32)
        firm = SMOOTHING * share[at] * self.outfit.mass[at]
        return to_places(at, points[at], middle[at], firm, np.zeros(len(at)))

    def brushed(self, garment: str, corners: Indices, weights: Vectors, radius: float) -> Scalars:
        """What a brush of `radius` m leaves (n,) from places of a garment: corners (k, 3), weights (k, 3)."""
        index = self.index(garment)
        surface = self.surfaces[index]
        triangles = np.array([_triangle(surface, one, garment) for one in corners], np.int32)
        ordered = np.array(
            [_in_order(surface, t, c, w) for t, c, w in zip(triangles, corners, weights, strict=True)]
        )
        out = np.zeros(self.outfit.count)
        out[self.outfit.spans[index]] = surface.walk.brushed(
            triangles, ordered, np.ones(len(triangles)), radius, 0.5 * radius
        )
        return out

    def pinned(self, number: int, grip: Grip, points: Points, by: Vectors) -> Pin:
        """The middle of what is taken made fast in space, (3,) m from where it is."""
        reach = max(PIN_REACH, 1.5 * self.outfit.spacing)
        least = (1.0 - min(1.0, reach / grip.reach) ** 2) ** 2
        near = grip.share >= min(float(grip.share.max()), least)
        vertices = grip.vertices[near]
        held = replace(grip, vertices=vertices, share=grip.share[near], was=points[vertices])
        return Pin(number, held, held.was + by)


def on_body(pin: Pin, colliders: Colliders, bodies: Points) -> Pin:
    """A pin put through cloth into the nearest body, which carries it from here on; bodies (k, 3) m.

    `ShotError` where no body is within reach.
    """
    if len(colliders.triangles) == 0:
        raise ShotError("there is no body to pin cloth to", remedy="Pin it in space")
    found, binding = bind_within(bodies, build_tree(bodies, colliders.triangles), pin.places, PIN_ON_BODY)
    if not found.all():
        remedy = "Pull it nearer, or pin it in space"
        raise ShotError(f"no body is within {PIN_ON_BODY * 1e3:.0f} mm of that cloth", remedy=remedy)
    member = colliders.members[colliders.member[binding.triangle[0]]].name
    return replace(pin, binding=binding, on=member)


def _triangle(surface: GarmentSurface, corners: Indices, garment: str) -> int:
    found = np.flatnonzero((np.sort(surface.triangles, axis=1) == np.sort(corners)).all(axis=1))
    if len(found) == 0:
        raise ShotError(
            f"there is no cloth with the corners {', '.join(map(str, corners))}", where=f"garment '{garment}'",
            remedy="Press on the cloth again",
        )  # fmt: skip
    return int(found[0])


def _in_order(surface: GarmentSurface, triangle: int, corners: Indices, weights: Vectors) -> Vectors:
    """Barycentric weights in the order of a triangle's own corners."""
    own = surface.triangles[triangle]
    return np.array([float(weights[corners == v].sum()) for v in own])
