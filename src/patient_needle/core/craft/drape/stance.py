"""What surrounds a fitting: where the figure stands, which set pieces are in, what keeps cloth off them."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from ...contact.intersections import crossing_pairs
from ...contact.rows import Surroundings
from ...geometry.closed import inside
from ...geometry.curves import ease
from ...geometry.topology import is_closed
from ...model.errors import ShotError, StartError
from ...model.tolerances import CLEARANCE_SPEED, ENTER_FROM, ENTER_SPEED, FITTING_STEP
from ...model.typed import Flags, Points, Scalars, Triangles, Vectors
from ...solver.outfit import Outfit
from ..cast.colliders import Colliders

FURTHEST, BETWEEN = 2.0, 0.05  # m: how far away an open piece may begin, and between two such places
WAYS = np.array([(x, y, z) for x in (-1, 0, 1) for y in (-1, 0, 1) for z in (-1, 0, 1) if x or y or z], float)


@dataclass(frozen=True, eq=False)
class Coming:
    """A set piece on its way in: at `share` of it, 0 to 1. It grows about `centre` (3,) m, or comes from
    `aside` (3,) m away.
    """

    share: float
    each: float
    centre: Vectors | None
    aside: Vectors

    def at(self, points: Points) -> Points:
        """Its points, whose place is at (k, 3) m."""
        done = ease(self.share)
        if self.centre is not None:
            grown = ENTER_FROM + (1.0 - ENTER_FROM) * done
            return self.centre + grown * (points - self.centre)
        return points + (1.0 - done) * self.aside

    def further(self, substeps: int) -> Coming | None:
        """One substep of `substeps` to a step later; None when it is in."""
        share = self.share + self.each / substeps
        return None if share >= 1.0 else replace(self, share=share)


@dataclass(frozen=True, eq=False)
class Stance:
    """time: the frame that the figure stands at; goal: the one that it walks to. out: names of set pieces that
    are not there; coming: those on their way in. clearance (m,) m of each collider triangle as it is to be, and
    present (m,) as it is, NaN where the shot's own counts; friction: of members, by name.
    """

    time: float
    goal: float
    clearance: Scalars
    present: Scalars
    out: frozenset[str] = frozenset()
    coming: tuple[tuple[str, Coming], ...] = ()
    friction: tuple[tuple[str, float], ...] = ()

    @staticmethod
    def at(time: float, colliders: Colliders) -> Stance:
        """Standing at a frame among all colliders."""
        plain = np.full(len(colliders.triangles), np.nan)
        return Stance(time, time, plain, plain)

    @property
    def walks(self) -> bool:
        """Whether the figure is on its way."""
        return self.goal != self.time

    def off(self, colliders: Colliders, frame: int) -> Flags:
        """Which parts (p,) do not meet cloth."""
        off = colliders.parts_off(frame).copy()
        for index, member in enumerate(colliders.members):
            if member.name in self.out:
                off[colliders.member_of_part == index] = True
        return off

    def placed(self, colliders: Colliders, points: Points) -> Points:
        """Colliders whose places are at points (k, 3) m, with those that are coming where they are by now."""
        if not self.coming:
            return points
        points, names = points.copy(), [member.name for member in colliders.members]
        for name, coming in self.coming:
            span = colliders.spans[names.index(name)]
            points[span] = coming.at(points[span])
        return points

    def further(self, substeps: int) -> Stance:
        """A substep later, the figure where it is."""
        if not self.coming:
            return self
        moved = [(name, each.further(substeps)) for name, each in self.coming]
        return replace(self, coming=tuple((name, each) for name, each in moved if each is not None))

    def surroundings(self, colliders: Colliders, plain: Surroundings, frame: int) -> Surroundings:
        """What colliders ask of contact, with what hands changed."""
        clearance = np.where(np.isnan(self.present), plain.clearance, self.present)
        friction = plain.friction.copy()
        for name, value in self.friction:
            friction[colliders.member == _index(colliders, name)] = np.sqrt(value)
        return replace(plain, clearance=clearance, friction=friction, off=self.off(colliders, frame))

    def eased(self, plain: Surroundings) -> Stance:
        """A step later, clearances nearer to what they are to be: wider at a speed that cloth can follow."""
        wanted = np.where(np.isnan(self.clearance), plain.clearance, self.clearance)
        now = np.where(np.isnan(self.present), plain.clearance, self.present)
        if np.array_equal(wanted, now):
            return (
                self
                if np.array_equal(self.present, self.clearance, equal_nan=True)
                else replace(self, present=self.clearance)
            )
        return replace(self, present=np.minimum(wanted, now + CLEARANCE_SPEED * FITTING_STEP))

    def with_clearance(
        self, colliders: Colliders, name: str, value: float | None, points: Points, places: Points | None,
        radius: float,
    ) -> Stance:  # fmt: skip
        """A member's clearance in m, None for the shot's own; only within `radius` m of places (q, 3) m, if
        given, with the colliders at points (k, 3) m.
        """
        chosen = colliders.member == _index(colliders, name)
        if places is not None:
            centres = points[colliders.triangles].mean(axis=1)
            near = np.zeros(len(centres), bool)
            for place in places:
                near |= np.linalg.norm(centres - place, axis=1) <= radius
            chosen &= near
        wanted = self.clearance.copy()
        wanted[chosen] = np.nan if value is None else value
        return replace(self, clearance=wanted)

    def with_friction(self, colliders: Colliders, name: str, value: float) -> Stance:
        """A member's friction coefficient."""
        _index(colliders, name)
        return replace(self, friction=(*((n, v) for n, v in self.friction if n != name), (name, value)))

    def without(self, colliders: Colliders, name: str) -> Stance:
        """A prop or set piece taken away. `ShotError` for a character."""
        member = colliders.members[_index(colliders, name)]
        if member.kind == "character":
            raise ShotError(f"'{name}' is a character and stays", remedy="Take a prop or a set piece away")
        coming = tuple((n, c) for n, c in self.coming if n != name)
        return replace(self, out=self.out | {name}, coming=coming)

    def entering(self, colliders: Colliders, name: str, points: Points, worn: Outfit, cloth: Points) -> Stance:
        """A prop or set piece on its way in among cloth at (n, 3) m; points (k, 3) m, where colliders belong.

        A closed one begins small about a place inside it that is clear of cloth, an open one at the nearest
        clear place. `StartError` with the place where cloth is in the way.
        """
        index = _index(colliders, name)
        if name not in self.out:
            return self
        own = points[colliders.spans[index]]
        triangles = colliders.triangles[colliders.member == index] - colliders.spans[index].start
        closed = bool((colliders.enclosing_member == index).any()) and is_closed(triangles)
        coming = _grown(own, triangles, worn, cloth) if closed else _slid(own, triangles, worn, cloth)
        if coming is None:
            crossing = crossing_pairs(cloth, worn.triangles, own, triangles)
            at = cloth[worn.triangles[crossing[0, 0]]].mean(axis=0) if len(crossing) else own.mean(axis=0)
            where = ", ".join(f"{value:.3f}" for value in at)
            raise StartError(
                f"cloth is in the way of '{name}'", where=f"at ({where}) m",
                remedy="Pull the cloth aside or park it elsewhere, then bring it in",
            )  # fmt: skip
        return replace(self, out=self.out - {name}, coming=(*self.coming, (name, coming)))


