"""The process that looks into files first: reads paths, a line of JSON each, answers "ok" or how it ended."""

from __future__ import annotations

import contextlib
import json
import os
import signal
import sys
from pathlib import Path

from .reader import touch

SECONDS = 60


def serve() -> None:
    """One child for each path, until the asking process closes the pipe."""
    for line in sys.stdin:
        child = os.fork()
        if child == 0:
            signal.alarm(SECONDS)
            # Errors of the ordinary kind are found again, and told, by the process that asked.
            with contextlib.suppress(Exception):
                touch(Path(json.loads(line)))
            os._exit(0)
        _, status = os.waitpid(child, 0)
        said = "ok" if status == 0 else f"signal {-os.waitstatus_to_exitcode(status)}"
        sys.stdout.write(said + "\n")
        sys.stdout.flush()


if __name__ == "__main__":
    serve()
