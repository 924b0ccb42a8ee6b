"""One stream of events for each browser, fed by one listening thread that holds no session."""

from __future__ import annotations

import asyncio
import contextlib
import json
import threading
from collections import deque
from collections.abc import AsyncGenerator, Mapping
from typing import Any

import psycopg
import structlog
from flask import Response

from ..store import events
from ..store.session import Store

log = structlog.get_logger()
HEARTBEAT = 10.0  # s between comments that keep the connection alive
LOOK_UP = 1.0  # s after which the listening thread sees that it shall close
OVERLAP = 64  # events replayed again on reconnection: numbers are given before they are committed
WAITING = 1000  # events a page may be behind before it is told to fetch everything anew
STREAM, LAST = "X-Needle-Stream", "X-Needle-Last"


class _Page:
    """What waits for one browser; put from any thread, taken in its event loop."""

    def __init__(self) -> None:
        self._loop = asyncio.get_running_loop()
        self._waiting: deque[dict[str, Any]] = deque()
        self._news = asyncio.Event()

    def put(self, event: dict[str, Any]) -> None:
        with contextlib.suppress(RuntimeError):  # its loop has ended
            self._loop.call_soon_threadsafe(self._keep, event)

    def _keep(self, event: dict[str, Any]) -> None:
        if len(self._waiting) >= WAITING:
            # A page that does not read: forget its backlog and tell it to fetch everything.
            self._waiting.clear()
            event = {"kind": "behind"}
        self._waiting.append(event)
        self._news.set()

    async def get(self) -> dict[str, Any] | None:
        """The next event; None when there is none for a heartbeat."""
        if not self._waiting:
            self._news.clear()
            try:
                await asyncio.wait_for(self._news.wait(), HEARTBEAT)
            except TimeoutError:
                return None
        return self._waiting.popleft()


class EventHub:
    """Hands every notification of the database to every browser that listens."""

    def __init__(self, store: Store) -> None:
        self._store = store
        self._lock = threading.Lock()
        self._pages: set[_Page] = set()
        self._thread: threading.Thread | None = None
        self._closing = threading.Event()

    def start(self) -> None:
        """Begin to listen, once per process."""
        with self._lock:
            if self._thread is None:
                self._thread = threading.Thread(target=self._listen, name="events", daemon=True)
                self._thread.start()

    def close(self) -> None:
        """Stop listening."""
        self._closing.set()
        if self._thread is not None:
            self._thread.join(10)

    def _listen(self) -> None:
        while not self._closing.is_set():
            try:
                with psycopg.connect(self._store.plain_url, autocommit=True, connect_timeout=5) as connection:
                    connection.execute(f"listen {events.CHANNEL}")
                    self._publish({"kind": "database", "here": True})
                    while not self._closing.is_set():
                        for note in connection.notifies(timeout=LOOK_UP):
                            self._publish(json.loads(note.payload))
            except psycopg.Error as error:
                log.warning(str(error).strip(), action="events_lost")
                self._publish({"kind": "database", "here": False})
                self._closing.wait(1.0)

    def _publish(self, event: dict[str, Any]) -> None:
        with self._lock:
            for page in self._pages:
                page.put(event)

    async def stream(self, last: int | None) -> AsyncGenerator[str, None]:
        """Lines of a server-sent event stream: what was missed after `last`, then what comes."""
        page = _Page()
        with self._lock:
            self._pages.add(page)
        try:
            yield "retry: 1000\n\n"
            if last is not None:
                for event in await asyncio.to_thread(self._missed, last):
                    yield _line(event)
            while not self._closing.is_set():
                news = await page.get()
                yield ": still here\n\n" if news is None else _line(news)
        finally:
            with self._lock:
                self._pages.discard(page)

    def _missed(self, last: int) -> list[dict[str, Any]]:
        with self._store.begin() as session:
            return [{"id": e.id, **e.body} for e in events.since(session, last - OVERLAP)]


def stream_response(last: int | None) -> Response:
    """The head of a stream, which the gate goes on with."""
    response = Response(content_type="text/event-stream")
    response.headers["Cache-Control"] = "no-store"
    response.headers["X-Accel-Buffering"] = "no"
    response.headers[STREAM] = "events"
    response.headers.pop("Content-Length", None)
    if last is not None:
        response.headers[LAST] = str(last)
    return response


def is_stream(headers: Mapping[bytes, bytes]) -> bool:
    """Whether an answer's headers, names in small letters, begin a stream."""
    return STREAM.lower().encode() in headers


def last_of(headers: Mapping[bytes, bytes]) -> int | None:
    """The number of the event after which such a stream goes on."""
    found = headers.get(LAST.lower().encode())
    return None if found is None else int(found)


def _line(event: dict[str, Any]) -> str:
    head = f"id: {event['id']}\n" if "id" in event else ""
    return f"{head}data: {json.dumps(event)}\n\n"
