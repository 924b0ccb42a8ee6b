"""A reading in a process of its own gives what it would here, and takes nothing with it when it dies."""

from __future__ import annotations

import os
import signal
import time
from pathlib import Path

import numpy as np
import pytest

from patient_needle.core.model.errors import FileError, MeshError
from patient_needle.formats.isolated import isolated


def numbers(path: Path, count: int) -> dict[str, np.ndarray]:
    return {path.name: np.arange(count, dtype=np.float32).reshape(-1, 2)}


def dying(path: Path) -> int:
    if path.name == "bad":
        os.kill(os.getpid(), signal.SIGSEGV)
    return os.getpid()


def refusing(path: Path) -> None:
    raise MeshError("it has a hole", where=str(path), remedy="Close it")


def greedy(path: Path, count: int) -> int:
    return int(np.ones(count, np.uint8).sum())


def slow(path: Path, seconds: float) -> str:
    time.sleep(seconds)
    return path.name


def failing(path: Path) -> None:
    raise ZeroDivisionError(f"in {path.name}")


def test_what_is_read_comes_back_as_it_is(tmp_path):
    got = isolated(numbers)(tmp_path / "a", 2_000_000)
    assert np.array_equal(got["a"], numbers(tmp_path / "a", 2_000_000)["a"])
    assert got["a"].dtype == np.float32


def test_a_crash_is_an_error_and_the_next_reading_goes_on(tmp_path):
    read = isolated(dying)
    with pytest.raises(FileError, match=r"damaged so that it cannot be read .*signal 11"):
        read(tmp_path / "bad")
    first, second = read(tmp_path / "good"), read(tmp_path / "good")
    assert len({os.getpid(), first, second}) == 3


def test_memory_is_bounded(tmp_path):
    with pytest.raises((RuntimeError, FileError)):
        isolated(greedy)(tmp_path / "a", 8 << 30)
    assert isolated(greedy)(tmp_path / "a", 1 << 20) == 1 << 20


def test_who_does_not_wait_leaves_no_answer_to_the_next(tmp_path):
    def late(*_):
        raise KeyboardInterrupt

    before = signal.signal(signal.SIGALRM, late)
    try:
        signal.setitimer(signal.ITIMER_REAL, 0.3)
        with pytest.raises(KeyboardInterrupt):
            isolated(slow)(tmp_path / "a", 5.0)
    finally:
        signal.signal(signal.SIGALRM, before)
    assert isolated(slow)(tmp_path / "b", 0.0) == "b"


def test_errors_come_back_whole(tmp_path):
    with pytest.raises(MeshError) as caught:
        isolated(refusing)(tmp_path / "a")
    assert (caught.value.what, caught.value.remedy) == ("it has a hole", "Close it")
    assert caught.value.where == str(tmp_path / "a")
    with pytest.raises(RuntimeError, match="ZeroDivisionError: in a"):
        isolated(failing)(tmp_path / "a")
