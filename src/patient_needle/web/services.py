"""What the web process works with, made once by the composition root."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from flask import current_app

from ..desk.client import DeskClient
from ..session.client import FittingClient
from ..store.session import Store
from .events import EventHub


@dataclass(frozen=True)
class Services:
    """store, desk, events and the live fitting; static: folder of the built front end; free_space: bytes left
    for the database; hosts: names under which we may be called, without port.
    """

    store: Store
    desk: DeskClient
    events: EventHub
    fitting: FittingClient
    static: Path
    version: str
    free_space: Callable[[], int]
    hosts: tuple[str, ...] = ("127.0.0.1", "localhost", "[::1]")


def services() -> Services:
    """The running application's services."""
    found: Services = current_app.extensions["needle"]
    return found
