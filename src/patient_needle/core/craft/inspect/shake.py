"""The shake test: a standard motion of the body under a hold, to see at once whether it holds."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

import numpy as np
from scipy.spatial import cKDTree
from scipy.spatial.transform import Rotation

from ...geometry.motion import Still
from ...geometry.placing import skin_of
from ...model.curve import Curve
from ...model.errors import ShotError
from ...model.garment import FREE
from ...model.holds import Handle, Hold
from ...model.shot import CastMember, Garment, RunIn, ShotPlan
from ...model.tolerances import FIRST_LOOK
from ...model.typed import Points, Scalars, Vectors
from ...solver.state import ClothState
from ..holds.acting import Moment, belongs, spans
from ..holds.dressing import dress
from ..maps.drawing import settled
from ..maps.inputs import MapInputs
from ..run.outfit_run import OutfitRun
from .frame import inspected

SECONDS = 2.0
WAY = np.array([0.06, 0.04, 0.06])  # m, the whole body to either side along x, y and z
TURN = np.radians([8.0, 15.0, 8.0])  # the part to either side about x, y and z
BEATS = np.array([2.0, 2.5, 1.5])  # to and fro, a second
AROUND = 0.2  # m from the garment: what is further off is not met


@dataclass(frozen=True, eq=False)
class Shaken:
    """A shake test so far. slip (f,) m, how far the worst point of the hold was from its place at the end of
    each frame; of: how many frames there will be; part: what was turned; held: how many points had a place;
    crossed: whether cloth was ever inside anything.
    """

    slip: Scalars
    of: int
    part: str
    held: int
    crossed: bool

    @property
    def worst(self) -> float:
        """The largest slip, m; 0 before the first frame."""
        return float(self.slip.max(initial=0.0))


@dataclass(frozen=True, eq=False)
class Swing:
    """What turns: `name`, about `pivot` (3,) m; every point of the body it is part of, (n, 3) m, with its share
    in the turn, (n,) from 0 to 1, the sum of its skin weights there.
    """

    name: str
    pivot: Vectors
    body: Points
    share: Scalars


@dataclass(frozen=True, eq=False)
class ShakenMotion:
    """Points (n, 3) m swayed as one and turned by their share (n,) about `pivot` (3,) m, from rest and back to
    rest over `frames`.
    """

    points: Points
    share: Scalars
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
        turned = turn.apply(self.points - self.pivot) + self.pivot
        return self.points + self.share[:, None] * (turned - self.points) + swell * WAY * np.sin(phase)

    def toward_first(self, frame: float, share: float) -> Points:
        """See `Motion.toward_first`."""
        return self.points + share * (self.at(frame) - self.points)

    def span(self) -> tuple[float, float]:
        """See `Motion.span`."""
        return -np.inf, np.inf

    def shaped(self, frame: float) -> ShakenMotion:  # noqa: ARG002
        """See `Motion.shaped`."""
        return self


def shaking(plan: ShotPlan, garment: Garment, name: str) -> Iterator[Shaken]:
    """Run the garment alone at First look while the cast is swayed and the part of a skinned body under the
    hold `name` is turned about its joint (all of the cast about the hold when there is none); the hold is on
    and has its largest grip all the time; set pieces are away and the air is still. After each frame, what
    there is so far. `ShotError` when there is no such hold, or one that holds on to no place.
    """
    hold = next((one for one in garment.holds if one.name == name), None)
    if hold is None:
        raise ShotError(f"'{garment.name}' has no hold '{name}'", remedy="Choose one that it has")
    at = garment.holds.index(hold)
    steady = tuple(_steady(one) for one in garment.holds)
    maps = settled(garment, MapInputs.of(plan))
    alone = replace(garment, holds=steady, prescription=FREE, maps=maps)
    swing = swing_under(plan.cast, garment.mesh.vertices[dress(plan, alone).holds[at].vertices])
    staged = _staged(plan, alone, swing)
    run = OutfitRun(staged, staged.runs[0])
    held, span = spans(run.dressed[0].holds)[at]
    if held.places is None:
        raise ShotError(
            "what holds cloth to cloth or shortens it has no place to slip from", where=f"hold '{name}'",
            remedy="Shake a hold that follows, sticks, is a handle or a tether",
        )  # fmt: skip
    slip, crossed = [], False
    stuck = int((run.start().taken.triangle[span] >= 0).sum())
    if stuck == 0:
        raise ShotError(
            "it takes hold of nothing: nobody is within its reach", where=f"hold '{name}'",
            remedy="Raise its reach, or choose vertices that lie nearer",
        )  # fmt: skip
    for (result,) in inspected(run, run.start(), 0, staged.frames[1]):
        slip.append(_slip(run, at, result.state, result.frame))
        crossed |= result.crossing_colliders + result.crossing_itself > 0
        yield Shaken(np.array(slip), staged.frames[1], swing.name, stuck, crossed)


def swing_under(cast: Sequence[CastMember], held: Points) -> Swing:
    """The part that moves most of a skinned body's points nearest to `held` (k, 3) m, with all that hangs on
    it; everything, about the middle of `held`, when there is no such body.
    """
    everything = Swing("everything", held.mean(axis=0), np.zeros((1, 3)), np.ones(1))
    bodies = [(member, *found) for member in cast if (found := skin_of(member.motion)) is not None]
    if not bodies:
        return everything
    away = [np.mean(cKDTree(member.motion.rest()).query(held)[0]) for member, *_ in bodies]
    member, skin, skeleton = bodies[int(np.argmin(away))]
    rest = member.motion.rest()
    _, near = cKDTree(rest).query(held)
    joints = len(skeleton.names)
    weight = np.bincount(skin.joints[near].ravel(), skin.weights[near].ravel(), joints)
    joint = int(np.argmax(weight))
    hangs = np.zeros(joints, bool)
    for one, parent in enumerate(skeleton.parents):
        hangs[one] = one == joint or (parent >= 0 and hangs[parent])
    share = (skin.weights * hangs[skin.joints]).sum(axis=1)
    # The joint is where the skin of the part blends into the rest; a part of everything turns about the hold.
    blend = share * (1.0 - share)
    pivot = blend @ rest / blend.sum() if blend.sum() > 1e-9 else everything.pivot
    return Swing(skeleton.names[joint], pivot, rest, share)


def _steady(hold: Hold) -> Hold:
    how = hold.how
    if isinstance(how, Handle):
        x, y, z, a, b, c = (_at_first(curve) for curve in (*how.place, *how.turn))
        how = replace(how, scale=_at_first(how.scale), place=(x, y, z), turn=(a, b, c))
    return replace(hold, how=how, grip=Curve.constant(float(hold.grip.values.max())), on=None)


def _at_first(curve: Curve) -> Curve:
    return Curve.constant(float(curve.values[0]))


def _staged(plan: ShotPlan, garment: Garment, swing: Swing) -> ShotPlan:
    frames = round(SECONDS * plan.frame_rate)
    tree = cKDTree(garment.mesh.vertices)
    return replace(
        plan, frames=(0, frames), run_in=RunIn(0, 0), patience=FIRST_LOOK, garments=(garment,), winds=(),
        cast=tuple(_swung(member, swing, frames, plan.frame_rate, tree) for member in plan.cast),
        time_stretch=Curve.constant(1.0), least_substeps=Curve.constant(1.0), together=True,
    )  # fmt: skip


def _swung(member: CastMember, swing: Swing, frames: int, rate: float, garment: cKDTree) -> CastMember:
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
    share = swing.share[cKDTree(swing.body).query(rest)[1]]
    if member.kind == "prop":
        share = np.full(len(rest), share.mean())  # it stays as it is made
    swung = ShakenMotion(rest, share, swing.pivot, frames, rate)
    return replace(member, motion=swung, collider=settings, chosen=member.chosen & near)


def _slip(run: OutfitRun, at: int, state: ClothState, frame: int) -> float:
    """How far the worst of the hold's points is from where it belongs."""
    dressed = run.dressed[0]
    held, span = spans(dressed.holds)[at]
    moment = Moment(float(frame), float(frame), frame, 0, run.plan.frame_rate)
    away = state.positions[held.vertices] - belongs(held, state.taken, span, float(frame), moment)
    length = np.linalg.norm(away, axis=1)[state.taken.triangle[span] >= 0]
    return float(length.max(initial=0.0))
