"""Running a take: from its latest checkpoint, garment by garment, each frame committed as it is made."""

from __future__ import annotations

import time
from collections import deque
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from typing import Any

import structlog
from sqlalchemy.exc import DBAPIError

from ..core.craft.inspect.checks import check_plan
from ..core.craft.inspect.frame import FrameResult
from ..core.model.errors import NeedleError, ResumeError
from ..core.model.shot import PlannedRun, ShotPlan
from ..core.model.tolerances import ALL
from ..formats.report.records import frame_record
from ..formats.shot_file.assemble import assemble
from ..session.cores import Cores
from ..session.opened import opened
from ..session.run import Saved, drive
from ..store import takes
from ..store.errors import DISK_FULL, FencedError
from ..store.models import Take, TakeState
from ..store.session import Store
from .queue import queue_take

log = structlog.get_logger()
NO_ROOM = {
    "what": "the disk is full",
    "where": "the database",
    "remedy": "Delete takes or free space, then let the take go on",
}
RECENT = 12  # frames that the pace is taken over
WAIT_EVERY = 0.1  # s between two looks at whether a fitting still moves
LOOK_EVERY = 0.5  # s between two looks at whether the take is to stop


class _Stopped(Exception):
    """The artist asked for a stop."""


class _Leaving(Exception):
    """This worker shuts down."""


@dataclass
class _Pace:
    """How far a run is, and how fast: the mean of its latest frames. Nothing is decided by it."""

    done: int = 0
    _ends: deque[float] = field(default_factory=lambda: deque(maxlen=RECENT + 1))

    def tick(self) -> None:
        self.done += 1
        self._ends.append(time.monotonic())

    def begin(self) -> None:
        self._ends.clear()
        self._ends.append(time.monotonic())

    def progress(self, phase: str) -> takes.Progress:
        spans = len(self._ends) - 1
        each = (self._ends[-1] - self._ends[0]) / spans if spans > 1 else None
        return takes.Progress(self.done, each, phase)


def run_take(
    store: Store, take_id: int, made_with: dict[str, Any], asked_to_stop: Callable[[], bool] = lambda: False,
    asked_to_wait: Callable[[], bool] = lambda: False,
) -> None:  # fmt: skip
    """Run a take until it is finished, stopped, fails, or another worker takes it over.

    asked_to_stop: True when this worker shuts down; the take is then left for the next one to take up.
    asked_to_wait: True while somebody's hands are on cloth; the take stands still then, and goes on to the same
    bits.
    """
    with store.begin() as session:
        claimed = takes.claim(session, take_id, made_with)
    if claimed is None:
        log.info("take wants no work", action="take_skipped", take=take_id)
        return
    take, lease = claimed
    log.info("take begun", action="take_begun", take=take_id, lease=lease.number)
    try:
        _run(store, take, lease, made_with, asked_to_stop, asked_to_wait)
    except FencedError as error:
        log.warning(error.line(), action="take_fenced", take=take_id, lease=lease.number)
    except _Leaving:
        with store.begin() as session:
            takes.give_back(session, lease)
            queue_take(session, take_id)
    except _Stopped:
        _finish(store, lease, TakeState.STOPPED, None)
    except NeedleError as error:
        fault = {"what": error.what, "where": error.where, "remedy": error.remedy}
        _finish(store, lease, TakeState.FAILED, fault)
    except DBAPIError as error:
        if getattr(error.orig, "sqlstate", None) != DISK_FULL:
            raise  # the database is away: the next sweep takes the run up again
        _finish(store, lease, TakeState.FAILED, NO_ROOM)
    except Exception as error:  # the edge of a job: whatever it was, the artist must see that the take failed
        log.exception("take failed", action="take_failed", take=take_id)
        fault = {
            "what": f"the engine stopped unexpectedly ({type(error).__name__}: {error})",
            "where": f"'{take.name}'",
            "remedy": "Its frames are kept; the worker's log says more",
        }
        _finish(store, lease, TakeState.FAILED, fault)


def _finish(store: Store, lease: takes.Lease, state: TakeState, fault: dict[str, Any] | None) -> None:
    try:
        with store.begin() as session:
            takes.finish(session, lease, state, fault)
    except FencedError as error:
        log.warning(error.line(), action="take_fenced", take=lease.take_id, lease=lease.number)
        return
    log.info("take ended", action="take_ended", take=lease.take_id, state=state.value)


def _run(
    store: Store, take: Take, lease: takes.Lease, made_with: dict[str, Any], asked_to_stop: Callable[[], bool],
    asked_to_wait: Callable[[], bool],
) -> None:  # fmt: skip
    _check_same_engine(take, made_with)
    plan = _plan(store, take)
    kept = _kept(store, plan, take)
    done = 0
    for planned in plan.runs:
        if planned.lead in kept:
            done += len(planned.reported) * (kept[planned.lead].frame - take.first_simulated + 1)
    sink = TakeSink(store, take, lease, kept, _Pace(done), asked_to_stop, asked_to_wait)
    sink.tell("preparing")
    with Cores() as cores:
        drive(plan, sink, cores=cores)
    _check_whole(store, plan, take)
    _finish(store, lease, TakeState.FINISHED, None)


