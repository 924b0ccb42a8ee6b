"""The desk process: answers one request per message, keeps the latest shots open."""

from __future__ import annotations

import os
import socket
import threading
from collections import OrderedDict
from collections.abc import Callable, Iterator
from dataclasses import replace
from multiprocessing.connection import Connection, Listener
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

import numpy as np
import structlog
from sqlalchemy.exc import DataError, SQLAlchemyError

from ..core.craft.maps.inputs import MapCache
from ..core.model.errors import NeedleError, ShotError
from ..core.model.garment import Source
from ..core.model.mesh import Mesh
from ..formats.files import finite
from ..formats.registry import read_cache
from ..formats.shot_file.assemble import Making, file_mesh, remade
from ..formats.shot_file.carrying import Carried
from ..formats.shot_file.document import FileRecipe, Recipe, parse_shot
from ..formats.shot_file.members import AssembledMember
from ..formats.shot_file.parcel import write_folder
from ..store import shots
from ..store.session import Store
from . import wire
from .answers import Answers
from .asked import request_of
from .locks import KeyedLocks
from .open_shot import OpenShot, read_open_shot

log = structlog.get_logger()
KEPT_OPEN = 4
KEPT_MEMBERS = 24
KEPT_MADE = 24


class OpenShots:
    """The latest few revisions, each read once however many ask for it."""

    def __init__(self, store: Store) -> None:
        self._store = store
        self._remembered = MapCache()
        self._open: OrderedDict[tuple[int, int], OpenShot] = OrderedDict()
        self._members: OrderedDict[str, AssembledMember] = OrderedDict()
        self._made: OrderedDict[str, Source] = OrderedDict()
        self._lasts: OrderedDict[int, dict[str, Source]] = OrderedDict()
        self._guard = threading.Lock()
        self._reading = KeyedLocks()

    def get(self, shot_id: int, number: int) -> OpenShot:
        """A revision, read when it is not open."""
        key = (shot_id, number)
        if (known := self._known(key)) is not None:
            return known
        with self._reading(key):  # others' shots are answered meanwhile
            if (known := self._known(key)) is not None:
                return known
            opened = self._read(shot_id, number)
            with self._guard:
                self._open[key] = opened
                while len(self._open) > KEPT_OPEN:
                    self._open.popitem(last=False)
                while len(self._members) > KEPT_MEMBERS:
                    self._members.popitem(last=False)
                while len(self._lasts) > KEPT_OPEN:
                    self._lasts.popitem(last=False)
                while len(self._made) > KEPT_MADE:
                    self._made.popitem(last=False)
            return opened

    def _known(self, key: tuple[int, int]) -> OpenShot | None:
        with self._guard:
            if key in self._open:
                self._open.move_to_end(key)
            return self._open.get(key)

    def _read(self, shot_id: int, number: int) -> OpenShot:
        with TemporaryDirectory(prefix="needle-desk-") as folder:
            with self._store.begin() as session:
                document, files = shots.contents(session, shot_id, number)
                write_folder(Path(folder), document, files)
            shot = parse_shot(document, f"shot {shot_id}")
            with self._guard:
                lasts = self._lasts.setdefault(shot_id, {})
                self._lasts.move_to_end(shot_id)
            return read_open_shot(shot, Path(folder), self._members, self._remembered, self._made, lasts)

    def remade(self, shot_id: int, number: int, name: str, recipe: Recipe) -> Carried:
        """The garments of a revision once one of them is made by another recipe."""
        opened = self.get(shot_id, number)
        with TemporaryDirectory(prefix="needle-desk-") as folder:
            with self._store.begin() as session:
                write_folder(Path(folder), *shots.contents(session, shot_id, number))
            with self._reading(("remade", shot_id)):
                return remade(opened.shot, Path(folder), opened.sources, name, recipe, self._made)

    def file_mesh(self, shot_id: int, number: int, name: str) -> Mesh | None:
        """The mesh of a garment's file, placed and mended, whether it is cloth or not; None for what is made
        here.
        """
        shot = self.get(shot_id, number).shot
        recipe = next((one.recipe for one in shot.garments if one.name == name), None)
        if not isinstance(recipe, FileRecipe):
            return None
        with TemporaryDirectory(prefix="needle-desk-") as folder:
            with self._store.begin() as session:
                write_folder(Path(folder), *shots.contents(session, shot_id, number))
            return file_mesh(recipe, Path(folder), name)

    def fitted(self, shot_id: int, number: int, fitting: str, garment: str) -> Mesh:
        """A garment's mesh as a kept fitting has it."""
        opened = self.get(shot_id, number)
        record = next((one for one in opened.shot.fittings if one.name == fitting), None)
        fitted = None if record is None else next((f for f in record.garments if f.garment == garment), None)
        piece = next((one for one in opened.shot.garments if one.name == garment), None)
        if fitted is None or piece is None:
            raise ShotError(f"there is no fitting '{fitting}' of '{garment}'", remedy="Choose one of the list")
        with TemporaryDirectory(prefix="needle-desk-") as folder:
            with self._store.begin() as session:
                write_folder(Path(folder), *shots.contents(session, shot_id, number))
            making = Making(opened.shot, Path(folder), opened.sources, kept=self._made)
            making.made.update({name: one.garment.source for name, one in opened.garments.items()})
            surface = making.made_by(fitted.recipe, piece).surface
            frames = read_cache(Path(folder) / fitted.cache).frames
            if frames.shape[1:] != surface.vertices.shape:
                raise ShotError(
                    f"fitting '{fitting}' is of another mesh of '{garment}'", remedy="Keep the fitting again"
                )
            pose = np.asarray(frames[0], np.float64)
        return replace(surface.with_vertices(pose), name=garment)


