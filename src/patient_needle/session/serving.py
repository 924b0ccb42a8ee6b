"""The process of live fittings: one fitting at a time, one page that has it, a local socket that only its user
may enter.
"""

from __future__ import annotations

import io
import os
import queue
import socket
import threading
import time
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np
import structlog
from sqlalchemy.exc import SQLAlchemyError

from ..core.craft.drape.carry import carried
from ..core.craft.drape.live import Fitting
from ..core.craft.drape.sewing import Sewn, judged, sewing_of, sewing_plan
from ..core.craft.inspect.checks import check_member, check_plan
from ..core.craft.run.outfit_run import OutfitRun
from ..core.craft.sewing.source import FromPieces
from ..core.model.errors import NeedleError, ShotError
from ..core.model.shot import PlannedRun, ShotPlan
from ..core.model.tolerances import SEAM_UNEVEN, SEW_SHARE
from ..formats.fitting.written import WrittenFitting, read_fitting, write_fitting
from ..formats.shot_file.assemble import assemble
from ..formats.shot_file.document import BeginsRecord, FittingRecord, ShotFile
from ..formats.shot_file.fittings import shot_mark
from ..store import shots
from ..store.session import Store
from . import commands as asked
from . import wire
from .busy import Busy
from .client import Given
from .cores import Cores
from .keeping import keep_given, keep_sewn
from .live import Live
from .notebook import Entry, Notebook
from .opened import opened

log = structlog.get_logger()
UNWATCHED = 900.0  # s after which a fitting that no page has is put away; it is kept
SAVE_EVERY = 1.0  # s between two times that a fitting that moves is written down
TELL_EVERY = 0.1  # s between two tellings while nothing but cloth moves
BACKLOG = 500  # commands that may wait, beyond which a page is let go
BUSY_FOR = 1.0  # s after its last step during which a fitting keeps takes waiting
SMALL_BUFFER = 1 << 17  # bytes on their way to a page: what it has not read yet is not waited for


class BusyError(NeedleError):
    """Another window has the fitting."""


@dataclass(eq=False)
class Page:
    """One connection, and the name of the window behind it. What is newest of each kind waits to be sent; older
    is dropped, never queued.
    """

    connection: socket.socket
    name: str = ""
    latest: dict[tuple[int, int], bytes] = field(default_factory=dict)
    words: list[bytes] = field(default_factory=list)
    ready: threading.Condition = field(default_factory=threading.Condition)
    gone: bool = False

    def show(self, kind: wire.Kind, data: bytes, index: int = 0) -> None:
        """Send this when there is time, instead of an older one of its kind."""
        with self.ready:
            self.latest[kind, index] = data
            self.ready.notify()

    def say(self, data: bytes) -> None:
        """Send this in any case; a page that reads nothing for long is let go."""
        with self.ready:
            self.words.append(data)
            self.gone = self.gone or len(self.words) > BACKLOG
            self.ready.notify()

    def leave(self) -> None:
        """The connection is over, once what was to be said is said."""
        with self.ready:
            self.gone = True
            self.ready.notify()

    def send_on(self) -> None:
        """Send until it is over; for a thread of its own."""
        try:
            while True:
                with self.ready:
                    while not (self.words or self.latest or self.gone):
                        self.ready.wait()
                    if self.gone and not self.words:
                        return
                    batch = self.words + [self.latest.pop(key) for key in sorted(self.latest)[:1]]
                    self.words = []
                for data in batch:
                    self.connection.sendall(wire.framed(data))
        except OSError:
            self.gone = True
        finally:
            with suppress(OSError):
                self.connection.shutdown(socket.SHUT_RDWR)  # who reads from it hears the end
            self.connection.close()


@dataclass(frozen=True, eq=False)
class _Event:
    """A command of a page, or that it has gone."""

    page: Page
    command: asked.Command | NeedleError | None


@dataclass(frozen=True, eq=False)
class _Held:
    """What is open: a shot, the mark of its revision, its fitting, and its plan."""

    shot: int
    mark: str
    live: Live
    plan: ShotPlan


