"""The desk process."""

from __future__ import annotations

from . import environment

environment.prepare()

from ..desk.process import serve  # noqa: E402
from ..store.session import Store  # noqa: E402
from . import logs  # noqa: E402
from .settings import settings  # noqa: E402


def main() -> None:
    """Serve until stopped."""
    logs.begin("desk")
    chosen = settings()
    environment.use_threads(None)
    serve(Store(chosen.database), chosen.desk_socket, chosen.desk_key())


if __name__ == "__main__":
    main()
