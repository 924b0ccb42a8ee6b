"""Holds during a run: which vertices are held at any moment, where, and how firmly."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ...geometry.curves import ease, value_at
from ...model.errors import NeedleError, ShotError
from ...model.garment import Prescription
from ...model.holds import WELD, Elastic, Follow, Hold, Stick, Tether, damping_time, firmness
from ...model.shot import Garment
from ...model.tolerances import FIRMEST_SLIDING, SPEED_STEP
from ...model.typed import Flags, Indices, Points, Scalars, Vectors
from ...solver.links import Links, to_places
from ...solver.state import Taken
from ..garments.choosing import chosen
from ..garments.surface import GarmentSurface
from .places import OnNearest, Places, Whereabouts, places_of


@dataclass(frozen=True, eq=False)
class Moment:
    """One substep: it goes from time `before` to `time` within `frame`; first: the run's first frame; second:
    how many frames a second has for the cloth.
    """

    before: float
    time: float
    frame: int
    first: int
    second: float


@dataclass(frozen=True, eq=False)
class HeldPoints:
    """One hold over k vertices. grips (k,) the share of the grip that reaches each; of_weight (k,) its share of
    the hold; places None between cloth and cloth.
    """

    hold: Hold
    vertices: Indices
    grips: Scalars
    of_weight: Scalars
    places: Places | None

    @property
    def count(self) -> int:
        """How many points of a state's `taken` are this hold's."""
        return 0 if self.places is None else len(self.vertices)

    def is_on(self, frame: float) -> bool:
        """Whether it holds at `frame`."""
        return self.hold.on is None or value_at(self.hold.on, frame) >= 0.5

    def grip_at(self, moment: Moment) -> float:
        """Its grip at the end of a substep.

        A hold without fixed places regains its grip gradually. A hold with fixed places grips at once and moves
        its points there gradually.
        """
        if not self.is_on(moment.frame):
            return 0.0
        eased = 1.0 if self.welds else ease(self.since(moment.time, moment))
        return value_at(self.hold.grip, moment.time) * eased

    def since(self, time: float, moment: Moment) -> float:
        """From 0 when it begins to hold again, in the course of the run, to 1 when that is `ease_in` past."""
        span, began = self.hold.ease_in, moment.frame
        while began > moment.first and moment.frame - began <= span and self.is_on(began - 1):
            began -= 1
        if began <= moment.first or span <= 0 or self.is_on(began - 1):
            return 1.0
        return min(1.0, (time - (began - 1)) / span)

    @property
    def welds(self) -> bool:
        """Whether it takes its points to their places for good at a full grip; tethers only keep them near."""
        return self.places is not None and not isinstance(self.hold.how, Tether) and not self.slides

    @property
    def slides(self) -> bool:
        """Whether its places give way along a surface."""
        return isinstance(self.hold.how, Stick) and self.hold.how.slides is not None

    @property
    def always(self) -> Flags:
        """Which of its vertices (k,) are welded throughout, whatever they hold on to."""
        steady = self.hold.on is None and isinstance(self.hold.how, Follow)
        return steady & (self.hold.grip.values.min() * self.grips >= WELD)


def held_points(
    garment: Garment,
    surface: GarmentSurface,
    areas: Scalars,
    whereabouts: Whereabouts,
    painted: Scalars | None = None,
) -> tuple[HeldPoints, ...]:
    """The garment's holds; areas (n,) m2 per vertex, painted (n,) its grip map. Errors name the hold."""
    out = []
    if painted is not None and not any(isinstance(hold.how, Follow) for hold in garment.holds):
        raise ShotError(
            "a grip map is in use, but nothing follows the body",
            remedy="Add a hold that follows, or put the map away",
        )
    for hold in garment.holds:
        try:
            vertices, grips = chosen(garment.mesh, surface.topology, surface.cut.source_face, hold.choice)
            if painted is not None and isinstance(hold.how, Follow):
                vertices, grips = _as_painted(vertices, grips, painted)
            places = places_of(hold.how, garment, vertices, whereabouts, hold.name)
            check_hold(hold)
        except NeedleError as error:
            raise error if "hold '" in error.where else error.at(f"hold '{hold.name}'") from None
        share = areas[vertices] / max(areas[vertices].sum(), 1e-300)
        out.append(HeldPoints(hold, vertices, grips, share, places))
    return tuple(out)


def _as_painted(vertices: Indices, grips: Scalars, painted: Scalars) -> tuple[Indices, Scalars]:
    """The vertices that a grip map leaves held. Cloth with a grip of 0 need not be near the body."""
    grips = grips * painted[vertices]
    held = grips > 0
    if not held.any():
        raise ShotError("the grip map is 0 everywhere", remedy="Paint where it holds")
    return vertices[held], grips[held]