class Serving:
    """The fitting at hand. `run` is its loop; everything but reading and sending happens there."""

    def __init__(self, store: Store, address: Path, kept: Path) -> None:
        self._store, self._address, self._kept = store, address, kept
        self._events: queue.Queue[_Event] = queue.Queue()
        self._held: _Held | None = None
        self._page: Page | None = None
        self._since = time.monotonic()
        self._saved = self._told = self._stepped = 0.0
        self._written: WrittenFitting | None = None
        self._lines = 0  # of the log, that are written down
        self._notebook = Notebook()
        self._due = 0.0
        self._spent = 0.0
        self._parked: bytes = b""
        self._grew = False  # whether the page shows a figure that is not as it stands
        self._lock = Busy(address.parent)
        kept.mkdir(parents=True, exist_ok=True)

    def listen(self, ready: Callable[[], None] = lambda: None) -> None:
        """Take connections in threads until the process ends."""
        self._address.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
        if self._address.parent.stat().st_uid != os.getuid():
            raise NeedleError(
                "the folder of the fitting's socket belongs to somebody else", where=str(self._address.parent)
            )
        self._address.unlink(missing_ok=True)
        server = socket.socket(socket.AF_UNIX)
        server.bind(str(self._address))
        os.chmod(self._address, 0o600)
        server.listen(16)
        threading.Thread(target=self._accept, args=(server,), daemon=True).start()
        ready()

    def _accept(self, server: socket.socket) -> None:
        while True:
            connection, _ = server.accept()
            connection.setsockopt(socket.SOL_SOCKET, socket.SO_SNDBUF, SMALL_BUFFER)
            page = Page(connection)
            threading.Thread(target=page.send_on, daemon=True).start()
            threading.Thread(target=self._read, args=(page,), daemon=True).start()

    def _read(self, page: Page) -> None:
        """Hand on what a page sends, command by command."""
        try:
            with page.connection.makefile("rb") as stream:
                while len(head := stream.read(wire.LENGTH.size)) == wire.LENGTH.size:
                    (length,) = wire.LENGTH.unpack(head)
                    if length > asked.LONGEST:
                        self._events.put(_Event(page, _too_long(length)))
                        break
                    body = stream.read(length)
                    if len(body) < length:
                        break
                    try:
                        self._events.put(_Event(page, asked.command_of(body)))
                    except NeedleError as error:
                        self._events.put(_Event(page, error))
                    if self._events.qsize() > BACKLOG:
                        break
        except OSError:
            pass
        self._events.put(_Event(page, None))

    def run(self, leaving: Callable[[], bool]) -> None:
        """Do what pages ask, and step, until `leaving`."""
        with Cores() as cores:
            while not leaving():
                self._hear()
                if self._held is not None and self._held.live.moves and time.monotonic() >= self._due:
                    self._step(self._held, cores)
                self._look_after()
        self._save(now=True)
        self._notebook.flush()

    def _hear(self) -> None:
        """Do what has been asked; wait for it no longer than until the next step is due."""
        moves = self._held is not None and self._held.live.moves
        wait = max(0.0, self._due - time.monotonic()) if moves else 0.2
        try:
            event = self._events.get(timeout=wait) if wait > 0 else self._events.get_nowait()
        except queue.Empty:
            return
        done = False
        while True:
            try:
                following = self._events.get_nowait()
            except queue.Empty:
                following = None
            # Of places that the pointer passed since the last step, the newest is drawn to.
            passed = following is not None and following.page is event.page and _draws(following, event)
            done = passed or self._handle(event) or done
            if following is None:
                break
            event = following
        if done:
            self._tell(now=True)

    def _handle(self, event: _Event) -> bool:
        page, command = event.page, event.command
        step = 0 if self._held is None else self._held.live.fitting.step_number
        try:
            if command is None:
                self._gone(page)
            elif isinstance(command, NeedleError):
                raise command
            elif isinstance(command, asked.Open):
                self._open(page, command)
            elif isinstance(command, asked.Give):
                self._give(page, command)
            elif isinstance(command, asked.GiveUp):
                if page is self._page and self._held is not None and self._held.live.sewing is not None:
                    self._held = self._written = None
            elif page is not self._page or self._held is None:
                raise BusyError("this window does not have the fitting", remedy="Open the fitting first")
            else:
                self._held.live.do(command)
            return True
        except NeedleError as error:
            do = "" if command is None or isinstance(command, NeedleError) else str(getattr(command, "do", ""))
            page.say(wire.refused(step, error, do))
        except Exception as error:  # the edge of the process: it is told, and the fitting stays as it is
            log.exception("a command failed", action="fitting_failed")
            fault = NeedleError(
                f"the fitting could not do this ({type(error).__name__}: {error})"[:300],
                remedy="Go back a step, or begin anew; the log says more",
            )
            page.say(wire.refused(step, fault))
        return True

    def _gone(self, page: Page) -> None:
        """A page that closes lets go and pauses."""
        page.leave()
        if page is self._page:
            self._page, self._since = None, time.monotonic()
            if self._held is not None and not self._held.live.settles:
                for command in (asked.Hold(do="hold"), asked.LetGo(do="let go"), asked.Smoothed(do="smoothed")):
                    self._held.live.do(command)
            self._save(now=True)

    def _open(self, page: Page, command: asked.Open) -> None:
        if self._page is not None and self._page is not page and not self._page.gone:
            own = command.page != "" and command.page == self._page.name
            if not command.over and not own:
                raise BusyError(
                    "another window has a fitting open", remedy="Close it there, or take it over",
                    where="" if self._held is None else self._held.plan.name,
                )  # fmt: skip
            if not own:
                self._page.say(wire.refused(0, BusyError("another window took the fitting over"), "over"))
            self._gone(self._page)
        page.say(wire.told(0, {"opening": True}))
        held = self._held
        lost: list[str] = []
        with opened(self._store, command.shot, command.revision) as (shot, folder):
            mark = shot_mark(shot.model_dump(mode="json"))
            same = held is not None and (held.shot, held.mark) == (command.shot, mark)
            sews = command.sew is not None or (held is not None and held.live.sewing is not None)
            if not same or command.anew or command.fitting is not None or sews:
                if held is not None:
                    self._save(now=True)
                    self._notebook.flush()
                carries = (
                    command.carry
                    and not sews
                    and held is not None
                    and held.shot == command.shot
                    and not command.anew
                )
                live, plan, lost = self._begun(command, shot, folder, held if carries else None, mark)
                self._held, self._written = _Held(command.shot, mark, live, plan), None
                self._lines = live.known
                log.info("fitting open", action="fitting_open", shot=command.shot, revision=command.revision)
        page.name, self._page, self._parked = command.page, page, b""
        self._tell(now=True, lost=lost)
        self._show(page)

    def _begun(
        self, command: asked.Open, shot: ShotFile, folder: Path, before: _Held | None, mark: str
    ) -> tuple[Live, ShotPlan, list[str]]:
        """A fitting to begin with, and what is to be said of it."""
        record = next((one for one in shot.fittings if one.name == command.fitting), None)
        if command.fitting is not None and record is None:
            raise ShotError(f"the shot keeps no fitting '{command.fitting}'", remedy="Choose one of the list")
        plan = assemble(shot, folder)
        if command.sew is not None:
            return self._sewing(command, plan)
        check_plan(plan)
        run = OutfitRun(plan, run_of(plan))
        if before is not None:
            fitting, lost = carried(before.live.fitting, run)
            live = Live(fitting)
            live.running, live.pace = before.live.running, before.live.pace
            live.begin_log(command)
            return live, plan, lost
        if record is not None:
            try:
                live, lost = _resumed(run, (folder / record.file).read_bytes(), record.name), []
            except ShotError:
                live, lost = _by_place(record, shot, folder)
            live.begin_log(command)
            return live, live.fitting.plan, lost
        path = self._path(command.shot, mark)
        if not command.anew and path.exists():
            try:
                live = _resumed(run, path.read_bytes(), path.name)
                live.remember(path.with_suffix(".log"))
                return live, plan, ["It goes on from where it was left"]
            except NeedleError as error:
                log.warning(error.line(), action="fitting_not_resumed")
        live = Live(Fitting(run, run.start()))
        live.begin_log(command)
        return live, plan, []

    def _sewing(self, command: asked.Open, plan: ShotPlan) -> tuple[Live, ShotPlan, list[str]]:
        """A garment of pieces laid round the figure, about to be sewn."""
        for member in plan.cast:
            check_member(plan, member)
        name = str(command.sew)
        plan = sewing_plan(plan, name)
        live = Live(sewing_of(plan, name))
        live.sewing = name
        live.begin_log(command)
        return live, plan, []

    def _give(self, page: Page, command: asked.Give) -> None:
        held = self._held
        if held is None or held.shot != command.shot:
            raise BusyError("that shot has no fitting open", remedy="Open it on the Drape bench")
        if held.live.sewing is not None:
            raise BusyError(f"'{held.live.sewing}' is being sewn", remedy="Wait until it is worn")
        page.say(given(held.live, held.mark))

    def _step(self, held: _Held, cores: Cores) -> None:
        live, begun = held.live, time.monotonic()
        if self._page is not None:  # takes do not wait for what nobody watches
            self._lock.take()
        try:
            live.step(cores.adapt)
        except NeedleError as error:
            if self._page is not None:
                self._page.say(wire.refused(live.fitting.step_number, error, "step"))
        except Exception as error:  # a step that cannot be done: hold still and say so
            log.exception("a step failed", action="fitting_failed")
            live.do(asked.Hold(do="hold"))
            fault = NeedleError(
                f"a step could not be done ({type(error).__name__}: {error})"[:300], remedy="Go back a step"
            )
            if self._page is not None:
                self._page.say(wire.refused(live.fitting.step_number, fault, "step"))
        if live.keep_as is not None and live.fitting.resting is None:
            self._keep(held, live.keep_as)
        if live.is_sewn:
            self._keep_sewn(held, str(live.sewing))
            return
        now = self._stepped = time.monotonic()
        self._spent = now - begun
        self._due = max(now, begun + 1.0 / live.pace)
        if self._page is not None:
            self._show(self._page)
        self._tell(now=not live.moves)

    def _keep(self, held: _Held, name: str) -> None:
        """Keep the fitting, which has come to rest, in its shot as it is now."""
        held.live.keep_as = None
        head, file, poses = as_given(held.live, held.mark)
        try:
            with self._store.begin() as session:
                seen = shots.get(session, held.shot).head
                keep_given(session, held.shot, seen, name, Given(head, file, poses))
        except (NeedleError, SQLAlchemyError) as error:
            fault = (
                error
                if isinstance(error, NeedleError)
                else NeedleError(
                    "the database does not answer, so the fitting was not kept",
                    remedy="Keep it by hand in a moment",
                )
            )
            log.warning(fault.line(), action="fitting_not_kept")
            if self._page is not None:
                self._page.say(wire.refused(held.live.fitting.step_number, fault, "to rest"))

    def _keep_sewn(self, held: _Held, name: str) -> None:
        """Keep a garment as it is worn now in its shot, or say what is wrong with it; the sewing is over."""
        live, fitting = held.live, held.live.fitting
        index = fitting.cloth.index(name)
        source = fitting.sources[index]
        assert isinstance(source, FromPieces)
        positions = fitting.state.positions[fitting.cloth.outfit.spans[index]]
        pose, crossings = np.ascontiguousarray(positions, "<f4").tobytes(), fitting.crossings()
        found = (len(crossings.colliders), len(crossings.itself), len(crossings.garments))
        fault: NeedleError | None = None
        try:
            with self._store.begin() as session:
                keep_sewn(session, held.shot, name, source.mark, pose, found)
        except NeedleError as error:
            fault = error
        except SQLAlchemyError:
            fault = NeedleError(
                "the database does not answer, so the garment was not kept", remedy="Sew it again"
            )
        said = "" if fault is not None else _sewn_said(judged(live.fitting, source, name), live.fitting)
        log.info(
            "garment sewn", action="garment_sewn", shot=held.shot, fault="" if fault is None else fault.line()
        )
        if self._page is not None:
            if fault is not None:
                self._page.say(wire.refused(live.fitting.step_number, fault, "sew"))
            self._page.say(
                wire.told(live.fitting.step_number, {"sewn": name, "said": said, "fault": fault is not None})
            )
        self._held = self._written = None

    def _show(self, page: Page) -> None:
        """The newest positions, parked cloth when it changed, and set pieces on their way."""
        assert self._held is not None
        fitting = self._held.live.fitting
        step = fitting.step_number
        page.show(wire.Kind.POSITIONS, wire.floats(wire.Kind.POSITIONS, step, fitting.state.positions))
        parked = np.packbits(fitting.hands.parked).tobytes()
        if parked != self._parked:
            self._parked = parked
            page.show(wire.Kind.PARKED, wire.message(wire.Kind.PARKED, step, parked))
        coming = {name for name, _ in fitting.stance.coming}
        if fitting.growth is not None or self._grew:
            # Once more when it has grown, so that it stands as it is.
            coming |= {member.name for member in fitting.colliders.members if member.kind == "character"}
            self._grew = fitting.growth is not None
        if coming:
            bodies = fitting.bodies()
            for index, (member, span) in enumerate(
                zip(fitting.colliders.members, fitting.colliders.spans, strict=True)
            ):
                if member.name in coming:
                    data = wire.floats(wire.Kind.PIECE, step, bodies[span], index)
                    page.show(wire.Kind.PIECE, data, index)

    def _tell(self, *, now: bool = False, lost: list[str] | None = None) -> None:
        if self._page is None or self._held is None:
            return
        clock = time.monotonic()
        if not now and clock - self._told < TELL_EVERY:
            return
        self._told = clock
        live = self._held.live
        what = live.said() | {
            "shot": self._held.shot, "mark": self._held.mark, "step_ms": round(1e3 * self._spent, 1),
            "members": [member.name for member in live.fitting.colliders.members],
        }  # fmt: skip
        data = wire.told(live.fitting.step_number, what | ({"lost": lost} if lost else {}))
        if lost:
            self._page.say(data)
        else:
            self._page.show(wire.Kind.TOLD, data)

    def _look_after(self) -> None:
        """Let takes go on, write down what moved, put away what nobody watches."""
        now = time.monotonic()
        moves = self._held is not None and self._held.live.moves and self._page is not None
        if not moves and now - self._stepped > BUSY_FOR:
            self._lock.give()
        self._save()
        settles = self._held is not None and self._held.live.settles
        if self._held is not None and not settles and self._page is None and now - self._since > UNWATCHED:
            log.info("fitting put away", action="fitting_put_away", shot=self._held.shot)
            self._held = self._written = None

    def _path(self, shot: int, mark: str) -> Path:
        return self._kept / f"shot_{shot}_{mark}.fitting"

    def _save(self, *, now: bool = False) -> None:
        """Write the fitting down where it has moved; at most once a second unless `now`."""
        held, clock = self._held, time.monotonic()
        if held is None or held.live.sewing is not None or (not now and clock - self._saved < SAVE_EVERY):
            return
        live, before = held.live, self._written
        fitting = live.fitting
        if before is not None and (before.state, before.hands, before.stance) == (
            fitting.state, fitting.hands, fitting.stance,
        ):  # fmt: skip
            return
        self._saved, self._written = clock, live.written()
        lines = tuple(one.line() for one in live.log[self._lines :])
        self._notebook.put(Entry(self._path(held.shot, held.mark), self._written, lines, self._lines))
        self._lines = len(live.log)


