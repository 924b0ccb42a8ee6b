"""A worker process; its arguments are the queues it serves, all of them without any."""

from __future__ import annotations

from . import environment

environment.prepare()

import os  # noqa: E402
import socket  # noqa: E402
import sys  # noqa: E402

from ..jobs.queue import RUNS, SHORT  # noqa: E402
from ..jobs.worker import WorkerSettings, serve  # noqa: E402
from ..store.session import Store  # noqa: E402
from . import logs  # noqa: E402
from .engine_source import engine_hash  # noqa: E402
from .settings import settings  # noqa: E402

VERIFY = (sys.executable, "-m", "patient_needle.bootstrap.verify_process")


def made_with() -> dict[str, object]:
    """What a result depends on besides its inputs."""
    return {
        "versions": environment.versions(),
        "processor": environment.processor(),
        "engine": engine_hash(),
    }


def main(queues: list[str]) -> None:
    """Work until stopped."""
    logs.begin("worker")
    environment.use_threads(None)
    name = f"{socket.gethostname()}-{os.getpid()}"
    chosen = settings()
    wanted = WorkerSettings(tuple(queues) or (RUNS, SHORT), made_with(), VERIFY, name, chosen.sockets)
    serve(Store(chosen.database), wanted)


if __name__ == "__main__":
    main(sys.argv[1:])
