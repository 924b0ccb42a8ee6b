"""Changes so quick that the cloth pops: of a grip, a handle, a collider's gap, a wind."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from ...geometry.curves import values_at
from ...model.curve import Curve
from ...model.holds import GRAVITY, SAG, Handle, Hold
from ...model.shot import ColliderSettings, ShotPlan, Wind
from ...solver.air import direction

LONGEST_SAG = 0.1  # m; below a grip of a tenth a hold hardly matters, and its swing no longer counts
HARDEST = 3.0  # times gravity that cloth may be dragged about with; ours
PERIODS = 1.5  # measured: over so many the cloth is never jerked by more than twice what its motion does
LONGEST = 240  # frames that are offered to spread a change over
STEPS = 8  # a frame, to find the hardest moment


@dataclass(frozen=True)
class Pop:
    """One change that is too quick: of whom (a hold, a member or a wind), between which frames, how many it
    needs, and where keys should be to give it those. keyed: which of its values it is.
    """

    hold: str
    keyed: str
    said: str
    first: float
    last: float
    needs: float
    wider: tuple[float, float]


def pops(hold: Hold, frame_rate: float) -> list[Pop]:
    """What will pop, in order of frame; nothing for a hold that does not change."""
    return sorted(_of_grip(hold, frame_rate) + _of_handle(hold, frame_rate), key=lambda pop: pop.first)


def _of_grip(hold: Hold, frame_rate: float) -> list[Pop]:
    """A grip that tightens or loosens in less than PERIODS swings of the garment on the looser of the two: a
    mass on a spring that sags as much swings in 2 pi sqrt(sag / g).
    """
    out, curve = [], hold.grip
    for index in range(len(curve.frames) - 1):
        low, high = sorted((curve.values[index], curve.values[index + 1]))
        if high - low < 0.01:
            continue
        needs = PERIODS * 2.0 * np.pi * np.sqrt(_sag(low) / GRAVITY) * frame_rate
        first, last = curve.frames[index], curve.frames[index + 1]
        if last - first < needs - 1e-6:
            before, after = curve.values[index], curve.values[index + 1]
            said = f"the grip {'tightens' if after > before else 'loosens'} from {before:.0%} to {after:.0%}"
            out.append(_pop(hold.name, "grip", said, curve, index, needs))
    return out


def _sag(grip: float) -> float:
    return min(LONGEST_SAG, SAG * (1.0 - grip) / grip) if grip > 0 else LONGEST_SAG


def _of_handle(hold: Hold, frame_rate: float) -> list[Pop]:
    """A handle dragged about with more than HARDEST times gravity between two keys."""
    if not isinstance(hold.how, Handle):
        return []
    return [
        pop
        for axis, curve in zip("xyz", hold.how.place, strict=True)
        for pop in _dragged(
            hold.name, f"place.{'xyz'.index(axis)}", f"the handle is moved along {axis}", curve, frame_rate
        )
    ]


def gap_pops(member: str, settings: ColliderSettings, frame_rate: float) -> list[Pop]:
    """Changes of a collider's clearance or thickness that throw cloth off harder than HARDEST times gravity."""
    return [
        *_dragged(member, "clearance_mm", "the clearance changes", settings.clearance, frame_rate),
        *_dragged(member, "thickness_mm", "the thickness changes", settings.thickness, frame_rate),
    ]


def wind_pops(wind: Wind, plan: ShotPlan) -> list[Pop]:
    """Keys of a wind between which a free point of the shot's lightest cloth, at first carried along, is thrown
    with more than HARDEST times gravity. Eddies are left out: they are meant.
    """
    easiest = max((g.fabric.air_across / g.fabric.areal_density for g in plan.garments), default=0.0)
    push = 0.5 * plan.air_density * easiest
    out = []
    for keyed, curve in (("strength", wind.strength), ("heading", wind.heading), ("rise", wind.rise)):
        for index in range(len(curve.frames) - 1):
            if curve.values[index] == curve.values[index + 1]:
                continue
            first, last = float(curve.frames[index]), float(curve.frames[index + 1])
            thrown = _thrown(wind, (first, last), plan.frame_rate, push)
            if thrown <= HARDEST * GRAVITY:
                continue
            said = f"the wind throws the lightest cloth with {thrown / GRAVITY:.0f} times gravity"
            pop = _pop(wind.name, keyed, said, curve, index, LONGEST)  # unless fewer frames do
            for frames in range(int(last - first) + 1, LONGEST):
                pop = _pop(wind.name, keyed, said, curve, index, frames)
                wider = _with(wind, keyed, _moved(curve, index, pop.wider))
                crowded = pop.wider[1] - pop.wider[0] < frames
                if crowded or _thrown(wider, pop.wider, plan.frame_rate, push) <= HARDEST * GRAVITY:
                    break
            out.append(pop)
    return sorted(out, key=lambda pop: pop.first)


