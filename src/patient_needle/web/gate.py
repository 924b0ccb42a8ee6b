"""The gate before the application: it holds what is slow, so that no thread of the application waits for it.

A request comes in whole, and an answer goes out whole, through a file of passing use; only between the two is a
thread at work. Event streams are held by the gate alone. Limits are by state and in total, not by address: all
artists of a house may sit behind one.
"""

from __future__ import annotations

import asyncio
import io
from collections.abc import AsyncIterator, Awaitable, Callable
from contextlib import aclosing, asynccontextmanager
from dataclasses import dataclass
from pathlib import Path
from tempfile import SpooledTemporaryFile
from typing import Any

from a2wsgi import WSGIMiddleware
from a2wsgi.wsgi import build_environ
from flask import Flask, Response
from uvicorn.protocols.http.h11_impl import H11Protocol

from . import guards
from .events import LAST, STREAM, EventHub, is_stream, last_of
from .fitting_socket import FittingSockets
from .problems import problem

HEAD = 5.0  # s in which a request's head is there, on a new connection or one that was kept
SPAN, LEAST = 10.0, 10_000  # bytes that a body, or an answer, gets on by in so many seconds: 1 kB/s
THREADS = 32  # requests at work at once; further ones wait
MOST_CONNECTIONS = 4000
MOST_STREAMS = 2000
MOST_BODIES = 4 << 30  # bytes of all bodies that are on their way
IN_MEMORY = 1 << 20  # bytes of a body or an answer, beyond which it is in a file
PIECE = 1 << 16
NOT_OF_A_STREAM = {b"content-length", STREAM.lower().encode(), LAST.lower().encode()}

Receive = Callable[[], Awaitable[dict[str, Any]]]
Send = Callable[[dict[str, Any]], Awaitable[None]]


class TimedProtocol(H11Protocol):
    """HTTP/1.1 as the server has it, on which a request's head must be there in time."""

    _late: asyncio.TimerHandle | None = None
    _carried = False

    def connection_made(self, transport: Any) -> None:
        """A connection begins to wait for its first request."""
        super().connection_made(transport)
        self._watch()

    def data_received(self, data: bytes) -> None:
        """Once a head is whole its request runs; the time of the next begins with its first byte."""
        super().data_received(data)
        self._watch()

    def connection_lost(self, exc: Exception | None) -> None:
        """See `H11Protocol`."""
        super().connection_lost(exc)
        self._forget()

    def handle_websocket_upgrade(self, event: Any) -> None:
        """From here on the connection is a socket, on which nobody has to speak."""
        self._carried = True
        super().handle_websocket_upgrade(event)

    def _watch(self) -> None:
        if self._carried or (self.cycle is not None and not self.cycle.response_complete):
            self._forget()
        elif self._late is None and not self.transport.is_closing():
            self._late = self.loop.call_later(HEAD, self._close)

    def _forget(self) -> None:
        if self._late is not None:
            self._late.cancel()
            self._late = None

    def _close(self) -> None:
        self._late = None
        if self.cycle is None or self.cycle.response_complete:
            self.transport.close()


class TooSlowError(Exception):
    """A body that does not get on."""


class GoneError(Exception):
    """Whoever called is not there any more."""


@dataclass
class _Answer:
    """An answer of the application, whole."""

    start: dict[str, Any]
    body: Any

    @property
    def headers(self) -> dict[bytes, bytes]:
        return {name.lower(): value for name, value in self.start["headers"]}


