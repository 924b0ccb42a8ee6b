"""Calling the desk from another process: a few connections, kept and used in turn."""

from __future__ import annotations

import queue
from collections.abc import Iterator
from multiprocessing.connection import Client, Connection
from pathlib import Path

from ..core.model.errors import NeedleError
from ..desk import wire
from .asked import Hello, Request

TIMEOUT = 30.0  # s that a caller waits for its turn
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


class DeskClient:
    """The desk behind a socket; safe to call from several threads."""

    def __init__(self, socket: Path, key: bytes) -> None:
        self._socket = socket
        self._key = key
        self._idle: queue.LifoQueue[Connection | None] = queue.LifoQueue()
        for _ in range(MOST):
            self._idle.put(None)

    def ask(self, request: Request) -> wire.Message:
        """Ask for one thing; the desk's own errors are raised here as they were there.

        What was once sent is not sent again unless the request is safe: it may be the very thing that the desk
        died of.
        """
        try:
            return next(self._talk(request, LONGEST))
        except DeskAwayError:
            if not request.safe:
                raise
            return next(self._talk(request, LONGEST))

    def stream(self, request: Request) -> Iterator[wire.Message]:
        """Ask for what comes in several messages, each within LONGEST; a desk that dies raises in between."""
        return self._talk(request, LONGEST)

    def _talk(self, request: Request, longest: float) -> Iterator[wire.Message]:
        try:
            connection = self._idle.get(timeout=TIMEOUT)
        except queue.Empty:
            raise DeskAwayError("the desk is busy", remedy="Wait a moment and try again") from None
        whole = False
        try:
            if connection is not None and connection.poll():
                connection.close()  # it belongs to a desk that has ended since
                connection = None
            connection = connection or self._connect()
            wire.send(connection, wire.Message(request.body()))
            while not whole:
                if not connection.poll(longest):
                    raise TimeoutError(f"no answer within {longest:g} s")
                answer = wire.receive(connection)
                whole = not request.streams or "end" in answer.body or "fault" in answer.body
                if "end" not in answer.body:
                    yield _checked(answer)
        except (OSError, EOFError) as error:
            raise DeskAwayError(
                "the desk process does not answer", remedy="It is started again by ./needle up; wait a moment"
            ) from error
        finally:
            if connection is not None and not whole:
                connection.close()  # somebody stopped listening, or the desk has gone
                connection = None
            self._idle.put(connection)

    def _connect(self) -> Connection:
        return Client(str(self._socket), family="AF_UNIX", authkey=self._key)

    def answers(self) -> bool:
        """Whether the desk is there."""
        try:
            next(self._talk(Hello(), HELLO))
        except NeedleError:
            return False
        return True


def _checked(answer: wire.Message) -> wire.Message:
    fault = answer.body.get("fault")
    if fault is None:
        return answer
    kind = _kinds(NeedleError).get(fault["kind"], NeedleError)
    raise kind(fault["what"], where=fault["where"], remedy=fault["remedy"])