def _with(wind: Wind, keyed: str, curve: Curve) -> Wind:
    if keyed == "strength":
        return replace(wind, strength=curve)
    return replace(wind, heading=curve) if keyed == "heading" else replace(wind, rise=curve)


def _moved(curve: Curve, index: int, to: tuple[float, float]) -> Curve:
    frames = curve.frames.copy()
    frames[index : index + 2] = to
    return Curve(frames, curve.values)


def _thrown(wind: Wind, span: tuple[float, float], rate: float, push: float) -> float:
    """Largest acceleration in m/s2, over a frame, of a point that a wind pushes with `push` times its speed
    squared past it.
    """
    times = np.arange(span[0] - 1.0, span[1] + 2.0, 1.0 / STEPS)
    ways = direction(values_at(wind.heading, times), values_at(wind.rise, times))
    air = values_at(wind.strength, times)[:, None] * ways
    velocity, place, places = air[0], np.zeros(3), []
    for blows in air:
        pull = push * float(np.linalg.norm(blows - velocity)) / (rate * STEPS)
        velocity = (velocity + pull * blows) / (1.0 + pull)
        place = place + velocity / (rate * STEPS)
        places.append(place)
    return float(np.linalg.norm(_over_a_frame(np.array(places)), axis=1).max(initial=0.0)) * rate**2


def _over_a_frame(values: NDArray[np.float64]) -> NDArray[np.float64]:
    """Second differences over a frame, as it will be seen, of values at STEPS a frame."""
    return np.asarray(values[2 * STEPS :] - 2 * values[STEPS:-STEPS] + values[: -2 * STEPS])


def _dragged(who: str, keyed: str, does: str, curve: Curve, frame_rate: float) -> list[Pop]:
    """Where a length in m changes with more than HARDEST times gravity."""
    out = []
    for index in range(len(curve.frames) - 1):
        hardest = _hardest(curve, index) * frame_rate**2
        if hardest > HARDEST * GRAVITY:
            needs = (curve.frames[index + 1] - curve.frames[index]) * np.sqrt(hardest / (HARDEST * GRAVITY))
            said = f"{does} with {hardest / GRAVITY:.0f} times gravity"
            out.append(_pop(who, keyed, said, curve, index, needs))
    return out


def _hardest(curve: Curve, index: int) -> float:
    """Largest acceleration from one key to the next, value per frame squared."""
    first, last = curve.frames[index], curve.frames[index + 1]
    times = np.arange(first - 1.0, last + 1.0 + 1.0 / STEPS, 1.0 / STEPS)
    return float(np.abs(_over_a_frame(values_at(curve, times))).max(initial=0.0))


def _pop(who: str, keyed: str, said: str, curve: Curve, index: int, needs: float) -> Pop:
    """The wider keys lie evenly about the middle, and leave the neighbours a frame."""
    first, last = float(curve.frames[index]), float(curve.frames[index + 1])
    low = float(curve.frames[index - 1]) + 1.0 if index > 0 else -np.inf
    high = float(curve.frames[index + 2]) - 1.0 if index + 2 < len(curve.frames) else np.inf
    wanted = np.ceil(needs)
    start = max(low, np.floor((first + last - wanted) / 2))
    end = min(high, start + wanted)
    start = max(low, end - wanted)
    return Pop(who, keyed, said, first, last, float(needs), (float(start), float(end)))
