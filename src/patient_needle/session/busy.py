"""Whether a fitting moves on this machine: takes wait meanwhile, so that hands do not."""

from __future__ import annotations

import fcntl
import os
from contextlib import suppress
from pathlib import Path

NAME = "fitting-moves"


class Busy:
    """A lock on a file among the local sockets, held while a fitting moves; it goes with its process."""

    def __init__(self, sockets: Path) -> None:
        self._path = sockets / NAME
        self._file: int | None = None

    def take(self) -> None:
        """A fitting moves."""
        if self._file is None:
            self._file = os.open(self._path, os.O_WRONLY | os.O_CREAT, 0o600)
            with suppress(OSError):
                fcntl.flock(self._file, fcntl.LOCK_EX | fcntl.LOCK_NB)

    def give(self) -> None:
        """It stands still."""
        if self._file is not None:
            os.close(self._file)
            self._file = None


def fitting_moves(sockets: Path) -> bool:
    """Whether a fitting moves on this machine, whose local sockets are in a folder."""
    try:
        file = os.open(sockets / NAME, os.O_WRONLY)
    except OSError:
        return False
    try:
        fcntl.flock(file, fcntl.LOCK_SH | fcntl.LOCK_NB)
    except OSError:
        return True
    finally:
        os.close(file)
    return False
