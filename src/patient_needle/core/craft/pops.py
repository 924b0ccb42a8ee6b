"""Changes so quick that the cloth will be seen to jump: of a grip, of a handle, of a collider's gap."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..geometry.curves import value_at
from ..model.curve import Curve
from .holds import GRAVITY, SAG, Handle, Hold
from .plan import ColliderSettings

LONGEST_SAG = 0.1  # m; below a grip of a tenth a hold hardly matters, and its swing no longer counts
HARDEST = 3.0  # times gravity that a handle may drag cloth about with; ours
PERIODS = 1.5  # measured: over so many the cloth is never jerked by more than twice what its motion does
STEPS = 8  # a frame, to find a handle's hardest moment


@dataclass(frozen=True)
class Pop:
    """One change that is too quick: of whom (a hold or a member), between which frames, how many it needs, and
    where keys should be to give it those. keyed: which of its values it is.
    """

    hold: str
    keyed: str
    said: str
    first: float
    last: float
    needs: float
    wider: tuple[float, float]


def pops(hold: Hold, frame_rate: float) -> list[Pop]:
    """What will be seen to jump, in order of frame; nothing for a hold that does not change."""
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
    step = 1.0 / STEPS
    times = np.arange(first - 1.0, last + 1.0 + step, step)
    values = np.array([value_at(curve, float(t)) for t in times])
    # Over a frame, as it will be seen.
    return float(np.abs(values[2 * STEPS :] - 2 * values[STEPS:-STEPS] + values[: -2 * STEPS]).max(initial=0.0))


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
