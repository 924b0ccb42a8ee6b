"""A run in the hands of its driver, and the one loop that drives it: headless runs, takes, live sessions."""

from __future__ import annotations

import io
from collections.abc import Callable
from dataclasses import dataclass
from typing import Protocol

from ..core.craft.inspect.frame import FrameResult, Inspection
from ..core.craft.run.inputs import FrameInputs
from ..core.craft.run.outfit_run import OutfitRun
from ..core.craft.run.start import check_uncrossed
from ..core.model.shot import PlannedRun, ShotPlan
from ..core.solver.state import ClothState
from ..formats.checkpoint.state import read_checkpoint, write_checkpoint
from .cores import Cores


@dataclass(frozen=True, eq=False)
class Saved:
    """All that a run needs to go on to the same bits: the state at the end of `frame`."""

    state: ClothState
    frame: int

    def written(self) -> bytes:
        """As a checkpoint."""
        stream = io.BytesIO()
        write_checkpoint(stream, self.state, self.frame)
        return stream.getvalue()

    @staticmethod
    def read(data: bytes) -> Saved:
        """What `written` wrote."""
        return Saved(*read_checkpoint(io.BytesIO(data)))


class Session:
    """Garments at the end of a frame. `advance` takes them on; nothing of a frame that was ended stays."""

    def __init__(self, run: OutfitRun, at: Saved) -> None:
        self._run = run
        self._inspection = Inspection(run)
        self.at = at

    @staticmethod
    def open(
        plan: ShotPlan, planned: PlannedRun, at: Saved | None, pause: Callable[[], None] = lambda: None
    ) -> Session:
        """The run at a saved frame, or where it begins, which can take minutes: `pause` is called meanwhile.

        `StartError` for cloth that passes through cloth: a run never steps on from that.
        """
        run = OutfitRun(plan, planned)
        if at is None:
            at = Saved(run.start(pause), plan.first_simulated)
        else:
            check_uncrossed(run.outfit, at.state.positions)
        return Session(run, at)

    def first(self) -> tuple[FrameResult, ...]:
        """The start of a run that was opened where it begins, as a frame that cost nothing."""
        results = self._inspection.of(self._run.first())
        self.at = Saved(results[0].state, results[0].frame)
        return results

    def advance(
        self,
        pause: Callable[[], None] = lambda: None,
        change: Callable[[FrameInputs], FrameInputs] = lambda inputs: inputs,
    ) -> tuple[FrameResult, ...]:
        """Go on by one frame; change: what acts in it; pause: called in every substep, ends it if it raises."""
        frames = self._run.frames(self.at.state, self.at.frame, self.at.frame + 1, change=change, between=pause)
        results = self._inspection.of(next(frames))
        self.at = Saved(results[0].state, results[0].frame)
        return results

    def restore(self, at: Saved) -> None:
        """Put the run back, or forward, to a saved frame."""
        self.at = at


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


def drive(
    plan: ShotPlan, sink: Sink, opened: dict[str, Session] | None = None, cores: Cores | None = None
) -> None:
    """Run all garments of a shot to its last frame, from where the sink has them.

    opened: runs that are open already, by their lead; cores: how many threads it may use as it goes.
    """

    def between() -> None:
        if cores is not None:
            cores.adapt()
        sink.pause()

    for planned in plan.runs:
        at = sink.latest(planned)
        if at is not None and at.frame >= plan.frames[1]:
            continue
        sink.begin(planned)
        session = (opened or {}).get(planned.lead)
        if session is None:
            session = Session.open(plan, planned, at, between)
        elif at is not None:
            session.restore(at)
        if at is None:
            sink.keep(planned, session.first(), session.at)
        while session.at.frame < plan.frames[1]:
            results = session.advance(between)
            sink.keep(planned, results, session.at)
