"""The shake test: a standard motion of what a hold holds on to, to see at once whether it holds."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from scipy.spatial import cKDTree
from scipy.spatial.transform import Rotation

from ..geometry.motion import Still
from ..model.curve import Curve
from ..model.errors import ShotError
from ..model.patience import FIRST_LOOK
from ..model.typed import Points, Scalars, Vectors
from ..solver.state import ClothState
from .dressing import dress
from .holding import Moment, belongs, spans
from .holds import Handle, Hold
from .plan import CastMember, Garment, RunIn, ShotPlan
from .simulate import OutfitRun

SECONDS = 2.0
WAY = np.array([0.06, 0.04, 0.06])  # m, to either side along x, y and z
TURN = np.radians([8.0, 15.0, 8.0])  # to either side about x, y and z
BEATS = np.array([2.0, 2.5, 1.5])  # to and fro, a second
AROUND = 0.2  # m from the garment: what is further off is not met


@dataclass(frozen=True, eq=False)
class Shaken:
    """slip (f,) m, how far the worst point of the hold was from its place at the end of each frame; worst, the
    largest; held: how many points had a place; crossed: whether cloth was ever inside anything.
    """

    slip: Scalars
    worst: float
    held: int
    crossed: bool


@dataclass(frozen=True, eq=False)
class ShakenMotion:
    """Points (n, 3) m swung as one about `pivot` (3,) m, from rest and back to rest over `frames`."""

    points: Points
    pivot: Vectors
    frames: int
    rate: float

    def rest(self) -> Points:
        """See `Motion.rest`."""
        return self.points

    def at(self, frame: float) -> Points:
        """See `Motion.at`."""
        swell = np.sin(np.pi * np.clip(frame / self.frames, 0.0, 1.0)) ** 2
        phase = 2 * np.pi * BEATS * frame / self.rate
        turn = Rotation.from_rotvec(swell * TURN * np.sin(phase + 0.5))
        return turn.apply(self.points - self.pivot) + self.pivot + swell * WAY * np.sin(phase)

    def toward_first(self, frame: int, share: float) -> Points:
        """See `Motion.toward_first`."""
        return self.points + share * (self.at(frame) - self.points)

    def span(self) -> tuple[float, float]:
        """See `Motion.span`."""
        return -np.inf, np.inf

    def shaped(self, frame: float) -> ShakenMotion:  # noqa: ARG002
        """See `Motion.shaped`."""
        return self


def shake(plan: ShotPlan, garment: Garment, name: str) -> Shaken:
    """Run the garment alone at First look while the cast is swung about the middle of the hold `name`, which is
    on and has its largest grip all the time; set pieces are away and the air is still. `ShotError` when there
    is no such hold, or one that holds on to no place.
    """
    hold = next((one for one in garment.holds if one.name == name), None)
    if hold is None:
        raise ShotError(f"'{garment.name}' has no hold '{name}'", remedy="Choose one that it has")
    at = garment.holds.index(hold)
    steady = tuple(_steady(one) for one in garment.holds)
    alone = replace(garment, holds=steady, finished=None)
    vertices = dress(plan, alone).holds[at].vertices
    staged = _staged(plan, alone, garment.mesh.vertices[vertices].mean(axis=0))
    run = OutfitRun(staged, staged.runs[0])
    held, span = spans(run.dressed[0].holds)[at]
    if held.places is None:
        raise ShotError(
            "what holds cloth to cloth or shortens it has no place to slip from", where=f"hold '{name}'",
            remedy="Shake a hold that follows, sticks, is a handle or a tether",
        )  # fmt: skip
    slip, crossed = [], False
    stuck = run.start().taken.triangle[span] >= 0
    for (result,) in run.frames(run.start(), 0, staged.frames[1]):
        slip.append(_slip(run, at, result.state, result.frame))
        crossed |= result.crossing_colliders + result.crossing_itself > 0
    return Shaken(np.array(slip), float(max(slip, default=0.0)), int(stuck.sum()), crossed)


def _steady(hold: Hold) -> Hold:
    how = hold.how
    if isinstance(how, Handle):
        x, y, z, a, b, c = (_at_first(curve) for curve in (*how.place, *how.turn))
        how = replace(how, scale=_at_first(how.scale), place=(x, y, z), turn=(a, b, c))
    return replace(hold, how=how, grip=Curve.constant(float(hold.grip.values.max())), on=None)


def _at_first(curve: Curve) -> Curve:
    return Curve.constant(float(curve.values[0]))


def _staged(plan: ShotPlan, garment: Garment, pivot: Vectors) -> ShotPlan:
    frames = round(SECONDS * plan.frame_rate)
    tree = cKDTree(garment.mesh.vertices)
    return replace(
        plan, frames=(0, frames), run_in=RunIn(0, 0), patience=FIRST_LOOK, garments=(garment,), winds=(),
        cast=tuple(_swung(member, pivot, frames, plan.frame_rate, tree) for member in plan.cast),
        time_stretch=Curve.constant(1.0), together=True,
    )  # fmt: skip


def _swung(member: CastMember, pivot: Vectors, frames: int, rate: float, garment: cKDTree) -> CastMember:
    """A member with only what is near the garment to meet it, so that a hand far off costs nothing."""
    rest = member.motion.rest()
    near = garment.query(rest[member.cut.triangles].mean(axis=1), distance_upper_bound=AROUND)[0] < AROUND
    if member.kind == "set piece":
        return replace(member, motion=Still(rest), collider=None)
    settings = member.collider
    if settings is not None:
        settings = replace(
            settings, clearance=_at_first(settings.clearance), friction=_at_first(settings.friction),
            thickness=_at_first(settings.thickness), on=None,
        )  # fmt: skip
    swung = ShakenMotion(rest, pivot, frames, rate)
    return replace(member, motion=swung, collider=settings, chosen=member.chosen & near)


def _slip(run: OutfitRun, at: int, state: ClothState, frame: int) -> float:
    """How far the worst of the hold's points is from where it belongs."""
    dressed = run.dressed[0]
    held, span = spans(dressed.holds)[at]
    moment = Moment(float(frame), float(frame), frame, 0, run.plan.frame_rate)
    away = state.positions[held.vertices] - belongs(held, state.taken, span, float(frame), moment)
    length = np.linalg.norm(away, axis=1)[state.taken.triangle[span] >= 0]
    return float(length.max(initial=0.0))
