"""The demo's shots, put into a workroom that has none."""

from __future__ import annotations

import argparse
import fcntl
import os
import signal
import sys
import time
import urllib.request
from dataclasses import replace
from pathlib import Path
from typing import IO

from ..bootstrap import cluster, logs
from ..core.model.errors import NeedleError
from ..desk.client import DeskClient
from ..formats.shot_file.parcel import read_folder
from ..jobs.queue import RUNS, SHORT, prepare_queue
from ..store import blobs, shots
from ..store.session import Store
from ..store.upgrade import upgrade
from .children import Child, Keeper
from .settings import Settings, as_environment, settings

SHOTS = (
    "lamplighter/shot.json",
    "flag/shot.json",
    "lamplighter/layers.json",
    "lamplighter/fastened.json",
    "lamplighter/gust.json",
    "lamplighter/smock.json",
    "lamplighter/sewn.json",
)


def load_demo(store: Store, folder: Path) -> list[str]:
    """Bring the demo's shots in when there are no shots at all; returns their names."""
    with store.begin() as session:
        if shots.listed(session):
            return []
    names = []
    for name in SHOTS:
        document, files = read_folder(folder / name)
        with store.begin() as session:
            shots.create(session, document, {n: blobs.put(session, d) for n, d in files.items()})
        names.append(document["name"])
    return names


class UpError(NeedleError):
    """The workroom cannot be started here."""


def say(text: str) -> None:
    """One line for whoever started the workroom."""
    print(f"needle: {text}", flush=True)  # noqa: T201


def up(*, demo: bool = True) -> None:
    """Start everything, keep it running, stop it all on Ctrl-C."""
    logs.begin("up")
    chosen = settings()
    chosen.data.mkdir(parents=True, exist_ok=True)
    lock = _only_one(chosen)
    keeper = Keeper(say)
    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, lambda *_: setattr(keeper, "leaving", True))
    try:
        chosen = _start(chosen, keeper, demo=demo)
        say(f"the workroom is open at http://127.0.0.1:{chosen.port}/   (Ctrl-C closes it)")
        (chosen.data / "address").write_text(f"http://127.0.0.1:{chosen.port}/\n")
        keeper.keep()
        say("closing: what runs stops at its latest frame and goes on next time")
    finally:
        keeper.stop()
        (chosen.data / "address").unlink(missing_ok=True)
        lock.close()
    say("closed")


def _only_one(chosen: Settings) -> IO[str]:
    lock = (chosen.data / "lock").open("w")
    try:
        fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        address = chosen.data / "address"
        where = address.read_text().strip() if address.exists() else "starting"
        raise UpError(
            f"the workroom is already open ({where})", where=str(chosen.data), remedy="Use it, or stop it first"
        ) from None
    return lock


def _start(chosen: Settings, keeper: Keeper, *, demo: bool) -> Settings:
    logs_in = chosen.data / "logs"
    logs_in.mkdir(exist_ok=True)
    if not chosen.database:
        chosen = _database(chosen, keeper, logs_in)
    store = Store(chosen.database)
    _patiently(store)
    prepare_queue(store)
    brought = load_demo(store, chosen.demo) if demo else []
    if brought:
        say(f"the demo's shots are in: {', '.join(brought)}")
    store.close()
    port = cluster.free_port(chosen.port)
    if port != chosen.port:
        say(f"port {chosen.port} is in use, taking {port}")
    chosen = replace(chosen, port=port)
    desk = DeskClient(chosen.desk_socket, chosen.desk_key())
    for name, module, *words in (
        ("desk", "desk_process"),
        ("fitting", "fitting_process"),
        ("web", "web_process"),
        ("worker", "worker_process", RUNS),
        ("short jobs", "worker_process", SHORT),
    ):
        keeper.start(
            Child(
                name, [sys.executable, "-m", f"patient_needle.bootstrap.{module}", *words],
                as_environment(chosen), logs_in / f"{name.replace(' ', '_')}.log",
                scratch=chosen.data / "passing" / name.replace(" ", "_"),
                answers=desk.answers if name == "desk" else None,
            )
        )  # fmt: skip
    _wait_for_page(chosen, keeper)
    return chosen


def _database(chosen: Settings, keeper: Keeper, logs_in: Path) -> Settings:
    if not (chosen.data / "postgres" / "PG_VERSION").exists():
        say(f"making a database in {chosen.data}")
    made = cluster.prepare(chosen.data, chosen.database_port)
    if made.port != chosen.database_port:
        say(f"port {chosen.database_port} is in use, the database takes {made.port}")
    command, options = cluster.command(made)
    keeper.start(Child("database", command, os.environ, logs_in / "database.log", signal.SIGINT, dict(options)))
    cluster.wait_until_open(made.port)
    cluster.make_database(made)
    return replace(chosen, database=made.url)


def _patiently(store: Store) -> None:
    """Migrate, waiting for a server that has only just begun to listen."""
    from sqlalchemy.exc import OperationalError

    for _ in range(100):
        try:
            upgrade(store)
        except OperationalError:
            time.sleep(0.1)
        else:
            return
    upgrade(store)


def _wait_for_page(chosen: Settings, keeper: Keeper) -> None:
    deadline = time.monotonic() + 60
    while time.monotonic() < deadline and not keeper.leaving:
        try:
            with urllib.request.urlopen(f"http://127.0.0.1:{chosen.port}/api/workroom", timeout=2):
                return
        except (urllib.error.URLError, OSError):
            keeper.look()
            time.sleep(0.1)
    if not keeper.leaving:
        raise UpError("the web process does not answer", where=str(chosen.data / "logs" / "web.log"))


def main() -> int:
    """Entry point."""
    words = argparse.ArgumentParser("needle up")
    words.add_argument("--no-demo", action="store_true", help="bring no demo in when there are no shots")
    try:
        up(demo=not words.parse_args().no_demo)
    except NeedleError as error:
        print(f"needle: {error.line()}", file=sys.stderr)  # noqa: T201
        return 1
    return 0


if __name__ == "__main__":
    sys.exit(main())
