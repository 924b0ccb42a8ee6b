"""How many threads a run takes while others work."""

from __future__ import annotations

import os
import time

import numba
import pytest

from patient_needle.session.cores import CROWDED, QUIET, Cores, processor_seconds

pytestmark = pytest.mark.skipif(numba.config.NUMBA_NUM_THREADS < 2, reason="one core")


class Told:
    """A clock of work that says what it is told."""

    def __init__(self):
        self.all, self.own = 100.0, 10.0

    def __call__(self):
        return self.all, self.own


def adapted(others: float, monkeypatch, steps: int = 1, cores: Cores | None = None, told: Told | None = None):
    """Cores for two threads on two cores after looks between which others kept `others` cores busy."""
    now = [time.monotonic()]
    monkeypatch.setattr("patient_needle.session.cores.time.monotonic", lambda: now[0])
    monkeypatch.setattr("patient_needle.session.cores.os.cpu_count", lambda: 2)
    told = told or Told()
    cores = cores or Cores(2, told)
    for _ in range(steps):
        now[0] += 1.0
        told.all += 1.5 + others
        told.own += 1.5
        cores.adapt()
    return cores, told


@pytest.fixture(autouse=True)
def as_before():
    before = numba.get_num_threads()
    yield
    numba.set_num_threads(before)


def test_all_cores_while_nobody_else_works(monkeypatch):
    cores, _ = adapted(0.0, monkeypatch)
    assert cores.used == numba.get_num_threads() == 2


def test_one_while_another_process_wants_a_core_and_all_again_afterwards(monkeypatch):
    """Three threads on two cores: the other gets two thirds of one, and all of it once we take one thread."""
    cores, told = adapted(0.67, monkeypatch)
    assert cores.used == numba.get_num_threads() == 1
    adapted(1.0, monkeypatch, 2, cores, told)
    assert cores.used == 1
    adapted(0.0, monkeypatch, 1, cores, told)
    assert cores.used == numba.get_num_threads() == 2


def test_between_the_two_limits_it_stays_as_it_is(monkeypatch):
    middle = 0.5 * (CROWDED + QUIET)
    cores, told = adapted(middle, monkeypatch)
    assert cores.used == 2
    adapted(0.9, monkeypatch, 1, cores, told)
    adapted(middle, monkeypatch, 1, cores, told)
    assert cores.used == 1


def test_the_system_tells_of_this_process(tmp_path):
    before = processor_seconds()
    end = time.process_time() + 0.3
    while time.process_time() < end:
        pass
    after = processor_seconds()
    if before == (0.0, 0.0):
        pytest.skip("the system does not tell")
    assert after[1] - before[1] == pytest.approx(0.3, abs=0.1)
    assert after[0] - before[0] >= 0.2
    assert processor_seconds(tmp_path / "nothing") == (0.0, 0.0)
    told = tmp_path / "told"
    told.write_text("cpu  100 20 30 9000 400 5 5 40 0 0\n")  # proc_stat(5): the eighth is stolen by the host
    assert processor_seconds(told)[0] == pytest.approx(200 / os.sysconf("SC_CLK_TCK"))
    strange = tmp_path / "stat"
    strange.write_text("cpu 12 strange\n")
    assert processor_seconds(strange) == (0.0, 0.0)


def test_whatever_comes_next_has_all_threads_again(monkeypatch):
    cores, _ = adapted(1.0, monkeypatch)
    assert numba.get_num_threads() == 1
    with cores:
        pass
    assert numba.get_num_threads() == 2
