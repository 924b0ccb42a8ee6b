"""The web process: an event loop before a few threads, all in one process."""

from __future__ import annotations

import resource
import shutil
from importlib import metadata

import uvicorn

from ..desk.client import DeskClient
from ..session.client import FittingClient
from ..session.commands import LONGEST
from ..store.session import Store
from ..web.app import create_app
from ..web.events import EventHub
from ..web.gate import MOST_CONNECTIONS, Gate, TimedProtocol
from ..web.services import Services
from . import logs
from .settings import Settings, settings

FILES = 2 * MOST_CONNECTIONS + 1000  # open at once: connections, and passing files of those at work


def house(chosen: Settings) -> Services:
    """The services of this machine."""
    store = Store(chosen.database, pool_size=12)
    return Services(
        store=store,
        desk=DeskClient(chosen.desk_socket, chosen.desk_key()),
        events=EventHub(store),
        fitting=FittingClient(chosen.fitting_socket),
        static=chosen.static,
        version=metadata.version("patient-needle"),
        free_space=lambda: shutil.disk_usage(chosen.data).free,
    )


def server(services: Services, port: int) -> uvicorn.Server:
    """The application behind its gate, on a port of this machine."""
    config = uvicorn.Config(
        Gate(create_app(services), services.events, services.fitting.address), host="127.0.0.1", port=port,
        http=TimedProtocol, ws="wsproto", ws_max_size=LONGEST,
        lifespan="off", log_config=None, access_log=False, server_header=False, backlog=1024,
        limit_concurrency=MOST_CONNECTIONS, timeout_keep_alive=15, timeout_graceful_shutdown=3,
    )  # fmt: skip
    return uvicorn.Server(config)


def main() -> None:
    """Serve until stopped."""
    logs.begin("web")
    _, most = resource.getrlimit(resource.RLIMIT_NOFILE)
    wanted = FILES if most == resource.RLIM_INFINITY else min(FILES, most)
    resource.setrlimit(resource.RLIMIT_NOFILE, (wanted, most))
    chosen = settings()
    services = house(chosen)
    try:
        server(services, chosen.port).run()
    finally:
        services.events.close()


if __name__ == "__main__":
    main()
