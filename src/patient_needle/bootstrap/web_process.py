"""The web process: gunicorn with threads, one process, so that one thread listens for events."""

from __future__ import annotations

import shutil
from importlib import metadata
from typing import Any

from gunicorn.app.base import BaseApplication

from ..desk.client import Desk
from ..store.session import Store
from ..web.app import create_app
from ..web.events import EventHub
from ..web.services import Services
from . import logs
from .settings import Settings, settings

THREADS = 96  # each open page's event stream holds one


def house(chosen: Settings) -> Services:
    """The services of this machine."""
    store = Store(chosen.database, pool_size=12)
    return Services(
        store=store,
        desk=Desk(chosen.desk_socket, chosen.desk_key()),
        events=EventHub(store),
        static=chosen.static,
        version=metadata.version("patient-needle"),
        free_space=lambda: shutil.disk_usage(chosen.data).free,
    )


class _Server(BaseApplication):  # type: ignore[misc]  # it has no types
    def __init__(self, chosen: Settings) -> None:
        self._chosen = chosen
        super().__init__()

    def load_config(self) -> None:
        options: dict[str, Any] = {
            "bind": f"127.0.0.1:{self._chosen.port}", "worker_class": "gthread", "workers": 1,
            "threads": THREADS, "timeout": 120, "graceful_timeout": 3, "keepalive": 15, "accesslog": None,
            "loglevel": "warning", "control_socket_disable": True, "worker_tmp_dir": "/dev/shm",
        }  # fmt: skip
        for name, value in options.items():
            if name in self.cfg.settings:
                self.cfg.set(name, value)

    def load(self) -> Any:
        logs.begin("web")
        return create_app(house(self._chosen))


def main() -> None:
    """Serve until stopped."""
    _Server(settings()).run()


if __name__ == "__main__":
    main()
