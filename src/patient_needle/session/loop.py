"""The one loop that runs a shot: for headless runs, takes, and whoever comes next."""

from __future__ import annotations

from typing import Protocol

from ..core.craft.inspect.frame import FrameResult
from ..core.model.shot import PlannedRun, ShotPlan
from .run import Saved, Session


class Sink(Protocol):
    """Where the frames of a shot's runs go, and who may end them. What it raises ends the loop as it is."""

    def latest(self, run: PlannedRun) -> Saved | None:
        """What a run goes on from, None when nothing of it is kept."""

    def begin(self, run: PlannedRun) -> None:
        """A run is made ready."""

    def keep(self, run: PlannedRun, results: tuple[FrameResult, ...], at: Saved) -> None:
        """Keep a frame of all garments that a run reports, or nothing of it; `at`, to go on from it."""

    def pause(self) -> None:
        """Called often, at least once a substep: raise to leave the frame under way for another time."""


def drive(plan: ShotPlan, sink: Sink, opened: dict[str, Session] | None = None) -> None:
    """Run all garments of a shot to its last frame, from where the sink has them.

    opened: runs that are open already, by their lead.
    """
    for planned in plan.runs:
        at = sink.latest(planned)
        if at is not None and at.frame >= plan.frames[1]:
            continue
        sink.begin(planned)
        session = (opened or {}).get(planned.lead)
        if session is None:
            session = Session.open(plan, planned, at, sink.pause)
        elif at is not None:
            session.restore(at)
        if at is None:
            sink.keep(planned, session.first(), session.at)
        while session.at.frame < plan.frames[1]:
            results = session.advance(sink.pause)
            sink.keep(planned, results, session.at)
