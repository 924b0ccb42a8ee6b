"""The process in which files are read for another: requests come in pickled, answers go into files.

    python -m patient_needle.formats.isolated_process MODULE

See `isolated`. Says "ok" for each request whose answer is written, or how the reading child ended.
"""

from __future__ import annotations

import os
import pickle
import resource
import signal
import sys
from importlib import import_module
from pathlib import Path
from types import ModuleType

from ..core.model.errors import NeedleError
from .frames import Spill

WORK = 10  # s of the processor that a reading may take, and
WAIT = 60  # s by the clock, however busy the machine is;
BYTES_A_SECOND = 2_000_000  # for each of which in the file, or the folder, it has a second more
MEMORY = 1 << 30  # bytes of address space that a reading may take: threads reserve more than they use, and
TIMES_THE_FILE = 4  # as much more: a damaged file can ask for any number
NO_ROOM = 3  # how a child ends that cannot write its answer


def serve(name: str) -> None:
    """One child for each request, until the asking process closes the pipe."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # it ends with whoever asks
    module = import_module(name)
    while True:
        try:
            request = pickle.load(sys.stdin.buffer)
        except EOFError:
            return
        child = os.fork()
        if child == 0:
            _answer(module, *request)
        _, status = os.waitpid(child, 0)
        code = os.waitstatus_to_exitcode(status)
        said = {0: "ok", NO_ROOM: "no room"}.get(code, f"signal {-code}")
        sys.stdout.write(said + "\n")
        sys.stdout.flush()


def _answer(module: ModuleType, function: str, path: Path, more: tuple[object, ...], passing: str) -> None:
    """Run in the child, which does not come back."""
    os.dup2(2, 1)  # what a library prints must not be taken for an answer
    files = path.iterdir() if path.is_dir() else [path]
    size = sum(file.stat().st_size for file in files if file.is_file())
    more_seconds = size // BYTES_A_SECOND
    signal.alarm(WAIT + more_seconds)
    resource.setrlimit(resource.RLIMIT_CPU, (WORK + more_seconds, WORK + more_seconds + 5))
    most = _address_space() + MEMORY + TIMES_THE_FILE * size
    resource.setrlimit(resource.RLIMIT_AS, (most, most))
    answer: tuple[str, object]
    try:
        answer = "read", getattr(module, function)(path, *more)
    except NeedleError as error:
        answer = "refused", (type(error), error.what, error.where, error.remedy)
    except Exception as error:  # of a library's own kind, which need not be one that can be sent
        answer = "failed", f"{type(error).__name__}: {error}"
    Spill.beside = Path(passing)
    try:
        with open(passing, "wb") as file:
            pickle.dump(answer, file, protocol=5)
    except BaseException:
        os._exit(NO_ROOM)
    os._exit(0)


def _address_space() -> int:
    pages = int(Path("/proc/self/statm").read_text().split()[0])
    return pages * resource.getpagesize()


if __name__ == "__main__":
    serve(sys.argv[1])
