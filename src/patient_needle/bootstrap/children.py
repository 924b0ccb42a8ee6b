"""Processes that are kept alive: started again when they end, stopped in order at the end."""

from __future__ import annotations

import ctypes
import os
import signal
import subprocess
import sys
import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

PR_SET_PDEATHSIG = 1
STEADY = 20.0  # s after which a process counts as running well
LONGEST_PAUSE = 10.0  # s between two starts of a process that keeps ending


@dataclass
class Child:
    """One kept process: its command, environment and log; `options` go to subprocess."""

    name: str
    command: list[str]
    environment: Mapping[str, str]
    log: Path
    stop_signal: int = signal.SIGTERM
    options: dict[str, Any] = field(default_factory=dict)
    process: subprocess.Popen[bytes] | None = None
    started: float = 0.0
    pause: float = 0.0
    not_before: float = 0.0

    def start(self) -> None:
        """Start it in a session of its own; it is told to stop should we die."""
        self.started = time.monotonic()
        with self.log.open("ab") as out:
            self.process = subprocess.Popen(
                self.command, env=dict(self.environment), stdin=subprocess.DEVNULL, stdout=out, stderr=out,
                start_new_session=True, preexec_fn=_stop_with_parent(self.stop_signal), **self.options,
            )  # fmt: skip

    def ended(self) -> bool:
        """Whether it was started and runs no more."""
        return self.process is not None and self.process.poll() is not None

    def stop(self, seconds: float = 25.0) -> None:
        """Ask it to stop, and make it after `seconds`."""
        if self.process is None or self.process.poll() is not None:
            return
        self.process.send_signal(self.stop_signal)
        try:
            self.process.wait(seconds)
        except subprocess.TimeoutExpired:
            os.killpg(self.process.pid, signal.SIGKILL)
            self.process.wait()


def _stop_with_parent(number: int) -> Callable[[], None] | None:
    if not sys.platform.startswith("linux"):
        return None
    library = ctypes.CDLL(None)
    return lambda: library.prctl(PR_SET_PDEATHSIG, number)


class Keeper:
    """Keeps children alive, in the order in which they depend on each other."""

    def __init__(self, told: Callable[[str], None]) -> None:
        self.children: list[Child] = []
        self._told = told
        self.leaving = False

    def start(self, child: Child) -> Child:
        """Start one and keep it."""
        child.start()
        self.children.append(child)
        return child

    def look(self) -> None:
        """Start what has ended, sooner the better it ran before."""
        now = time.monotonic()
        for child in self.children:
            if not child.ended():
                continue
            if child.not_before == 0.0:
                steady = now - child.started > STEADY
                child.pause = 0.2 if steady else min(max(0.2, 2 * child.pause), LONGEST_PAUSE)
                child.not_before = now + child.pause
                code = child.process.returncode if child.process else 0
                self._told(f"{child.name} ended ({_ended_by(code)}), starting it again")
            if now >= child.not_before:
                child.not_before = 0.0
                child.start()

    def keep(self) -> None:
        """Look after them until `leaving` is set."""
        while not self.leaving:
            time.sleep(0.1)
            self.look()

    def stop(self) -> None:
        """Stop all, last started first."""
        for child in reversed(self.children):
            child.stop()


def _ended_by(code: int) -> str:
    return f"killed by {signal.Signals(-code).name}" if code < 0 else f"exit code {code}"