def check_hold(hold: Hold) -> None:
    """`ShotError` for a grip or a reach that no hold can have."""
    low, high = hold.grip.values.min(), hold.grip.values.max()
    if low < 0 or high > 1:
        raise ShotError(f"its grip goes from {low:g} to {high:g}", remedy="Keep it between 0 and 1")
    reach = getattr(hold.how, "reach", None)
    if reach is not None and reach <= 0:
        raise ShotError(f"it reaches {reach * 1e3:g} mm", remedy="Let it reach further than 0 mm")
    if (
        isinstance(hold.how, Elastic)
        and not 0 < hold.how.factor.values.min() <= hold.how.factor.values.max() <= 1
    ):
        factor = hold.how.factor.values
        raise ShotError(
            f"it shortens to {factor.min():g} to {factor.max():g} of the made length",
            remedy="Keep the factor above 0 and at most 1",
        )


@dataclass(frozen=True, eq=False)
class Grasp:
    """Where a garment's holds have it in one substep: held (n,) prescribed, held_to (h, 3) m, links."""

    held: Flags
    held_to: Points
    links: list[Links]


def take_all(holds: tuple[HeldPoints, ...], points: Points, frame: float) -> Taken:
    """Take hold of a garment that lies at `points` (n, 3) m, as all its holds would at `frame`."""
    pieces = [Taken.none()]
    for held in holds:
        if held.places is not None:
            triangle, place = held.places.take(points[held.vertices], frame)
            still = np.zeros((held.count, 3))
            pieces.append(Taken(triangle, place, still, still))
    return together(pieces)


def together(pieces: list[Taken]) -> Taken:
    """Several in one."""
    return Taken(*(np.concatenate([getattr(p, name) for p in pieces]) for name in Taken.__dataclass_fields__))


def retake(
    holds: tuple[HeldPoints, ...], taken: Taken, points: Points, velocities: Vectors, moment: Moment
) -> Taken:
    """`taken` with what begins to hold in a frame taken as it comes, at `points` (n, 3) m, `velocities` m/s.

    The moment is the last of the frame before, of the frame that begins.
    """
    frame, start = moment.frame, moment.time
    out = None
    for held, span in spans(holds):
        if held.places is None or not held.is_on(frame) or held.is_on(frame - 1):
            continue
        out = out or Taken(*(getattr(taken, name).copy() for name in Taken.__dataclass_fields__))
        here, speed = points[held.vertices], velocities[held.vertices]
        out.triangle[span], out.place[span] = held.places.take(here, start)
        there, later = (
            held.places.at(out.triangle[span], out.place[span], t) for t in (start, start + SPEED_STEP)
        )
        found = (out.triangle[span] >= 0)[:, None]
        out.offset[span] = np.where(found, here - there, 0.0)
        out.drift[span] = np.where(found, speed - (later - there) / SPEED_STEP * moment.second, 0.0)
    return out or taken


def spans(holds: tuple[HeldPoints, ...]) -> list[tuple[HeldPoints, slice]]:
    """Each hold, and its part of a garment's `taken`."""
    out, start = [], 0
    for held in holds:
        out.append((held, slice(start, start + held.count)))
        start += held.count
    return out


def grasp(holds: tuple[HeldPoints, ...], taken: Taken, count: int, weight: float, moment: Moment) -> Grasp:
    """Where places have a garment of `count` vertices and `weight` N. Of two that weld, the later does."""
    held, goal = np.zeros(count, bool), np.zeros((count, 3))
    soft: list[tuple[HeldPoints, slice, Scalars]] = []
    for one, span in spans(holds):
        if one.places is None:
            continue
        grip = one.grip_at(moment)
        reached = grip * one.grips * one.places.share(taken.place[span]) * (taken.triangle[span] >= 0)
        welded = one.welds & (reached >= WELD)
        if welded.any():
            held[one.vertices[welded]] = True
            goal[one.vertices[welded]] = belongs(one, taken, span, moment.time, moment)[welded]
        firmest = FIRMEST_SLIDING if one.slides else WELD
        soft.append((one, span, np.where(welded, 0.0, np.minimum(reached, firmest))))
    links = []
    for one, span, grips in soft:
        at = np.flatnonzero((grips > 0) & ~held[one.vertices])
        if len(at):
            start, end = (belongs(one, taken, span, t, moment)[at] for t in (moment.before, moment.time))
            stiffness = one.of_weight[at] * firmness(grips[at], weight)
            made = to_places(one.vertices[at], start, end, stiffness, damping_time(grips[at]))
            match one.hold.how:
                case Tether(_, length):
                    made = made.slack(length)
                case Stick(_, _, float() as friction):
                    made = made.yielding(friction * weight * one.of_weight[at])
            links.append(made)
    return Grasp(held, goal[held], links)


