"""What looks wrong about how a garment's file was read, beside the body that it should fit."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from ...geometry.placing import Placing
from ...geometry.topology import is_closed
from ...model.typed import Points, Triangles
from ...model.units import METRES_PER_UNIT, UNIT_NAMES
from .offers import COMMONEST, Offer, placed_record
from .wearing import Figure, Shell, best_worn, worn_in

SIZES = (0.05, 1.5)  # of its body's height: how long a garment is; ours
FINE = 0.5  # a misfit up to which nobody looks for a better place
BETTER = 0.75  # what a better place has of the misfit at most
SELDOM = 3  # a garment that is worn already is only tried at every third turn
FAR = 3.0  # body heights from a body within which a garment may have been laid aside
SHOWN_TURN = 0.5  # degrees


def judge_garment(
    points: Points, triangles: Triangles, read: Placing, body: Figure, as_body: Placing | None = None
) -> tuple[Offer, ...]:
    """What looks wrong about a garment's unit, axis, facing and place, and the one change that mends it.

    points   (n, 3) of its file, in its own unit and axes
    as_body  how the body's file was read: a costume is often made where its figure is

    A garment of a costume's size may lie anywhere, since a sash or a cape is often laid ahead of the figure. It
    is only told off when another way of reading it puts it around the body, and this one does not.
    """
    now = read.of(points, METRES_PER_UNIT[read.unit])
    long = float(np.ptp(now, axis=0).max())
    if body.tall <= 0 or long <= 0:
        return ()
    sized = _is_costume_sized(long, body.tall)
    if sized and (is_closed(triangles) or any(read.move) or read.turn != 0):
        return ()  # a bag or a lantern goes around nobody, and a place that somebody gave it is meant
    shell = Shell(points, triangles)
    as_read = worn_in(shell, body, read, METRES_PER_UNIT[read.unit])
    is_worn = sized and as_read.is_worn
    if is_worn and as_read.misfit <= FINE:
        return ()
    far = float(np.linalg.norm((now.min(axis=0) + now.max(axis=0)) / 2 - body.middle)) > FAR * body.tall
    factors = {unit: METRES_PER_UNIT[unit] / METRES_PER_UNIT[read.unit] for unit in COMMONEST}
    fits = [unit for unit in COMMONEST if _is_costume_sized(long * factors[unit], body.tall)]
    units = {unit: METRES_PER_UNIT[unit] for unit in ([read.unit] if sized else fits)}
    also = [] if as_body is None else [replace(as_body, unit=unit, mirrored=read.mirrored) for unit in units]
    also += [replace(read, unit=unit) for unit in units]
    every = SELDOM if is_worn else 1
    found = best_worn(shell, body, units, read, also, may_move=far or not sized, every=every)
    if found is not None and not (is_worn and found.misfit > BETTER * as_read.misfit):
        return () if found.placing == read else (_offer(points, read, found.placing, body),)
    if sized or not fits:
        return ()
    near = (unit for unit in fits if _is_near(now * factors[unit], body))
    wanted = replace(read, unit=next(near, fits[0]))
    return (_offer(points, read, wanted, body),)


def _offer(points: Points, read: Placing, wanted: Placing, body: Figure) -> Offer:
    """The change from one way of reading to another, and what gave it away."""
    now = read.of(points, METRES_PER_UNIT[read.unit])
    long = float(np.ptp(now, axis=0).max())
    times, because, does = long / body.tall, [], []
    change: dict[str, object] = {}
    if wanted.unit != read.unit:
        how = f"{times:.3g} times as long as" if times > 1 else f"only {100 * times:.2g} % of the height of"
        because.append(f"it is {long:.3g} m long, {how} its body")
        does.append(f"in {UNIT_NAMES[wanted.unit]}")
        change["unit"] = wanted.unit
    if wanted.up != read.up:
        because.append("it lies on its side")
        does.append(f"with {wanted.up.upper()} up")
        change["up"] = wanted.up
    turned = abs((wanted.turn - read.turn + 180) % 360 - 180)
    if turned > SHOWN_TURN and wanted.up == read.up:
        because.append(f"it faces {turned:.0f}° away from where its body looks")
    moved = float(np.linalg.norm(np.subtract(wanted.move, read.move)))
    if moved > 1e-6 and wanted.unit == read.unit:
        away = float(np.linalg.norm((now.min(axis=0) + now.max(axis=0)) / 2 - body.middle))
        because.append(f"it lies {away:.3g} m from its body")
    if turned > SHOWN_TURN:
        does.append(f"turned by {turned:.0f}°")
    if moved > 1e-6:
        does.append(f"moved by {moved:.2f} m")
    if wanted.scale != read.scale:
        because.append("its body was scaled and it was not")
        does.append(f"{wanted.scale:g} times as large")
    if placed_record(wanted) != placed_record(read):
        change["placed"] = placed_record(wanted)
    after = float(np.ptp(wanted.of(points, METRES_PER_UNIT[wanted.unit]), axis=0).max())
    return Offer(" and ".join(because), f"Read it {_listed(does)}, {after:.2f} m long", change)


def _listed(words: Sequence[str]) -> str:
    return words[0] if len(words) == 1 else f"{', '.join(words[:-1])} and {words[-1]}"


def _is_costume_sized(long: float, tall: float) -> bool:
    return SIZES[0] * tall <= long <= SIZES[1] * tall


def _is_near(points: Points, body: Figure) -> bool:
    margin = 0.3 * body.tall
    middle = (points.min(axis=0) + points.max(axis=0)) / 2
    low, high = body.points.min(axis=0) - margin, body.points.max(axis=0) + margin
    return bool(((middle > low) & (middle < high)).all())
