"""Offers: what looks wrong about a figure or garment, and the change that corrects it. Nothing changes here."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import numpy as np

from ...geometry.placing import TO_Y_UP, Placing
from ...model.typed import Points
from ...model.units import METRES_PER_UNIT, UNIT_NAMES

# Children and giants apart; D. Drillis and R. Contini 1966 give proportions, the range is common practice.
HUMAN = (1.4, 2.1)  # m
ARM_SHARE = 0.44  # of stature, shoulder to fingertip; D. Drillis and R. Contini 1966, from memory
ARM = (0.34, 0.56)  # of stature: beyond this the figure is not made like a human
SPRINTER = 25.0  # m/s, what no point of a running or striking human reaches; value from memory
LYING = 0.6  # of its length: a figure that is less high lies down; ours
ASIDE = 20.0  # degrees that a figure may look aside without anybody asking; ours
TOES = 35.0  # degrees that both feet together may point aside; ours
QUARTER = 6.0  # degrees from a quarter turn within which one is meant: toes seldom point straight ahead
COMMONEST = ("m", "cm", "mm", "in", "ft", "dm")
SLICES = 40


@dataclass(frozen=True)
class Offer:
    """because: what looks wrong, in words; said: what the change does. The fields it sets: member, of a cast
    member or of a garment's recipe; garment, of the garment itself; shot, of the shot; cast, of cast members
    by name.
    """

    because: str
    said: str
    member: dict[str, object] = field(default_factory=dict)
    shot: dict[str, object] = field(default_factory=dict)
    garment: dict[str, object] = field(default_factory=dict)
    cast: dict[str, dict[str, object]] = field(default_factory=dict)


@dataclass(frozen=True)
class Timed:
    """When a file says that its motion is, None for what it does not say: its rate, and the numbers of its
    first and last frame.
    """

    rate: float | None = None
    frames: tuple[int, int] | None = None


@dataclass(frozen=True)
class ReadAs:
    """How a file was read, what it states of its unit and axis, and the shot's rate, frames and the timing."""

    placing: Placing
    rate: float
    frames: tuple[int, int]
    timing: str
    stated_metres: float | None = None
    stated_up: str | None = None
    timed: Timed = Timed()


@dataclass(frozen=True, eq=False)
class Judged:
    """offers, most basic first; faces: which way a human-like figure looks, in degrees from the viewer, None
    when that cannot be told; arm: its length in m, fingers with it, likewise; before and after (s, 3): height,
    left and right edge of its outline in m, as it was read and as it would be after the offers; notes: what
    looks wrong and no change of this kind mends.
    """

    offers: tuple[Offer, ...]
    faces: float | None
    arm: float | None
    before: Points
    after: Points
    notes: tuple[str, ...] = ()


def judge(points: Points, read: ReadAs, *, human: bool, fastest: float, turned: bool = False) -> Judged:
    """Judge a figure at rest, points (n, 3) m, Y up; `human`: whether it should have a human's size; `turned`:
    whether some of its faces look inwards.
    """
    offers: list[Offer] = []
    after = points
    if turned:
        offers.append(Offer("some of its faces look inwards", "Turn its faces outwards", {"outwards": True}))
    after = _judge_up(offers, after, read, human)
    after = _judge_unit(offers, after, read, human)
    faces = facing(after) if human else None
    # A turn that somebody gave it is meant: the figure may look where its shot wants it to.
    if faces is not None and abs(faces) > ASIDE and read.placing.turn == 0 and is_upright(after):
        turn = _rounded(-faces)
        offers.append(
            Offer(
                f"the figure faces {_side(faces)}", f"Turn it by {abs(turn):g}° to face the viewer",
                {"placed": placed_record(replace(read.placing, turn=_wrapped(turn)))},
            )
        )  # fmt: skip
        after = _turned(after, turn)
    _judge_time(offers, read)
    height = float(np.ptp(after[:, 1]))
    if any("unit" in offer.member for offer in offers):
        fastest = 0.0  # in a wrong unit a speed says nothing
    if human and HUMAN[0] <= height <= HUMAN[1] and fastest > SPRINTER and not any(o.shot for o in offers):
        slower = "real time" if read.timing == "frame for frame" else "frame for frame"
        offers.append(
            Offer(
                f"its fastest point moves at {fastest:.0f} m/s, which no human does: the rate may be wrong",
                f"Play it {slower}", {"timing": slower},
            )
        )  # fmt: skip
    return Judged(tuple(offers), faces, arm_length(points) if human else None, outline(points), outline(after))


def placed_record(placing: Placing) -> dict[str, object]:
    """A placement as the shot file has it."""
    return {
        "mirrored": placing.mirrored, "scale": placing.scale, "turn": placing.turn, "move": list(placing.move)
    }  # fmt: skip