def prescribed(grasp: Grasp, told: Prescription, weight: float, of_weight: Scalars, moment: Moment) -> Grasp:
    """What holds have of a garment in a substep, with what it is told over it.

    weight N of the garment, of_weight (n,) each vertex's share of it. A share between 0 and 1 draws a vertex to
    its place as a hold of that grip does.
    """
    if told.motion is None:
        return grasp
    share = shares(told, len(of_weight), moment.time)
    full, drawn = share >= WELD, np.flatnonzero((share > 0) & (share < WELD) & ~grasp.held).astype(np.int32)
    goal, there = np.zeros((len(share), 3)), told.motion.at(moment.time)
    goal[grasp.held] = grasp.held_to
    goal[full] = there[full]
    held, links = grasp.held | full, list(grasp.links)
    if len(drawn):
        stiffness = of_weight[drawn] * firmness(share[drawn], weight)
        before = told.motion.at(moment.before)
        links.append(to_places(drawn, before[drawn], there[drawn], stiffness, damping_time(share[drawn])))
    return Grasp(held, goal[held], links)


def shares(told: Prescription, count: int, time: float) -> Scalars:
    """The prescribed share (n,), 0 to 1, of each of `count` vertices at `time`."""
    if told.motion is None:
        return np.zeros(count)
    share = np.ones(count) if told.share is None else told.share
    return share if told.during is None else share * value_at(told.during, time)


def prescribed_start(told: Prescription, placed: Points, frame: float) -> Points:
    """Where the garment (n, 3) m is at `frame` that without its prescription would be at `placed` (n, 3) m."""
    if told.motion is None:
        return placed
    if told.is_all:
        return told.motion.at(frame)
    return placed + shares(told, len(placed), frame)[:, None] * (told.motion.at(frame) - placed)


def slid(holds: tuple[HeldPoints, ...], taken: Taken, points: Points, weight: float, moment: Moment) -> Taken:
    """`taken` after a substep that ended at `points` (n, 3) m: places that were pulled along their surface
    harder than they hold have followed.
    """
    out = taken
    for one, span in spans(holds):
        if not (one.slides and isinstance(one.places, OnNearest) and isinstance(one.hold.how, Stick)):
            continue
        triangle, place = out.triangle[span], out.place[span]
        grips = np.minimum(one.grip_at(moment) * one.grips, FIRMEST_SLIDING)
        holding = (grips > 0) & (triangle >= 0)
        stiffness = one.of_weight * firmness(grips, weight)
        away = points[one.vertices] - one.places.at(triangle, place, moment.time)
        normal = one.places.normals(np.maximum(triangle, 0), moment.time)
        away -= np.einsum("ij,ij->i", away, normal)[:, None] * normal
        length = np.linalg.norm(away, axis=1)
        limit = (one.hold.how.slides or 0.0) * weight * one.of_weight / np.maximum(stiffness, 1e-300)
        share = np.where(holding & (length > limit), 1.0 - limit / np.maximum(length, 1e-300), 0.0)
        if share.any():
            out = Taken(*(getattr(out, name).copy() for name in Taken.__dataclass_fields__))
            out.triangle[span], out.place[span] = one.places.slid(
                triangle, place, share[:, None] * away, moment.time
            )
    return out


def belongs(held: HeldPoints, taken: Taken, span: slice, time: float, moment: Moment) -> Points:
    """Where the hold's points belong at `time`: in their places, and on the way there when just taken again."""
    assert held.places is not None
    there = held.places.at(taken.triangle[span], taken.place[span], time)
    since = held.since(time, moment) if held.welds else 1.0
    if since >= 1.0:
        return there
    away, along = _way_home(since)
    seconds = held.hold.ease_in / moment.second
    return there + away * taken.offset[span] + along * seconds * taken.drift[span]


def _way_home(share: float) -> tuple[float, float]:
    """Shares of an offset and of a drift that are left, over a span that ends at rest in place.

    The quintic that has the given place and speed and no acceleration at the start, and none of the three at
    the end (C. Hermite, 1878).
    """
    t3, t4, t5 = share**3, share**4, share**5
    return 1 - 10 * t3 + 15 * t4 - 6 * t5, share - 6 * t3 + 8 * t4 - 3 * t5
