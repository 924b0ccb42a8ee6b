"""A whole workroom as ./needle up opens it, in a folder of its own, and its processes by name."""

from __future__ import annotations

import contextlib
import json
import os
import signal
import subprocess
import sys
import urllib.error
import urllib.request
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

from patient_needle.bootstrap.cluster import FIRST_PORT
from tests.houses import let_pass, own_port, until

ROOT = Path(__file__).parents[2]
PROCESSES = {
    "web": "bootstrap.web_process",
    "desk": "bootstrap.desk_process",
    "fitting": "bootstrap.fitting_process",
    "worker": "bootstrap.worker_process runs",
    "short jobs": "bootstrap.worker_process short",
    "database": "postgres -D",
}


@dataclass
class Workroom:
    """address ends in a slash; data is its folder; process is ./needle up itself."""

    address: str
    data: Path
    process: subprocess.Popen[str]
    said: Path

    def ask(self, path: str, given: object = None, method: str | None = None) -> object:
        """Call the API; JSON in, JSON out."""
        request = urllib.request.Request(
            f"{self.address}api/{path}", None if given is None else json.dumps(given).encode(),
            {"Content-Type": "application/json"}, method=method,
        )  # fmt: skip
        with urllib.request.urlopen(request, timeout=20) as answer:
            data = answer.read()
        return json.loads(data) if data else None

    def patiently(self, path: str, seconds: float = 60.0) -> object:
        """Ask until there is an answer, as a page does while something is being started again."""

        def once():
            try:
                return [self.ask(path)]
            except (urllib.error.URLError, OSError, ValueError):
                return None

        return until(once, seconds, 0.2)[0]

    def pids(self, name: str) -> list[int]:
        """Processes of this workroom that are called `name`."""
        found = []
        for folder in Path("/proc").glob("[0-9]*"):
            try:
                words = (folder / "cmdline").read_bytes().replace(b"\0", b" ").decode()
                known = (folder / "environ").read_bytes() if name != "database" else b""
            except OSError:
                continue
            here = f"NEEDLE_DATA={self.data}\0".encode() in known
            if name == "database":
                here = str(self.data / "postgres") in words
            if here and PROCESSES[name] in words:
                found.append(int(folder.name))
        return found

    def kill(self, name: str) -> None:
        """As hard as it goes."""
        for pid in self.pids(name):
            with contextlib.suppress(ProcessLookupError):
                os.kill(pid, signal.SIGKILL)

    def close(self) -> str:
        """Ctrl-C; returns what was said."""
        self.process.send_signal(signal.SIGINT)
        self.process.wait(60)
        return self.said.read_text()


def open_workroom(folder: Path, port: int) -> Workroom:
    """Start one on `folder` and wait until its page answers."""
    let_pass(folder)
    said = folder / "said"
    environment = {
        **os.environ, "NEEDLE_DATA": str(folder / "data"), "NEEDLE_PORT": str(port),
        "NEEDLE_DATABASE_PORT": str(own_port(FIRST_PORT)),
    }  # fmt: skip
    with said.open("w") as out:
        process = subprocess.Popen(
            [sys.executable, "-m", "patient_needle.bootstrap.up"],
            cwd=ROOT, env=environment, stdout=out, stderr=out, text=True, start_new_session=True,
        )  # fmt: skip

    def opened() -> bool:
        assert process.poll() is None, said.read_text()
        return "is open at" in said.read_text()

    until(opened, 120)
    address = said.read_text().split("is open at ")[1].split()[0]
    return Workroom(address, folder / "data", process, said)


@contextlib.contextmanager
def workroom(folder: Path, port: int) -> Iterator[Workroom]:
    """A workroom that is closed at the end."""
    opened = open_workroom(folder, port)
    try:
        yield opened
    finally:
        if opened.process.poll() is None:
            opened.close()
