"""Locks by what is locked, so that nobody waits for another's work."""

from __future__ import annotations

import threading
from collections.abc import Hashable, Iterator
from contextlib import contextmanager


class KeyedLocks:
    """A lock for each key, there for as long as somebody holds it or waits for it."""

    def __init__(self) -> None:
        self._guard = threading.Lock()
        self._locks: dict[Hashable, tuple[threading.Lock, int]] = {}

    @contextmanager
    def __call__(self, key: Hashable) -> Iterator[None]:
        """Alone with `key`; other keys go on meanwhile."""
        with self._guard:
            lock, users = self._locks.get(key, (threading.Lock(), 0))
            self._locks[key] = (lock, users + 1)
        try:
            with lock:
                yield
        finally:
            with self._guard:
                lock, users = self._locks.pop(key)
                if users > 1:
                    self._locks[key] = (lock, users - 1)