def serve(store: Store, address: Path, key: bytes, ready: Callable[[], None] = lambda: None) -> None:
    """Listen on a local socket until the process ends."""
    address.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
    if address.parent.stat().st_uid != os.getuid():
        raise NeedleError("the folder of the desk's socket belongs to somebody else", where=str(address.parent))
    address.unlink(missing_ok=True)
    answers = Answers(store, OpenShots(store))
    with Listener(str(address), family="AF_UNIX", backlog=16, authkey=key) as listener:
        ready()
        while True:
            try:
                connection = listener.accept()
            except (OSError, EOFError, socket.error) as error:  # noqa: UP024 - a caller without the key
                log.warning(str(error), action="desk_refused")
                continue
            threading.Thread(target=_talk, args=(connection, answers), daemon=True).start()


def _talk(connection: Connection, answers: Answers) -> None:
    with connection:
        while True:
            try:
                body = wire.receive(connection).body
            except (EOFError, OSError):
                return
            try:
                for message in _answered(answers, body):
                    wire.send(connection, message)
            except OSError:
                return  # whoever asked has gone


def _answered(answers: Answers, body: dict[str, Any]) -> Iterator[wire.Message]:
    """The answer, or a stream of them and its end; whatever goes wrong is a fault, and the last message."""
    try:
        request = request_of(body)
        if not request.streams:
            answer = answers.answer(request)
            yield wire.Message(finite(answer.body), answer.arrays)
            return
        for answer in answers.stream(request):
            yield wire.Message(finite(answer.body), answer.arrays)
        yield wire.END
    except NeedleError as error:
        yield _fault(type(error).__name__, error.what, error.where, error.remedy)
    except DataError:
        yield _fault("MissingError", "there is no such shot or take", "", "Choose one from the list")
    except SQLAlchemyError as error:
        log.warning(str(error), action="desk_database")
        remedy = "It is started again by ./needle up; wait a moment"
        yield _fault("DatabaseAwayError", "the database does not answer", "desk", remedy)
    except Exception as error:  # the edge of the process: whatever it was is answered, and told in the log
        log.exception("a request failed", action="desk_failed", do=body.get("do"))
        what = f"the desk could not do this ({type(error).__name__}: {error})"[:300]
        remedy = "The desk's log says more; the shot is unchanged"
        yield _fault("DeskFaultError", what, str(body.get("do", "")), remedy)


def _fault(kind: str, what: str, where: str, remedy: str) -> wire.Message:
    return wire.Message({"fault": {"kind": kind, "what": what, "where": where, "remedy": remedy}})