def _side(faces: float) -> str:
    """Where a figure looks that looks `faces` degrees to its left from the viewer."""
    if abs(faces) > 135:
        return "away from the viewer"
    return f"{abs(faces):.0f}° to its {'left' if faces > 0 else 'right'}"


def _rounded(turn: float) -> float:
    """A whole number of degrees; a quarter turn where it is nearly one."""
    quarter = 90.0 * round(turn / 90)
    return quarter if abs(turn - quarter) < QUARTER else float(round(turn))


def _judge_up(offers: list[Offer], points: Points, read: ReadAs, human: bool) -> Points:
    stated, up = read.stated_up, read.placing.up
    if human and is_upright(points):
        return points  # what a file states of a figure that stands is wrong
    other = _standing(points, up, stated) if human else None
    if other is None and human and _is_tallest(points, 1.0):
        return points
    if other is not None:
        size = np.ptp(points, axis=0)
        because = f"the figure lies down, {size[1]:.3g} m high and {max(size[0], size[2]):.3g} m long"
    elif stated not in (None, up):
        other = stated
    if other is None:
        return points
    if other == stated:
        because = f"the file states that {other.upper()} is up"
    offers.append(Offer(because, f"Read it with {other.upper()} up", {"up": other}))
    return _read_with(points, up, other)


def _standing(points: Points, up: str, stated: str | None) -> str | None:
    """The axis with which a figure would stand that does not; what the file states counts before another."""
    others = sorted((axis for axis in "zxy" if axis != up), key=lambda axis: axis != stated)
    upright = (axis for axis in others if is_upright(_read_with(points, up, axis)))
    found = next(upright, None)
    if found is None and not _is_tallest(points, LYING):  # in no calm pose: the longest way is taken for up
        found = next((axis for axis in others if _is_tallest(_read_with(points, up, axis), 1.0)), None)
    return found


def _is_tallest(points: Points, share: float) -> bool:
    """Whether a figure is at least `share` as high as it is wide or deep."""
    size = np.ptp(points, axis=0)
    return bool(size[1] >= share * max(size[0], size[2]))


def _read_with(points: Points, up: str, other: str) -> Points:
    """Points that were read with one axis up, as they are with another."""
    return points @ TO_Y_UP[up] @ TO_Y_UP[other].T


def is_upright(points: Points) -> bool:
    """Whether points (n, 3) look like a human who stands along Y, whatever the unit and heading.

    Rule (ours): seen from the front, there is one narrow thing in the middle at the top, and two things apart
    at shank height. The front is the direction in which the figure is thinnest. A figure in a long robe has no
    such shanks and gives False.
    """
    low, height = float(points[:, 1].min()), float(np.ptp(points[:, 1]))
    if height <= 0:
        return False
    level = points[:, [0, 2]] - points[:, [0, 2]].mean(axis=0)
    across = level @ np.linalg.svd(level, full_matrices=False)[2][0] / height
    if not 0.2 < np.ptp(across) < 1.4:
        return False
    share = (points[:, 1] - low) / height
    top, shanks = across[share > 0.94], across[(share > 0.10) & (share < 0.22)]
    if len(top) < 6 or len(shanks) < 12 or np.ptp(top) > 0.2:
        return False
    middle = float(top.max() + top.min()) / 2
    left, right = (shanks < middle - 0.015).mean(), (shanks > middle + 0.015).mean()
    return bool(left > 0.25 and right > 0.25 and left + right > 0.93)


def _judge_unit(offers: list[Offer], points: Points, read: ReadAs, human: bool) -> Points:
    unit = read.placing.unit
    metres = METRES_PER_UNIT[unit]
    height = float(np.ptp(points[:, 1]))
    wanted = None
    because = ""
    if human and HUMAN[0] <= height <= HUMAN[1]:
        return points  # whatever the file states: a figure as tall as a human is read rightly
    if read.stated_metres is not None and not np.isclose(read.stated_metres, metres, rtol=1e-3):
        wanted = next(
            (u for u, m in METRES_PER_UNIT.items() if np.isclose(m, read.stated_metres, rtol=1e-3)), None
        )
        because = f"the file states {read.stated_metres:g} m to a unit"
    elif human:
        wanted = _unit_for(height / metres, unit)
        if wanted is not None:
            because = f"this figure is {height:.4g} m tall: the file is probably in {UNIT_NAMES[wanted]}"
    if wanted is None:
        return points
    factor = METRES_PER_UNIT[wanted] / metres
    offers.append(
        Offer(because, f"Read it in {UNIT_NAMES[wanted]}, {height * factor:.2f} m tall", {"unit": wanted})
    )
    return points * factor


def _unit_for(file_height: float, unit: str) -> str | None:
    """The unit that makes a figure as tall as a human, the commonest first."""
    fits = [u for u, m in METRES_PER_UNIT.items() if u != unit and HUMAN[0] <= file_height * m <= HUMAN[1]]
    return min(fits, key=COMMONEST.index, default=None)


