"""One stream of events for each open page, fed by one listening thread that holds no session."""

from __future__ import annotations

import json
import queue
import threading
from collections.abc import Iterator
from typing import Any

import psycopg
import structlog

from ..store import events
from ..store.session import Store

log = structlog.get_logger()
HEARTBEAT = 10.0  # s between comments that keep the connection alive
LOOK_UP = 1.0  # s after which the listening thread sees that it shall close
OVERLAP = 64  # events replayed again on reconnection: numbers are given before they are committed
WAITING = 1000  # events a page may be behind before it is told to fetch everything anew


class EventHub:
    """Hands every notification of the database to every page that listens."""

    def __init__(self, store: Store) -> None:
        self._store = store
        self._lock = threading.Lock()
        self._pages: set[queue.Queue[dict[str, Any]]] = set()
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
                try:
                    page.put_nowait(event)
                except queue.Full:
                    # A page that does not read: forget its backlog and tell it to fetch everything.
                    with page.mutex:
                        page.queue.clear()
                    page.put_nowait({"kind": "behind"})

    def stream(self, last: int | None) -> Iterator[str]:
        """Lines of a server-sent event stream: what was missed after `last`, then what comes."""
        page: queue.Queue[dict[str, Any]] = queue.Queue(WAITING)
        with self._lock:
            self._pages.add(page)
        try:
            yield "retry: 1000\n\n"
            if last is not None:
                with self._store.begin() as session:
                    missed = [{"id": e.id, **e.body} for e in events.since(session, last - OVERLAP)]
                yield from map(_line, missed)
            while True:
                try:
                    yield _line(page.get(timeout=HEARTBEAT))
                except queue.Empty:
                    yield ": still here\n\n"
        finally:
            with self._lock:
                self._pages.discard(page)


def _line(event: dict[str, Any]) -> str:
    head = f"id: {event['id']}\n" if "id" in event else ""
    return f"{head}data: {json.dumps(event)}\n\n"