def _check_whole(store: Store, plan: ShotPlan, take: Take) -> None:
    """Every planned frame of every garment is in the database before a take calls itself finished."""
    wanted = list(range(take.first_simulated, take.last + 1))
    with store.begin() as session:
        for garment in plan.garments:
            size = 12 * garment.mesh.vertex_count
            found = takes.frame_sizes(session, take.id, garment.name)
            wrong = next((f for f in wanted if found.get(f) != size), None)
            if wrong is not None:
                raise ResumeError(
                    f"frame {wrong} of the {garment.name} was not kept as planned",
                    where=f"'{take.name}'",
                    remedy="Its other frames are kept; make a new take",
                )


def _kept(store: Store, plan: ShotPlan, take: Take) -> dict[str, Saved]:
    """By the first garment of each run, what to go on from."""
    with store.begin() as session:
        latest = {run.lead: takes.latest_checkpoint(session, take.id, run.lead) for run in plan.runs}
    return {name: Saved.read(found[1]) for name, found in latest.items() if found}


def _check_same_engine(take: Take, made_with: dict[str, Any]) -> None:
    if take.made_with is not None and take.made_with != made_with:
        changed = [k for k, v in made_with.items() if take.made_with.get(k) != v]
        raise ResumeError(
            f"it was begun with another {' and '.join(changed) or 'set of versions'}, so that the rest would "
            "not be the same run",
            where=f"'{take.name}'",
            remedy="Its frames are kept; make a new take",
        )


def _plan(store: Store, take: Take) -> ShotPlan:
    """The take's revision, over the take's own range and patience, checked."""
    with opened(store, take.shot_id, take.number) as (shot, folder):
        plan = assemble(shot, folder)
    plan = replace(plan, patience=ALL[take.patience], frames=(take.first, take.last))
    check_plan(plan)
    return plan


class TakeSink:
    """The database as a sink: each frame of all garments is committed as it is made, all or nothing.

    kept: what runs go on from, by their lead. A stop that was asked for, or this worker's leaving, ends the
    frame under way within LOOK_EVERY and a substep.
    """

    def __init__(
        self,
        store: Store,
        take: Take,
        lease: takes.Lease,
        kept: dict[str, Saved],
        pace: _Pace,
        asked_to_stop: Callable[[], bool],
        asked_to_wait: Callable[[], bool] = lambda: False,
    ) -> None:
        self._store, self._take, self._lease, self._kept = store, take, lease, kept
        self._pace, self._asked_to_stop, self._asked_to_wait = pace, asked_to_stop, asked_to_wait
        self._phase, self._looked = "preparing", time.monotonic()

    def latest(self, run: PlannedRun) -> Saved | None:
        """What a run goes on from."""
        return self._kept.get(run.lead)

    def begin(self, run: PlannedRun) -> None:
        """Until the first frame is there, the start is being untangled."""
        if self._kept.get(run.lead) is None:
            self._phase = "untangling the start"
        self._pace.begin()

    def keep(self, run: PlannedRun, results: tuple[FrameResult, ...], at: Saved) -> None:
        """Commit a frame; the state is kept with the run's first garment."""
        self._phase, wanted, checkpoint = "simulating", "", at.written()
        with self._store.begin() as session:
            for result in results:
                self._pace.tick()
                wanted = takes.commit_frame(
                    session, self._lease, self._pace.progress(self._phase), garment=result.garment,
                    frame=result.frame, positions=result.positions.astype("<f4").tobytes(),
                    record=frame_record(result), checkpoint=checkpoint if result.garment == run.lead else None,
                )  # fmt: skip
        if at.frame == self._take.first_simulated:
            self._pace.begin()
        self._looked = time.monotonic()
        if at.frame < self._take.last:
            self._heed(wanted)

    def pause(self) -> None:
        """Leave or stop when that is wanted; asked of the database every LOOK_EVERY at most. Stand still while
        hands are on cloth: nothing of the frame under way is lost.
        """
        waits = False
        while True:
            waited, waits = waits, self._asked_to_wait()
            if self._asked_to_stop():
                raise _Leaving
            if waits != waited or time.monotonic() - self._looked >= LOOK_EVERY:
                self._looked = time.monotonic()
                self.tell("waiting while a fitting moves" if waits else self._phase)
            if not waits:
                return
            time.sleep(WAIT_EVERY)

    def tell(self, phase: str) -> None:
        """Give a sign of life."""
        with self._store.begin() as session:
            wanted = takes.beat(session, self._lease, self._pace.progress(phase))
        self._heed(wanted)

    def _heed(self, wanted: str) -> None:
        if self._asked_to_stop():
            raise _Leaving
        if wanted == "stop":
            raise _Stopped