def _judge_time(offers: list[Offer], read: ReadAs) -> None:
    """Where a file's rate and frames differ from the shot's: one sentence, one change."""
    rate, own = read.timed.rate, read.timed.frames
    first, last = read.frames
    if rate is not None and abs(rate / read.rate - 1) >= 1e-3 and read.timing == "real time":
        has, gives = "", ""
        member: dict[str, object] = {}
        whole: dict[str, object] = {"frame_rate": rate}
        if own is not None:
            has, gives = f"frames {own[0]} to {own[1]} at ", f" and frames {own[0]} to {own[1]}"
            whole["frames"], member = list(own), {"starts_at": own[0]}
        offers.append(
            Offer(
                f"the file has {has}{rate:g} frames a second, the shot {read.rate:g}: it is played in real "
                "time, and what lies between its frames is interpolated",
                f"Give the shot {rate:g} frames a second{gives}", member, whole,
            )
        )  # fmt: skip
    elif own is not None and own[0] != first and own[1] - own[0] >= last - first:
        if own[0] <= first and last <= own[1]:
            return
        offers.append(
            Offer(
                f"its motion runs from frame {own[0]} to {own[1]}, the shot from {first} to {last}",
                f"Start its motion at {first}", {"starts_at": first},
            )
        )  # fmt: skip


def facing(points: Points) -> float | None:
    """Degrees by which a standing human-like figure looks away from +Z, left positive; None when unclear.

    Rule (ours): feet reach further forward of the ankles than back. The lowest slice of the height is held
    against the ankles above it; a figure without such feet, or lying down, gives None. Toes seldom point
    straight ahead: where the feet agree, the figure looks across the direction in which it is widest.
    """
    low, height = float(points[:, 1].min()), float(np.ptp(points[:, 1]))
    share = (points[:, 1] - low) / max(height, 1e-12)
    feet, ankles = points[share < 0.03], points[(share > 0.06) & (share < 0.10)]
    if len(feet) < 8 or len(ankles) < 8:
        return None
    reach = (feet[:, ::2].max(axis=0) + feet[:, ::2].min(axis=0)) / 2
    reach -= (ankles[:, ::2].max(axis=0) + ankles[:, ::2].min(axis=0)) / 2
    length = float(np.linalg.norm(reach))
    if length < 0.015 * height:
        return None
    level = points[:, ::2] - points[:, ::2].mean(axis=0)
    ahead = np.linalg.svd(level.T @ level)[0][:, 1]
    ahead *= np.sign(ahead @ reach) or 1.0
    if ahead @ reach > np.cos(np.radians(TOES)) * length:
        reach = ahead
    return float(np.degrees(np.arctan2(reach[0], reach[1])))


def arm_length(points: Points) -> float | None:
    """Length in m from shoulder to fingertip of a figure that stands with its arms out; None when they hang.

    The shoulder is where a human of that height has it (D. Drillis and R. Contini 1966, from memory: 0.818 of
    stature high, 0.129 to the side); the fingertip is the point furthest to the side.
    """
    low, height = float(points[:, 1].min()), float(np.ptp(points[:, 1]))
    trunk = points[(points[:, 1] > low + 0.5 * height) & (points[:, 1] < low + 0.8 * height)]
    if len(trunk) == 0:
        return None
    middle = trunk.mean(axis=0)
    lengths = []
    for side in (-1.0, 1.0):
        tip = points[np.argmax(side * points[:, 0])]
        if side * (tip[0] - middle[0]) < 0.25 * height:
            return None
        shoulder = np.array([middle[0] + side * 0.129 * height, low + 0.818 * height, middle[2]])
        lengths.append(float(np.linalg.norm(tip - shoulder)))
    return float(np.mean(lengths))


def outline(points: Points) -> Points:
    """Height, left and right edge in m of SLICES level slices, seen from the front, (s, 3)."""
    height = points[:, 1]
    edges = np.linspace(height.min(), height.max(), SLICES + 1)
    which = np.clip(np.searchsorted(edges, height, side="right") - 1, 0, SLICES - 1)
    left, right = np.full(SLICES, np.inf), np.full(SLICES, -np.inf)
    np.minimum.at(left, which, points[:, 0])
    np.maximum.at(right, which, points[:, 0])
    there = np.isfinite(left)
    levels = np.linspace(height.min(), height.max(), SLICES)
    return np.column_stack([levels, left, right])[there]


def _turned(points: Points, degrees: float) -> Points:
    cos, sin = np.cos(np.radians(degrees)), np.sin(np.radians(degrees))
    return points @ np.array([[cos, 0, sin], [0, 1, 0], [-sin, 0, cos]]).T


def _wrapped(degrees: float) -> float:
    return float((degrees + 180) % 360 - 180)
