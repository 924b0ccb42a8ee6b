"""Live fittings written down beside their work: the newest state, and every line of the log once."""

from __future__ import annotations

import threading
from dataclasses import dataclass
from pathlib import Path

import structlog

from ..core.model.errors import NeedleError
from ..formats.files import replacing
from ..formats.fitting.written import WrittenFitting, write_fitting

log = structlog.get_logger()


@dataclass(frozen=True, eq=False)
class Entry:
    """What is to be written: the fitting, new lines of its log, and how many stand in the file already."""

    path: Path
    fitting: WrittenFitting
    lines: tuple[str, ...]
    known: int


class Notebook:
    """A thread that writes. Of states that come faster than the disk takes them, only the newest is written."""

    def __init__(self) -> None:
        self._waiting: Entry | None = None
        self._at_work = False
        self._changed = threading.Condition()
        threading.Thread(target=self._write_on, daemon=True).start()

    def put(self, entry: Entry) -> None:
        """Write this when there is time."""
        with self._changed:
            waiting = self._waiting
            if waiting is not None and waiting.path == entry.path:
                lines = (*waiting.lines, *entry.lines)
                entry = Entry(entry.path, entry.fitting, lines, waiting.known)
            self._waiting = entry
            self._changed.notify_all()

    def flush(self, seconds: float = 20.0) -> None:
        """Wait until all is written."""
        with self._changed:
            self._changed.wait_for(lambda: self._waiting is None and not self._at_work, seconds)

    def _write_on(self) -> None:
        while True:
            with self._changed:
                self._at_work = False
                self._changed.notify_all()
                self._changed.wait_for(lambda: self._waiting is not None)
                entry, self._waiting, self._at_work = self._waiting, None, True
            assert entry is not None
            try:
                _write(entry)
            except (OSError, NeedleError) as error:
                log.warning(str(error), action="fitting_not_written")


def _write(entry: Entry) -> None:
    """The state whole or not at all, the log line by line; files of the shot's earlier states go."""
    path = entry.path
    with replacing(path) as part, part.open("wb") as stream:
        write_fitting(stream, entry.fitting)
    with path.with_suffix(".log").open("a" if entry.known else "w", encoding="utf-8") as stream:
        stream.writelines(f"{line}\n" for line in entry.lines)
    shot = path.stem.rsplit("_", 1)[0]
    for other in path.parent.glob(f"{shot}_*"):
        if other.stem != path.stem:
            other.unlink(missing_ok=True)
