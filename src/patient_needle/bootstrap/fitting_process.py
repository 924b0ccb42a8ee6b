"""The process of live fittings."""

from __future__ import annotations

import signal
import threading

from . import environment

environment.prepare()

from ..session.serving import Serving  # noqa: E402
from ..store.session import Store  # noqa: E402
from . import logs  # noqa: E402
from .settings import settings  # noqa: E402


def main() -> None:
    """Serve until stopped; what is open is written down then."""
    logs.begin("fitting")
    chosen = settings()
    environment.use_threads(None)
    leaving = threading.Event()
    for number in (signal.SIGTERM, signal.SIGINT):
        signal.signal(number, lambda *_: leaving.set())
    serving = Serving(Store(chosen.database), chosen.fitting_socket, chosen.fittings)
    serving.listen()
    serving.run(leaving.is_set)


if __name__ == "__main__":
    main()