class Gate:
    """The application as ASGI (specification 3.0)."""

    def __init__(self, app: Flask, events: EventHub, fitting: Path) -> None:
        self._app = app
        self._events = events
        self._fittings = FittingSockets(fitting)
        self._application = WSGIMiddleware(app.wsgi_app, THREADS)  # type: ignore[arg-type]
        self._streams = 0
        self._bodies = 0

    async def __call__(self, scope: dict[str, Any], receive: Receive, send: Send) -> None:
        """Answer one request, or carry one socket."""
        if scope["type"] == "websocket":
            head = {**scope, "type": "http", "method": "GET", "scheme": "http"}
            with self._app.request_context(build_environ(head, io.BytesIO())):  # type: ignore[arg-type]
                refused = guards.refused() or guards.foreign_socket()
            await self._fittings.carry(scope["path"], refused, receive, send)
            return
        if scope["type"] != "http":
            return
        refused = self._refused(scope)
        if refused is not None:
            await _send_response(send, refused)
            return
        try:
            async with self._received(receive) as body:
                answer = await self._answered(scope, body)
        except TooSlowError:
            await _send_response(send, problem(408, "what is sent does not arrive", remedy="Send it again"))
            return
        except GoneError:
            return
        with answer.body:
            if is_stream(answer.headers):
                await self._stream(answer, receive, send)
            else:
                await _send_whole(send, answer)

    def _refused(self, scope: dict[str, Any]) -> Response | None:
        """What the head alone refuses, before anything of the body is taken."""
        if self._bodies > MOST_BODIES:
            return problem(503, "too much is being brought in at once", remedy="Wait a moment and try again")
        with self._app.request_context(build_environ(scope, io.BytesIO())):  # type: ignore[arg-type]
            return guards.refused()

    @asynccontextmanager
    async def _received(self, receive: Receive) -> AsyncIterator[Any]:
        """The whole body as a file; it gets on, or it is given up."""
        size = 0
        try:
            with SpooledTemporaryFile(IN_MEMORY) as kept:
                async for piece in _pieces(receive):
                    kept.write(piece)
                    size += len(piece)
                    self._bodies += len(piece)
                kept.seek(0)
                yield kept
        finally:
            self._bodies -= size

    async def _answered(self, scope: dict[str, Any], body: Any) -> _Answer:
        """What the application answers, whole, so that its thread does not wait for who reads it."""
        start: dict[str, Any] = {}
        kept = SpooledTemporaryFile(IN_MEMORY)  # noqa: SIM115 - it closes when it was sent

        async def receive() -> dict[str, Any]:
            piece = body.read(PIECE)
            return {"type": "http.request", "body": piece, "more_body": len(piece) == PIECE}

        async def send(message: dict[str, Any]) -> None:
            if message["type"] == "http.response.start":
                start.update(message)
            else:
                kept.write(message.get("body", b""))

        await self._application(scope, receive, send)  # type: ignore[arg-type]
        kept.seek(0)
        return _Answer(start, kept)

    async def _stream(self, answer: _Answer, receive: Receive, send: Send) -> None:
        """Events for one browser, until it goes away."""
        if self._streams >= MOST_STREAMS:
            await _send_response(send, problem(503, "too many pages listen", remedy="Close some of them"))
            return
        self._streams += 1
        gone = asyncio.ensure_future(_disconnected(receive))
        try:
            kept = [pair for pair in answer.start["headers"] if pair[0].lower() not in NOT_OF_A_STREAM]
            await send({**answer.start, "headers": kept})
            async with aclosing(self._events.stream(last_of(answer.headers))) as lines:
                while (line := await _unless(gone, anext(lines, None))) is not None:
                    await asyncio.wait_for(send(_piece(line.encode(), more=True)), SPAN)
        except TimeoutError:
            pass  # a page that does not read
        finally:
            gone.cancel()
            self._streams -= 1


async def _unless(gone: asyncio.Future[None], wanted: Awaitable[str | None]) -> str | None:
    """The answer; None when `gone` comes first."""
    waiting = asyncio.ensure_future(wanted)
    either: list[asyncio.Future[Any]] = [waiting, gone]
    await asyncio.wait(either, return_when=asyncio.FIRST_COMPLETED)
    if waiting.done():
        return waiting.result()
    waiting.cancel()
    await asyncio.wait([waiting])
    return None


async def _pieces(receive: Receive) -> AsyncIterator[bytes]:
    """A body as it comes; `TooSlowError` when it gets on by less than LEAST bytes in SPAN s."""
    clock = asyncio.get_running_loop().time
    until, got = clock() + SPAN, 0
    more = True
    while more:
        try:
            message = await asyncio.wait_for(receive(), max(0.0, until - clock()))
        except TimeoutError:
            message = {}
        if message.get("type") == "http.disconnect":
            raise GoneError
        piece = message.get("body", b"")
        more = message.get("more_body", message == {})
        got += len(piece)
        yield piece
        if more and clock() >= until:
            if got < LEAST:
                raise TooSlowError
            until, got = clock() + SPAN, 0


async def _send_whole(send: Send, answer: _Answer) -> None:
    """Send an answer piece by piece; whoever reads less than a piece in its time is let go."""
    await send(answer.start)
    try:
        while piece := answer.body.read(PIECE):
            await asyncio.wait_for(send(_piece(piece, more=True)), SPAN * PIECE / LEAST)
        await send(_piece(b"", more=False))
    except TimeoutError:
        raise ConnectionAbortedError("an answer was not read") from None


async def _send_response(send: Send, response: Response) -> None:
    headers = [(name.lower().encode("latin-1"), value.encode("latin-1")) for name, value in response.headers]
    headers.append((b"connection", b"close"))  # its body is not read
    await send({"type": "http.response.start", "status": response.status_code, "headers": headers})
    await send(_piece(response.get_data(), more=False))


async def _disconnected(receive: Receive) -> None:
    while (await receive())["type"] != "http.disconnect":
        pass


def _piece(data: bytes, *, more: bool) -> dict[str, Any]:
    return {"type": "http.response.body", "body": data, "more_body": more}
