"""What came of a frame: exact crossings, snags, stretch, speeds. It changes nothing that a run goes on from."""

from __future__ import annotations

from dataclasses import dataclass

from ..model.typed import Points
from ..solver.diagnostics import Energies, FrameTally, Stretch, stretch
from ..solver.effort import furthest
from ..solver.state import ClothState
from .colliders import Colliders
from .plan import PlannedRun
from .run.advance import Constants
from .showing import Body, Showing, shown_through
from .snags import Crossings, Snag, list_snags


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


@dataclass(frozen=True, eq=False)
class FrameEnd:
    """A frame that is over: its state after release, where its cloth was before (n, 3) m, and where the
    colliders are (k, 3) m; collider, m/s of their fastest point.
    """

    frame: int
    delivered: bool
    state: ClothState
    before: Points
    colliders: Colliders
    around: Points
    crossings: Crossings
    tally: FrameTally
    collider: float
    unrest: float | None


def inspected(
    constants: Constants, run: PlannedRun, bodies: tuple[Body, ...], end: FrameEnd, frame_rate: float
) -> tuple[FrameResult, ...]:
    """Each reported garment's frame in figures."""
    state, worn, results = end.state, constants.outfit, []
    for index, (dressed, span) in enumerate(zip(constants.dressed, worn.spans, strict=True)):
        if run.garments[index] not in run.reported:
            continue
        own, points = end.crossings.of(index, worn), state.positions[span]
        wear = constants.engine.wear[index]
        shown = shown_through(bodies, dressed.cloth.triangles, points, end.frame) if end.delivered else ()
        snags = list_snags(
            worn, index, state.positions, end.colliders, end.around, own, state.released
        )  # fmt: skip
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
                fastest_vertex=furthest(end.before[span], points) * frame_rate,
                fastest_collider=end.collider,
                energies=wear.energies(state),
                beyond_limit=wear.beyond_limit(state),
                unrest=end.unrest,
                showing=shown,
            )
        )
    return tuple(results)