def _index(colliders: Colliders, name: str) -> int:
    names = [member.name for member in colliders.members]
    if name not in names:
        raise ShotError(
            f"'{name}' is no collider of this shot", remedy=f"There are {', '.join(names) or 'none'}"
        )
    return names.index(name)


def _grown(own: Points, triangles: Triangles, worn: Outfit, cloth: Points) -> Coming | None:
    """A closed piece that begins small: about the clear place inside it that is furthest from its surface."""
    low, high = own.min(axis=0), own.max(axis=0)
    shares = np.stack(np.meshgrid(*[np.linspace(0.1, 0.9, 5)] * 3, indexing="ij"), axis=-1).reshape(-1, 3)
    places = np.concatenate([own.mean(axis=0)[None], low + shares * (high - low)])
    places = places[inside(own, triangles, places)]
    each = ENTER_SPEED * FITTING_STEP / max(float(np.linalg.norm(high - low)), 1e-9)
    for centre in places:
        small = centre + ENTER_FROM * (own - centre)
        clear = len(crossing_pairs(cloth, worn.triangles, small, triangles)) == 0
        if clear and not inside(small, triangles, cloth).any():
            return Coming(0.0, each, centre, np.zeros(3))
    return None


def _slid(own: Points, triangles: Triangles, worn: Outfit, cloth: Points) -> Coming | None:
    """An open piece that comes from the nearest clear place, straight."""
    for away in np.arange(0.0, FURTHEST, BETWEEN):
        for way in WAYS if away > 0 else WAYS[:1]:
            aside = away * way / np.linalg.norm(way)
            if len(crossing_pairs(cloth, worn.triangles, own + aside, triangles)) == 0:
                return Coming(0.0, ENTER_SPEED * FITTING_STEP / max(away, BETWEEN), None, aside)
    return None