def as_given(live: Live, mark: str) -> tuple[dict[str, Any], bytes, tuple[bytes, ...]]:
    """A fitting to be kept: what is to be said of it, itself as a file, and the positions of each garment as
    float32. Said are `garments` with their counts and `crossings` of cloth with colliders, itself and others.
    """
    fitting, stream = live.fitting, io.BytesIO()
    written = live.written()
    write_fitting(stream, written)
    crossings = fitting.crossings()
    head = {
        "mark": mark, "time": fitting.stance.time, "file": stream.tell(),
        "garments": [list(one) for one in written.garments],
        "crossings": [len(crossings.colliders), len(crossings.itself), len(crossings.garments)],
        "unrest_mm": None if fitting.unrest is None else round(fitting.unrest * 1e3, 3),
    }  # fmt: skip
    poses = [np.ascontiguousarray(written.positions(name), "<f4").tobytes() for name, _ in written.garments]
    return head, stream.getvalue(), tuple(poses)


def given(live: Live, mark: str) -> bytes:
    """The same as a message: a JSON head with its length before it, the file, the positions."""
    said, file, poses = as_given(live, mark)
    head = wire.as_json(said)
    body = b"".join([wire.LENGTH.pack(len(head)), head, file, *poses])
    return wire.message(wire.Kind.GIVEN, live.fitting.step_number, body)


