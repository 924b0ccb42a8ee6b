"""The pace of a take is told by its latest frames, and by nothing while there are too few."""

from __future__ import annotations

import pytest

from patient_needle.jobs import take_run


def test_the_pace_is_that_of_the_latest_frames(monkeypatch):
    clock = iter([0.0, *[10.0 * k for k in range(1, 9)], *[80.0 + 2.0 * k for k in range(1, 13)]])
    monkeypatch.setattr(take_run.time, "monotonic", lambda: next(clock))
    pace = take_run._Pace()
    pace.begin()
    assert pace.progress("simulating").seconds_per_frame is None
    for _ in range(8):
        pace.tick()
    assert pace.progress("simulating").seconds_per_frame == pytest.approx(10.0)
    for _ in range(take_run.RECENT):
        pace.tick()
    found = pace.progress("simulating")
    assert found.seconds_per_frame == pytest.approx(2.0)
    assert (found.done, found.phase) == (20, "simulating")
