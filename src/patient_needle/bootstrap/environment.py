"""The environment, read and set in one place, before anything that computes is imported."""

from __future__ import annotations

import os
import platform
import shutil
from importlib import metadata
from pathlib import Path

# One BLAS thread: factors must come out the same on any number of the engine's threads.
ONE_THREAD = ("OPENBLAS_NUM_THREADS", "OMP_NUM_THREADS_BLAS", "MKL_NUM_THREADS", "BLIS_NUM_THREADS")
CORE_PACKAGES = ("numpy", "scipy", "numba", "libigl", "pydantic", "alembic3d")


def prepare(*, alone: bool = False) -> None:
    """Settings that libraries read when they are loaded.

    A thread that waits gives its core away soon, so that runs on one machine do not starve each other. One that
    has the machine to itself (`alone`) stays awake between two sums, which come a few tenths of a millisecond
    apart. USD reads instead of mapping a file: one cut short then gives an error in place of a crash, and a
    long cache is in memory once.
    """
    for name in ONE_THREAD:
        os.environ[name] = "1"
    os.environ.setdefault("NUMBA_THREADING_LAYER", "omp")
    os.environ.setdefault("GOMP_SPINCOUNT", "200000" if alone else "20000")
    os.environ.setdefault("USDC_USE_ASSET", "1")
    os.environ.setdefault("TF_ENV_SETTING_ALERTS_ENABLED", "0")  # else USD says so in a banner


def use_threads(count: int | None) -> int:
    """Let the engine use `count` threads, at most what the machine has; returns how many it uses."""
    import numba

    wanted = numba.config.NUMBA_NUM_THREADS if count is None else count
    used = max(1, min(wanted, numba.config.NUMBA_NUM_THREADS))
    numba.set_num_threads(used)
    return used


def versions() -> dict[str, str]:
    """Versions that a result depends on."""
    found = {name: metadata.version(name) for name in CORE_PACKAGES}
    return {"patient-needle": metadata.version("patient-needle"), "python": platform.python_version(), **found}


def processor() -> str:
    """The processor's name as the system gives it."""
    try:
        lines = Path("/proc/cpuinfo").read_text().splitlines()
    except OSError:
        return platform.processor() or platform.machine()
    names = [line.split(":", 1)[1].strip() for line in lines if line.startswith("model name")]
    return names[0] if names else platform.machine()


def free_disk(folder: Path) -> float:
    """Free space below `folder`, GB."""
    return shutil.disk_usage(folder).free / 1e9