SHUT = 0.5e-3  # m that nobody sees between two sides of a basting


def _sewn_said(sewn: Sewn, fitting: Fitting) -> str:
    """How a garment came out, in a sentence or two."""
    most, loosest, rest = fitting.still_to_go(SEW_SHARE), fitting.unrest, ""
    if most is not None and loosest is not None:
        rest = (
            f"; to rest, {100 * SEW_SHARE:.0f} in 100 vertices have {most * 1e3:.1f} mm or less to go, the "
            f"loosest {loosest * 1e3:.1f} mm"
        )
    said = f"Sewn: 99 in 100 edges are stretched by {100 * sewn.p99:.1f} % or less{rest}"
    tight = [one for one in sewn.seams if one.strain > SEAM_UNEVEN]
    if tight:
        said += "; " + ", ".join(
            f"seam {one.number} ({one.where}) is {one.short * 1e3:.0f} mm short" for one in tight[:4]
        )
    if sewn.open > SHUT:
        said += f"; what is basted gapes by {sewn.open * 1e3:.1f} mm"
    if sewn.through:
        parts = ", ".join(f"{name} in {count}" for name, count in sewn.through[:3])
        said += (
            f". It goes through parts that do not collide: {parts} places. Let them collide, on the Cast bench"
        )
    return said


