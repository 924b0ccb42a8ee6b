"""Calling the desk from another process: a few connections, kept and used in turn."""

from __future__ import annotations

import queue
from multiprocessing.connection import Client, Connection
from pathlib import Path
from typing import Any

from ..core.model.errors import NeedleError
from ..store import errors as _store_errors  # noqa: F401  (so that its errors are known by name)
from . import wire

PATIENCE = 30.0  # s that a caller waits for its turn
LONGEST = 240.0  # s that one answer may take
HELLO = 10.0  # s that it may take to say hello
MOST = 24  # connections at once; further callers wait for one


class DeskAwayError(NeedleError):
    """The desk process does not answer."""


class DeskFaultError(NeedleError):
    """The desk met something that nobody had thought of."""


def _kinds(root: type[NeedleError]) -> dict[str, type[NeedleError]]:
    found = {root.__name__: root}
    for kind in root.__subclasses__():
        found |= _kinds(kind)
    return found


class Desk:
    """The desk behind a socket; safe to call from several threads."""

    def __init__(self, socket: Path, key: bytes) -> None:
        self._socket = socket
        self._key = key
        self._idle: queue.LifoQueue[Connection | None] = queue.LifoQueue()
        for _ in range(MOST):
            self._idle.put(None)

    def call(self, do: str, **arguments: Any) -> wire.Message:
        """Ask for one thing; the desk's own errors are raised here as they were there.

        What was once sent is not sent again: it may be the very thing that the desk died of.
        """
        return _checked(self._ask(wire.Message({"do": do, **arguments}), LONGEST))

    def _ask(self, message: wire.Message, longest: float) -> wire.Message:
        try:
            connection = self._idle.get(timeout=PATIENCE)
        except queue.Empty:
            raise DeskAwayError("the desk is busy", remedy="Wait a moment and try again") from None
        try:
            if connection is not None and connection.poll():
                connection.close()  # it belongs to a desk that has ended since
                connection = None
            connection = connection or self._connect()
            wire.send(connection, message)
            if not connection.poll(longest):
                raise TimeoutError(f"no answer within {longest:g} s")
            return wire.receive(connection)
        except (OSError, EOFError) as error:
            if connection is not None:
                connection.close()
            connection = None
            raise DeskAwayError(
                "the desk process does not answer", remedy="It is started again by ./needle up; wait a moment"
            ) from error
        finally:
            self._idle.put(connection)

    def _connect(self) -> Connection:
        return Client(str(self._socket), family="AF_UNIX", authkey=self._key)

    def answers(self) -> bool:
        """Whether the desk is there."""
        try:
            self._ask(wire.Message({"do": "hello"}), HELLO)
        except NeedleError:
            return False
        return True


def _checked(answer: wire.Message) -> wire.Message:
    fault = answer.body.get("fault")
    if fault is None:
        return answer
    kind = _kinds(NeedleError).get(fault["kind"], NeedleError)
    raise kind(fault["what"], where=fault["where"], remedy=fault["remedy"])
