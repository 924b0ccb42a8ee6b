"""How many cores a run uses: all it may have, and one when something else on the machine wants the other.

Two threads wait for each other hundreds of times a second. If a core is taken by something else, each wait
lasts until the system has given that its turn, and the run takes several times as long as on the core that is
free. The number of threads changes no bits.
"""

from __future__ import annotations

import os
import time
from collections.abc import Callable
from pathlib import Path
from typing import Self

import numba

LOOK_EVERY = 0.4  # s
CROWDED, QUIET = 0.45, 0.25  # cores' worth of other work: one thread from here on, and all again below

Seconds = Callable[[], tuple[float, float]]  # of all work, and of our own


def processor_seconds(stat: Path = Path("/proc/stat")) -> tuple[float, float]:
    """Seconds that all cores were at work since the machine began, and those of this process; (0, 0) where the
    system does not tell. What a virtual machine's host took for others is work too.
    """
    try:
        first = stat.read_text().split("\n", 1)[0].split()
        user, nice, system, _, _, irq, softirq, stolen = (int(word) for word in first[1:9])
    except (OSError, ValueError):
        return 0.0, 0.0
    own = os.times()
    return (user + nice + system + irq + softirq + stolen) / os.sysconf("SC_CLK_TCK"), own.user + own.system


class Cores:
    """Sets how many threads the engine takes where `adapt` is called: `most`, or as many as it has now, and
    fewer while others work. At the end of a `with` it takes all again.
    """

    def __init__(self, most: int | None = None, spent: Seconds = processor_seconds) -> None:
        self._most, self._spent = numba.get_num_threads() if most is None else most, spent
        self._looked, self._before = time.monotonic(), self._spent()
        self.used = self._most

    def adapt(self) -> None:
        """Look at what others took since the last look, now and then, and take that many threads."""
        now = time.monotonic()
        if self._most < 2 or now - self._looked < LOOK_EVERY:
            return
        spent = self._spent()
        others = (spent[0] - self._before[0] - (spent[1] - self._before[1])) / (now - self._looked)
        self._looked, self._before = now, spent
        self.used = self.wanted(others)
        if numba.get_num_threads() != self.used:
            numba.set_num_threads(self.used)

    def wanted(self, others: float) -> int:
        """Threads to use beside others that keep `others` cores busy."""
        spare = QUIET if self.used < self._most else CROWDED
        return max(1, min(self._most, int((os.cpu_count() or 1) - others + spare)))

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *_: object) -> None:
        """Take all threads again, for whatever comes next."""
        self.used = self._most
        numba.set_num_threads(self._most)