def _resumed(run: OutfitRun, data: bytes, where: str) -> Live:
    return Live.resumed(run, read_fitting(io.BytesIO(data), where, run.colliders.triangles))


def _by_place(record: FittingRecord, shot: ShotFile, folder: Path) -> tuple[Live, list[str]]:
    """A fitting of another mesh or figure, its cloth carried over by place; what was lost, in words."""
    begins = {
        one.garment: BeginsRecord(cache=one.cache, recipe=one.recipe, take=record.name)
        for one in record.garments
    }
    garments = [one.model_copy(update={"begins": begins.get(one.name)}) for one in shot.garments]
    plan = assemble(shot.model_copy(update={"garments": garments}), folder)
    if record.frame != plan.first_simulated:
        raise ShotError(
            f"fitting '{record.name}' is of another mesh or figure, and stands at frame {record.frame:g}",
            remedy="Go back to one in which the figure stands at rest, or begin anew",
        )
    run = OutfitRun(plan, run_of(plan))
    lost = (
        f"'{record.name}' is of another mesh or figure: its cloth was carried over, pins and parking were not"
    )
    return Live(Fitting(run, run.start())), [lost]


def run_of(plan: ShotPlan) -> PlannedRun:
    """All garments of a shot as one run: in a fitting they are worn together."""
    if not plan.garments:
        raise NeedleError("the shot has no garment to fit", remedy="Make one on the Wardrobe bench")
    return PlannedRun(plan.garments, plan.garments)


def _draws(*events: _Event) -> bool:
    return all(isinstance(event.command, asked.Draw) for event in events)


def _too_long(length: int) -> NeedleError:
    return asked.BadCommandError(
        f"a command has {length} bytes, more than {asked.LONGEST}", remedy="Send it in pieces"
    )
