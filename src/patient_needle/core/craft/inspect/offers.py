"""Offers: what looks wrong about a figure or garment, and the change that corrects it. Nothing changes here."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from ...model.typed import Points
from ...model.units import METRES_PER_UNIT, UNIT_NAMES

# Children and giants apart; D. Drillis and R. Contini 1966 give proportions, the range is common practice.
HUMAN = (1.4, 2.1)  # m
ARM_SHARE = 0.44  # of stature, shoulder to fingertip; D. Drillis and R. Contini 1966, from memory
ARM = (0.34, 0.56)  # of stature: beyond this the figure is not made like a human
SPRINTER = 25.0  # m/s, what no point of a running or striking human reaches; value from memory
LYING = 0.5  # a figure whose height is less than this share of its length along another axis lies down
SLICES = 40


@dataclass(frozen=True)
class Offer:
    """because: what looks wrong, in words; said: what the change does; member, shot: the fields it sets."""

    because: str
    said: str
    member: dict[str, object] = field(default_factory=dict)
    shot: dict[str, object] = field(default_factory=dict)


@dataclass(frozen=True)
class ReadAs:
    """How a file was read: unit and up of the record, its scale, turn and move, and what the file states."""

    unit: str
    up: str
    scale: float
    turn: float
    move: tuple[float, float, float]
    stated_metres: float | None
    stated_up: str | None
    stated_rate: float | None
    rate: float
    timing: str


@dataclass(frozen=True, eq=False)
class Judged:
    """offers, most basic first; faces: which way a human-like figure looks, in degrees from the viewer, None
    when that cannot be told; arm: its length in m, fingers with it, likewise; before and after (s, 3): height,
    left and right edge of its outline in m, as it was read and as it would be after the offers.
    """

    offers: tuple[Offer, ...]
    faces: float | None
    arm: float | None
    before: Points
    after: Points


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
    if faces is not None and abs(faces) > 45:
        turn = _wrapped(read.turn - 90 * round(faces / 90))
        side = "away from the viewer" if abs(faces) > 135 else f"to its {'left' if faces > 0 else 'right'}"
        offers.append(
            Offer(
                f"the figure faces {side}", "Turn it to face the viewer",
                {"placed": {"scale": read.scale, "turn": turn, "move": list(read.move)}},
            )
        )  # fmt: skip
        after = _turned(after, -90 * round(faces / 90))
    _judge_rate(offers, read)
    height = float(np.ptp(after[:, 1]))
    if human and HUMAN[0] <= height <= HUMAN[1] and fastest > SPRINTER and not any(o.shot for o in offers):
        slower = "real time" if read.timing == "frame for frame" else "frame for frame"
        offers.append(
            Offer(
                f"its fastest point moves at {fastest:.0f} m/s, which no human does: the rate may be wrong",
                f"Play it {slower}", {"timing": slower},
            )
        )  # fmt: skip
    return Judged(tuple(offers), faces, arm_length(points) if human else None, outline(points), outline(after))


def judge_garment(points: Points, unit: str, body: Points) -> tuple[Offer, ...]:
    """What looks wrong about the size of a garment, points (n, 3) m, beside its body, points (k, 3) m.

    A garment is no longer than 1.5 times its body, and no smaller than a twentieth of it. A garment of that
    size may lie anywhere: a sash or a cape is often laid ahead of the figure. For any other size the unit is
    offered that brings it to its body, or else one that gives it such a size.
    """
    tall = float(np.ptp(body[:, 1]))
    long = float(np.ptp(points, axis=0).max())
    if tall <= 0 or _is_costume_sized(long, tall):
        return ()
    order = ("m", "cm", "mm", "in", "ft", "dm")
    factors = {other: METRES_PER_UNIT[other] / METRES_PER_UNIT[unit] for other in order if other != unit}
    fits = [other for other, factor in factors.items() if _is_costume_sized(long * factor, tall)]
    at_body = (other for other in fits if _is_near(points * factors[other], body))
    wanted = next(at_body, next(iter(fits), None))
    if wanted is None:
        return ()
    times = long / tall
    how = f"{times:.3g} times as long as" if times > 1 else f"only {100 * times:.2g} % of the height of"
    return (
        Offer(
            f"it is {long:.3g} m long, {how} its body: the file is probably in {UNIT_NAMES[wanted]}",
            f"Read it in {UNIT_NAMES[wanted]}, {long * factors[wanted]:.2f} m long", {"unit": wanted},
        ),
    )  # fmt: skip


def _is_costume_sized(long: float, tall: float) -> bool:
    return 0.05 * tall <= long <= 1.5 * tall


def _is_near(points: Points, body: Points) -> bool:
    margin = 0.3 * float(np.ptp(body[:, 1]))
    middle = (points.min(axis=0) + points.max(axis=0)) / 2
    return bool(((middle > body.min(axis=0) - margin) & (middle < body.max(axis=0) + margin)).all())


def _judge_up(offers: list[Offer], points: Points, read: ReadAs, human: bool) -> Points:
    stated = read.stated_up
    size = np.ptp(points, axis=0)
    lies = human and size[1] < LYING * size[2] and size[0] > size[1]
    stands = human and size[1] >= max(size[0], size[2])  # what a file states of a figure that stands is wrong
    if stands or (stated in (None, read.up) and not lies):
        return points
    wanted = stated if stated not in (None, read.up) else ("z" if read.up == "y" else "y")
    because = (
        f"the file states that {wanted.upper()} is up" if wanted == stated
        else f"the figure lies down, {size[1]:.3g} m high and {size[2]:.3g} m long"
    )  # fmt: skip
    offers.append(Offer(because, f"Read it with {wanted.upper()} up", {"up": wanted}))
    x, y, z = points.T
    return np.column_stack([x, z, -y] if wanted == "z" else [x, -z, y])


def _judge_unit(offers: list[Offer], points: Points, read: ReadAs, human: bool) -> Points:
    metres = METRES_PER_UNIT[read.unit]
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
        wanted = _unit_for(height / metres, read.unit)
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
    order = ("m", "cm", "mm", "in", "ft", "dm")
    return min(fits, key=order.index, default=None)


def _judge_rate(offers: list[Offer], read: ReadAs) -> None:
    if read.stated_rate is None or abs(read.stated_rate / read.rate - 1) < 1e-3:
        return
    if read.timing == "frame for frame":
        return
    offers.append(
        Offer(
            f"the file has {read.stated_rate:g} frames a second, the shot {read.rate:g}: it is played in real "
            "time, and what lies between its frames is interpolated",
            f"Give the shot {read.stated_rate:g} frames a second", shot={"frame_rate": read.stated_rate},
        )
    )  # fmt: skip


def facing(points: Points) -> float | None:
    """Degrees by which a standing human-like figure looks away from +Z, left positive; None when unclear.

    Rule (ours): feet reach further forward of the ankles than back. The lowest slice of the height is held
    against the ankles above it; a figure without such feet, or lying down, gives None.
    """
    low, height = float(points[:, 1].min()), float(np.ptp(points[:, 1]))
    share = (points[:, 1] - low) / max(height, 1e-12)
    feet, ankles = points[share < 0.03], points[(share > 0.06) & (share < 0.10)]
    if len(feet) < 8 or len(ankles) < 8:
        return None
    reach = (feet[:, ::2].max(axis=0) + feet[:, ::2].min(axis=0)) / 2
    reach -= (ankles[:, ::2].max(axis=0) + ankles[:, ::2].min(axis=0)) / 2
    if np.linalg.norm(reach) < 0.015 * height:
        return None
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
