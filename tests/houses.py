"""A database, a desk and an application for tests: the real ones, small and short-lived."""

from __future__ import annotations

import contextlib
import json
import os
import signal
import subprocess
import tempfile
import threading
import time
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

from apiflask import APIFlask

from patient_needle.bootstrap import cluster
from patient_needle.desk.client import DeskClient
from patient_needle.desk.process import serve
from patient_needle.formats.shot_file.parcel import read_folder
from patient_needle.jobs.queue import prepare_queue
from patient_needle.session.client import FittingClient
from patient_needle.session.serving import Serving
from patient_needle.store import blobs, shots
from patient_needle.store.session import Store
from patient_needle.store.upgrade import upgrade
from patient_needle.web.app import create_app
from patient_needle.web.events import EventHub
from patient_needle.web.services import Services

DEMO = Path(__file__).parents[1] / "demo"
PORTS_APART = 20
MADE_WITH = {"versions": {"test": "1"}, "processor": "test", "engine": "test"}


def own_port(port: int) -> int:
    """A first port like that, for this of the processes that test beside each other."""
    return port + PORTS_APART * int(os.environ.get("PYTEST_XDIST_WORKER", "gw0").removeprefix("gw"))


def let_pass(folder: Path) -> None:
    """Let the database server's own account through a folder and those above it, below the temporary one."""
    for place in (folder, *folder.parents):
        if place in (Path(tempfile.gettempdir()), Path("/")):
            return
        place.chmod(place.stat().st_mode | 0o055)


@contextlib.contextmanager
def running_cluster(folder: Path) -> Iterator[str]:
    """The address of a database server of its own."""
    made = cluster.prepare(folder, own_port(cluster.FIRST_PORT))
    words, options = cluster.command(made)
    with (folder / "log").open("wb") as log:
        server = subprocess.Popen(words, stdout=log, stderr=log, **options)
    try:
        cluster.wait_until_open(made.port)
        cluster.make_database(made)
        yield made.url
    finally:
        server.send_signal(signal.SIGINT)  # without waiting for whoever is still connected
        server.wait(20)


def fresh(url: str) -> Store:
    """A store on an empty, migrated database."""
    store = Store(url)
    with store.engine.begin() as connection:
        connection.exec_driver_sql("drop schema public cascade; create schema public")
    upgrade(store)
    prepare_queue(store)
    return store


def short_flag(store: Store, last: int = 1006) -> int:
    """The flag shot, two frames of run-in, in the store; returns its id."""
    document, files = read_folder(DEMO / "flag" / "shot.json")
    document |= {"frames": [1001, last], "run_in": {"settle": 2, "move": 0}}
    with store.begin() as session:
        return shots.create(session, document, {n: blobs.put(session, d) for n, d in files.items()}).id


def beside(mesh: bytes) -> bytes:
    """An OBJ file's mesh moved by 12 mm."""
    lines = [line.split() for line in mesh.decode().splitlines()]
    moved = [[*line[:3], f"{float(line[3]) + 0.012:.6f}"] if line[:1] == ["v"] else line for line in lines]
    return "\n".join(" ".join(line) for line in moved).encode()


def two_flags(store: Store) -> int:
    """The short flag shot with a second flag beside the first on the same yard; returns its id."""
    document, files = read_folder(DEMO / "flag" / "shot.json")
    document |= {"frames": [1001, 1006], "run_in": {"settle": 2, "move": 0}}
    (first,) = document["garments"]
    document["garments"] = [
        first,
        first | {"name": "second flag", "recipe": first["recipe"] | {"file": "second.obj"}},
    ]
    files["second.obj"] = beside(files[first["recipe"]["file"]])
    with store.begin() as session:
        return shots.create(session, document, {n: blobs.put(session, d) for n, d in files.items()}).id


def flag_folder(folder: Path, last: int = 1006) -> Path:
    """The same shot as files, for a headless run; returns the shot file."""
    document, files = read_folder(DEMO / "flag" / "shot.json")
    document |= {"frames": [1001, last], "run_in": {"settle": 2, "move": 0}}
    folder.mkdir()
    for name, data in files.items():
        (folder / name).write_bytes(data)
    (folder / "shot.json").write_text(json.dumps(document))
    return folder / "shot.json"


@dataclass
class House:
    """An application over a store and a desk that runs in a thread."""

    app: APIFlask
    store: Store
    desk: DeskClient
    fitting: FittingClient
    leaving: threading.Event

    def close(self) -> None:
        """Stop listening for events, and the live fitting."""
        self.leaving.set()
        self.app.extensions["needle"].events.close()


def house(store: Store, folder: Path, free: int = 1 << 40) -> House:
    """Put one together."""
    socket, key = folder / "desk", b"key of a test"
    ready = threading.Event()
    threading.Thread(target=serve, args=(store, socket, key, ready.set), daemon=True).start()
    assert ready.wait(20)
    desk = DeskClient(socket, key)
    leaving = threading.Event()
    fittings = Serving(store, folder / "fitting", folder / "fittings")
    fittings.listen()
    threading.Thread(target=fittings.run, args=(leaving.is_set,), daemon=True).start()
    client = FittingClient(folder / "fitting")
    services = Services(store, desk, EventHub(store), client, folder / "static", "test", lambda: free)
    app = create_app(services)
    app.testing = False
    return House(app, store, desk, client, leaving)


def until(condition, seconds: float = 60.0, every: float = 0.05):
    """Wait until `condition()` gives something true, and return it."""
    deadline = time.monotonic() + seconds
    while time.monotonic() < deadline:
        found = condition()
        if found:
            return found
        time.sleep(every)
    raise AssertionError(f"it did not happen in {seconds:g} s")
