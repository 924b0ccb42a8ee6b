"""Reading in a process of its own: some libraries crash on damaged files and take their process with them.

Each reading is forked from a small process that has loaded the reader's module and no engine, so that it costs
milliseconds more than its own work. What was read comes back through a file of passing use, so that neither
process holds it twice. The other end is `elsewhere_process`.
"""

from __future__ import annotations

import atexit
import pickle
import subprocess
import sys
import tempfile
import threading
from collections.abc import Callable
from functools import lru_cache, wraps
from pathlib import Path
from typing import Concatenate, ParamSpec, TypeVar, cast

from ..core.model.errors import FileError, NeedleError

P = ParamSpec("P")
T = TypeVar("T")


class _Reader:
    """The small process that knows one module, started when it is first asked."""

    def __init__(self, module: str) -> None:
        self._lock = threading.Lock()
        self._command = [sys.executable, "-m", f"{__package__}.elsewhere_process", module]
        self._process: subprocess.Popen[bytes] | None = None
        atexit.register(self.close)

    def ask(self, name: str, path: Path, *more: object) -> tuple[str, object]:
        """How the module's function `name` ended on `path`, and what it gave.

        ("read", result), ("refused", kind and words of a `NeedleError`), ("failed", another error) or
        ("died", how).
        """
        with tempfile.NamedTemporaryFile(prefix="needle-reading-") as passing:
            ended = self._send((name, path.absolute(), more, passing.name))
            if ended == "ok":
                with open(passing.name, "rb") as file:
                    answer: tuple[str, object] = pickle.load(file)
                return answer
        return "died", ended or "it ended without a word"

    def _send(self, request: tuple[object, ...]) -> str:
        with self._lock:
            if self._process is None or self._process.poll() is not None:
                self._process = subprocess.Popen(self._command, stdin=subprocess.PIPE, stdout=subprocess.PIPE)
            assert self._process.stdin is not None
            assert self._process.stdout is not None
            try:
                pickle.dump(request, self._process.stdin)
                self._process.stdin.flush()
                return self._process.stdout.readline().decode().strip()
            except BaseException:
                self._end()  # whoever did not wait for an answer must not leave it to the next who asks
                raise

    def close(self) -> None:
        """End the process."""
        with self._lock:
            self._end()

    def _end(self) -> None:
        if self._process is not None:
            self._process.kill()
            self._process.communicate()
            self._process = None


def elsewhere(read: Callable[Concatenate[Path, P], T]) -> Callable[Concatenate[Path, P], T]:
    """The module's function `read`, run in a process of its own.

    The answers are the same, and so are the errors. A crash, no answer for a minute and a second more for every
    10 MB of the file, or a wish for more memory than 2 GB and 16 times the file is a `FileError`, or what the
    library says of it. Arguments are given by place, and can be pickled.
    """

    @wraps(read)
    def asked(path: Path, /, *args: P.args, **kwargs: P.kwargs) -> T:
        assert not kwargs, "arguments are given by place"
        ended, answer = _reader_of(read.__module__).ask(read.__name__, path, *args)
        if ended == "read":
            return cast(T, answer)
        if ended == "refused":
            kind, what, where, remedy = cast(tuple[type[NeedleError], str, str, str], answer)
            raise kind(what, where=where, remedy=remedy)
        if ended == "failed":
            raise RuntimeError(answer)
        if answer == "no room":
            raise FileError(
                "there was no room to hand over what was read from it", where=str(path),
                remedy="Free some of the disk and the memory, and read it again",
            )  # fmt: skip
        raise FileError(
            f"the file is damaged so that it cannot be read ({answer})",
            where=str(path),
            remedy="Copy or write it again",
        )

    return asked


@lru_cache
def _reader_of(module: str) -> _Reader:
    return _Reader(module)
