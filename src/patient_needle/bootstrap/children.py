"""Processes that are kept alive: started again when they end, stopped in order at the end."""

from __future__ import annotations

import ctypes
import os
import shutil
import signal
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

PR_SET_PDEATHSIG = 1
STEADY = 20.0  # s after which a process counts as running well
ASKED_EVERY = 5.0  # s between two questions whether a process answers
HUNG = 60.0  # s without an answer, after which it is ended and started again
LONGEST_PAUSE = 10.0  # s between two starts of a process that keeps ending


@dataclass
class Child:
    """One kept process: its command, environment and log; `options` go to subprocess.

    scratch: the folder for its passing files, emptied whenever it starts, so that one that was killed leaves
    nothing behind; answers: whether it does what it is there for, asked from time to time where it is given.
    """

    name: str
    command: list[str]
    environment: Mapping[str, str]
    log: Path
    stop_signal: int = signal.SIGTERM
    options: dict[str, Any] = field(default_factory=dict)
    scratch: Path | None = None
    answers: Callable[[], bool] | None = None
    process: subprocess.Popen[bytes] | None = None
    started: float = 0.0
    pause: float = 0.0
    not_before: float = 0.0
    heard: float = 0.0

    def start(self) -> None:
        """Start it in a session of its own; it is told to stop should we die."""
        self.started = self.heard = time.monotonic()
        environment = dict(self.environment)
        if self.scratch is not None:
            shutil.rmtree(self.scratch, ignore_errors=True)
            self.scratch.mkdir(parents=True)
            environment["TMPDIR"] = str(self.scratch)
        with self.log.open("ab") as out:
            self.process = subprocess.Popen(
                self.command, env=environment, stdin=subprocess.DEVNULL, stdout=out, stderr=out,
                start_new_session=True, preexec_fn=_stop_with_parent(self.stop_signal), **self.options,
            )  # fmt: skip

    def ended(self) -> bool:
        """Whether it was started and runs no more."""
        return self.process is not None and self.process.poll() is not None

    def hangs(self) -> bool:
        """Whether it runs and has not answered for HUNG seconds."""
        running = self.process is not None and self.process.poll() is None
        return running and self.answers is not None and time.monotonic() - self.heard > HUNG

    def kill(self) -> None:
        """End it at once, with what it has started."""
        if self.process is not None and self.process.poll() is None:
            os.killpg(self.process.pid, signal.SIGKILL)
            self.process.wait()

    def stop(self, seconds: float = 25.0) -> None:
        """Ask it to stop, and make it after `seconds`."""
        if self.process is None or self.process.poll() is not None:
            return
        self.process.send_signal(self.stop_signal)
        try:
            self.process.wait(seconds)
        except subprocess.TimeoutExpired:
            self.kill()


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
        if child.answers is not None:
            threading.Thread(target=self._listen, args=(child,), daemon=True).start()
        return child

    def _listen(self, child: Child) -> None:
        """Ask a process again and again whether it answers, in a thread, since it may not."""
        assert child.answers is not None
        while not self.leaving:
            if child.answers():
                child.heard = time.monotonic()
            time.sleep(ASKED_EVERY)

    def look(self) -> None:
        """Start what has ended, sooner the better it ran before."""
        now = time.monotonic()
        for child in self.children:
            if child.hangs():
                self._told(f"{child.name} has not answered for {HUNG:.0f} s, ending it")
                child.kill()
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
