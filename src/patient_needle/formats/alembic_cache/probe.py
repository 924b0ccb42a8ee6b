"""A look into a file by another process first: the library crashes on some damaged files and takes its process
with it. What survives there is read here.

The looks are forked from one small process that has loaded the reader and no engine, so that each costs
milliseconds (see `probe_process`).
"""

from __future__ import annotations

import atexit
import json
import subprocess
import sys
import threading
from functools import lru_cache
from pathlib import Path

from ...core.model.errors import FileError


class _Prober:
    """The small process, started when it is first asked."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._process: subprocess.Popen[str] | None = None

    def ask(self, path: Path) -> str:
        """What became of a look at `path`."""
        with self._lock:
            if self._process is None or self._process.poll() is not None:
                command = [sys.executable, "-m", f"{__package__}.probe_process"]
                self._process = subprocess.Popen(
                    command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
                )
            assert self._process.stdin is not None
            assert self._process.stdout is not None
            self._process.stdin.write(json.dumps(str(path.absolute())) + "\n")
            self._process.stdin.flush()
            return self._process.stdout.readline().strip()

    def close(self) -> None:
        """End the process."""
        with self._lock:
            if self._process is not None:
                self._process.kill()
                self._process.communicate()
                self._process = None


_prober = _Prober()
atexit.register(_prober.close)


def looked_into(path: Path) -> None:
    """`FileError` when a look at the file kills its process; a file that has not changed is looked at once."""
    state = path.stat()
    answer = _answer(path, state.st_mtime_ns, state.st_size)
    if answer != "ok":
        raise FileError(
            f"the file is damaged so that it cannot be read ({answer or 'no answer'})",
            where=str(path),
            remedy="Copy or write it again",
        )


@lru_cache(maxsize=256)
def _answer(path: Path, _changed: int, _size: int) -> str:
    return _prober.ask(path)
