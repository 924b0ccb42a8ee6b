"""Figures of a finished frame: crossings, snags, stretch, speeds. A run never needs them to go on."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass

from ...model.typed import Flags, Points
from ...solver.diagnostics import Energies, FrameTally, Stretch, furthest, stretch
from ...solver.state import ClothState
from ..run.inputs import FrameInputs
from ..run.outfit_run import FrameEnd, OutfitRun
from ..run.release import Crossings, as_posed
from .showing import Showing, bodies_of, shown_through
from .snags import Snag, list_snags


@dataclass(frozen=True, eq=False)
class FrameResult:
    """One garment's frame.

    state, of all garments of the run, to go on from; positions (n, 3) m of this one; delivered False in the
    run-in; speeds in m/s: the fastest vertex between this frame and the last, and the fastest collider point;
    crossing_garments, triangle pairs with other garments. energies in J; triangles beyond the strain limit;
    unrest in m, how far from rest the run is, told at the end of settling and of the shot; showing, what of the
    full bodies shows through a delivered frame. The tally is the whole run's.
    """

    garment: str
    frame: int
    state: ClothState
    positions: Points
    delivered: bool
    tally: FrameTally
    stretch: Stretch
    snags: tuple[Snag, ...]
    crossing_colliders: int
    crossing_itself: int
    crossing_garments: int
    fastest_vertex: float
    fastest_collider: float
    energies: Energies
    beyond_limit: int
    unrest: float | None
    showing: tuple[Showing, ...] = ()


class Inspection:
    """Judges the frames of one run. The full bodies of its shot are worked out once."""

    def __init__(self, run: OutfitRun) -> None:
        self._run = run
        self._bodies = bodies_of(run.plan)

    def of(self, end: FrameEnd) -> tuple[FrameResult, ...]:
        """Each reported garment's frame in figures."""
        run, state, results = self._run, end.state, []
        worn = run.outfit
        crossings, released, around = seen(run, end)
        for index, (dressed, span) in enumerate(zip(run.dressed, worn.spans, strict=True)):
            if run.run.garments[index] not in run.run.reported:
                continue
            own, points = crossings.of(index, worn), state.positions[span]
            wear = run.constants.engine.wear[index]
            shown = (
                shown_through(self._bodies, dressed.cloth.triangles, points, end.frame) if end.delivered else ()
            )
            snags = list_snags(worn, index, state.positions, end.colliders, around, own, released)
            results.append(
                FrameResult(
                    garment=dressed.cloth.name,
                    frame=end.frame,
                    state=state,
                    positions=points,
                    delivered=end.delivered,
                    tally=end.tally,
                    stretch=stretch(dressed.cloth, points),
                    snags=snags,
                    crossing_colliders=len(own.colliders),
                    crossing_itself=len(own.itself),
                    crossing_garments=len(own.garments),
                    fastest_vertex=furthest(end.before[span], points) * run.plan.frame_rate,
                    fastest_collider=end.collider,
                    energies=wear.energies(state),
                    beyond_limit=wear.beyond_limit(state),
                    unrest=end.unrest,
                    showing=shown,
                )
            )
        return tuple(results)


def seen(run: OutfitRun, end: FrameEnd) -> tuple[Crossings, Flags, Points]:
    """A frame's crossings with bodies as posed, which vertices (n, p) parts pinch, and bodies (k, 3) m."""
    state, room = end.state, run.driver.room(end.frame)
    if room is None:
        return end.crossings, state.released, end.around
    around = run.colliders.points_at(end.frame)
    crossings, gripped = as_posed(run.outfit, state.positions, end.crossings, end.colliders, around, room)
    return crossings, state.released | gripped, around


def inspected(
    run: OutfitRun,
    state: ClothState,
    after: int,
    last: int,
    *,
    change: Callable[[FrameInputs], FrameInputs] = lambda inputs: inputs,
) -> Iterator[tuple[FrameResult, ...]]:
    """A run's frames after `after` up to `last`, each garment's in figures, going on from `state`."""
    inspection = Inspection(run)
    return (inspection.of(end) for end in run.frames(state, after, last, change=change))
