"""A fitting carried over to garments that were made anew, coarse to fine for one."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from ...geometry.tree import build_tree, closest_points
from ..garments.carrying import Carrying
from ..run.outfit_run import OutfitRun
from ..run.start import begun
from .hands import Hands, Pin, on_body
from .live import Fitting


def carried(
    old: Fitting, run: OutfitRun, meanwhile: Callable[[], None] = lambda: None
) -> tuple[Fitting, list[str]]:
    """The cloth of a fitting as garments of another run, at rest where it hung and without crossings; and what
    of it could not be carried, in a sentence each. The figure stands where it stood, pins stay where there is
    cloth, what was parked is parked.

    `StartError` where cloth cannot be freed of crossings.
    """
    placed, parked, lost = run.outfit.placed.copy(), np.zeros(run.outfit.count, bool), []
    for garment, span in zip(run.run.garments, run.outfit.spans, strict=True):
        if garment.name not in old.cloth.names:
            lost.append(f"{garment.name} was not there: it begins as made")
            continue
        index = old.cloth.index(garment.name)
        before = old.cloth.outfit.spans[index]
        over = Carrying.between(old.sources[index], garment.source)
        placed[span] = over.points(old.state.positions[before])
        parked[span] = over.values(old.hands.parked[before].astype(float)) >= 0.5
    time = old.stance.time
    bodies = run.driver.bodies(time)
    state = begun(run.constants, run.plan, placed, meanwhile, easing=True, time=time, points=bodies)
    fitting = Fitting(run, state, time)
    fitting.step_number = old.step_number
    if len(old.stance.clearance) == len(fitting.stance.clearance):
        fitting.stance = replace(old.stance, goal=time, coming=())
    hands = replace(Hands.none(run.outfit.count), parked=parked, weight=old.hands.weight)
    pins = []
    for pin in old.hands.pins:
        if pin.grip.garment in fitting.cloth.names:
            pins.append(_repinned(pin, old, fitting))
        else:
            lost.append(f"pin {pin.number} went with {pin.grip.garment}")
    fitting.hands = replace(hands, pins=tuple(pins), next_pin=old.hands.next_pin)
    return fitting, lost


def _repinned(pin: Pin, old: Fitting, new: Fitting) -> Pin:
    """A pin through the same place of the new cloth, holding it as far away as it held the old."""
    share = pin.grip.share / pin.grip.share.sum()
    middle = share @ old.state.positions[pin.grip.vertices]
    index = new.cloth.index(pin.grip.garment)
    surface, points = new.cloth.surfaces[index], new.state.positions[new.cloth.outfit.spans[index]]
    found, weights, _ = closest_points(build_tree(points, surface.triangles), points, middle[None])
    free = np.ones(new.cloth.outfit.count, bool)
    corners = surface.triangles[found[0]]
    grip = new.cloth.grip(pin.grip.garment, corners, weights[0], pin.grip.reach, new.state.positions, free)
    again = new.cloth.pinned(pin.number, grip, new.state.positions, old.pin_place(pin.number) - middle)
    return on_body(again, new.at_work(), new.bodies()) if pin.on else again
