"""Reading in a process of its own: some libraries crash on damaged files and take their process with them.

Each reading is forked from a small process that has loaded the reader's module and no engine, so that it costs
milliseconds more than its own work. What was read comes back through a file of passing use, so that neither
process holds it twice. The other end is `isolated_process`.
"""

from __future__ import annotations

import atexit
import pickle
import queue
import signal
import subprocess
import sys
import tempfile
import threading
from collections.abc import Callable
from functools import wraps
from pathlib import Path
from typing import Concatenate, ParamSpec, TypeVar, cast

from ..core.model.errors import FileError, NeedleError

P = ParamSpec("P")
T = TypeVar("T")
MOST = 4  # readings of one module at once; further ones wait


class _Reader:
    """The small processes that know one module, started when they are first needed."""

    def __init__(self, module: str) -> None:
        self._command = [sys.executable, "-m", f"{__package__}.isolated_process", module]
        self._turns = threading.BoundedSemaphore(MOST)
        self._idle: queue.LifoQueue[subprocess.Popen[bytes]] = queue.LifoQueue()

    def ask(self, name: str, path: Path, *more: object) -> tuple[str, object]:
        """How the module's function `name` ended on `path`, and what it gave.

        ("read", result), ("refused", kind and words of a `NeedleError`), ("failed", another error) or
        ("died", how).
        """
        with tempfile.TemporaryDirectory(prefix="needle-reading-") as folder:
            passing = Path(folder) / "answer"  # frames go beside it; whoever has opened them keeps them
            with self._turns:
                ended = self._send((name, path.absolute(), more, str(passing)))
            if ended == "ok":
                with passing.open("rb") as file:
                    answer: tuple[str, object] = pickle.load(file)
                return answer
        return "died", ended or "it ended without a word"

    def _send(self, request: tuple[object, ...]) -> str:
        process = self._process()
        assert process.stdin is not None
        assert process.stdout is not None
        try:
            pickle.dump(request, process.stdin)
            process.stdin.flush()
            said = process.stdout.readline().decode().strip()
        except BaseException:
            _end(process)  # whoever did not wait for an answer must not leave it to the next who asks
            raise
        self._idle.put(process)
        return said

    def _process(self) -> subprocess.Popen[bytes]:
        """One that is idle and alive, or a new one."""
        while True:
            try:
                found = self._idle.get_nowait()
            except queue.Empty:
                return subprocess.Popen(self._command, stdin=subprocess.PIPE, stdout=subprocess.PIPE)
            if found.poll() is None:
                return found
            _end(found)

    def close(self) -> None:
        """End the processes that are idle."""
        while not self._idle.empty():
            _end(self._idle.get_nowait())


def _end(process: subprocess.Popen[bytes]) -> None:
    process.kill()
    process.communicate()


def isolated(read: Callable[Concatenate[Path, P], T]) -> Callable[Concatenate[Path, P], T]:
    """The module's function `read`, run in a process of its own.

    The answers are the same, and so are the errors. A crash is a `FileError`; so is a reading that takes more
    time or memory than a file of its size can need (`isolated_process` says how much). Arguments are given by
    place, and can be pickled.
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
        if answer == f"signal {int(signal.SIGXCPU)}":
            raise FileError(
                "reading it takes longer than a file of its size should", where=str(path),
                remedy="It may be made to take long, or hold very many small parts: export it in pieces",
            )  # fmt: skip
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


def close_all() -> None:
    """End all idle readers; the next reading starts one again."""
    for reader in _readers.values():
        reader.close()


atexit.register(close_all)


_readers: dict[str, _Reader] = {}


def _reader_of(module: str) -> _Reader:
    return _readers.setdefault(module, _Reader(module))
