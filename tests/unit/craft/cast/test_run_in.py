"""How a run-in joins its shot."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from numpy.testing import assert_allclose

from patient_needle.core.craft.cast.run_in import FURTHEST_ASIDE, StagedMotion, run_in_share
from patient_needle.core.craft.inspect.reading import jerk_of
from patient_needle.core.geometry.motion import CachedMotion, Still
from patient_needle.core.model.shot import RunIn, ShotPlan
from tests.figures import lamplighter

RUN_IN = RunIn(10, 30)


def straight(speed: float, way: float = 0.5) -> StagedMotion:
    """One point that moves `way` m into its first frame and on at `speed` m a frame."""
    frames = np.zeros((20, 1, 3))
    frames[:, 0, 0] = way + speed * np.arange(20)
    return StagedMotion(CachedMotion(np.zeros((1, 3)), frames, 1001), RUN_IN, 1001)


def steps(staged: StagedMotion, frames) -> np.ndarray:
    """The largest change of velocity at each frame but the first and last, m a frame."""
    places = np.stack([staged.at(frame) for frame in frames])
    return np.linalg.norm(np.diff(places, n=2, axis=0), axis=2).max(axis=1)


@pytest.mark.parametrize("speed", [0.005, 0.03, 0.14])
def test_the_speed_of_the_shot_is_taken_up_before_it_begins(speed):
    staged = straight(speed)
    just_before = float((staged.at(1001) - staged.at(1001 - 1e-4))[0, 0] / 1e-4)
    # 5 cm aside are too few to take up more than 2 m/s in 4 frames.
    assert_allclose(just_before, min(speed, FURTHEST_ASIDE * 27 / 16), rtol=1e-3)
    plain = [0.5 * run_in_share(RUN_IN, 1001, frame) for frame in np.arange(991, 1001, 0.1)]
    aside = [staged.at(frame)[0, 0] for frame in np.arange(991, 1001, 0.1)] - np.array(plain)
    assert np.abs(aside).max() <= FURTHEST_ASIDE + 1e-9
    assert aside.max() <= 1e-12  # it comes from behind, on the backward continuation


def test_nothing_changes_earlier_than_eight_frames_before_or_in_the_shot():
    staged, still = straight(0.03), straight(0.0)
    for frame in (961, 975, 993):
        assert_allclose(staged.at(frame), still.at(frame), atol=0)
    assert staged.at(1003)[0, 0] == pytest.approx(0.56)


@pytest.mark.parametrize("first", [1001, 1030, 1050, 1080])
def test_a_walk_begins_no_harder_than_it_goes_on(first):
    """No step in velocity at the join is larger than the shot's own largest."""
    body = lamplighter()
    staged = StagedMotion(body.motion, RUN_IN, first)
    joined = steps(staged, range(first - 10, first + 2)).max()
    assert joined <= steps(staged, range(first, 1121)).max()


def shot(member) -> ShotPlan:
    return ShotPlan("t", 24.0, (1001, 1015), RUN_IN, (member,), (), np.zeros(3), 0.0)


def test_what_remains_is_told_with_its_figures():
    body = lamplighter()
    frames = np.stack([body.motion.rest() + [0.4 * k, 0, 0] for k in range(15)])
    thrown = replace(body, motion=CachedMotion(body.motion.rest(), frames, 1001))
    jerk = jerk_of(shot(thrown), thrown)
    assert jerk.of == "it"
    assert jerk.step == pytest.approx(24 * (0.4 - 0.05), rel=0.1)  # m/s: all but 5 cm of it in one frame
    assert jerk.own == pytest.approx(0, abs=1e-9)
    assert 999 <= jerk.frame <= 1001
    still = replace(body, motion=Still(body.motion.rest()))
    assert jerk_of(shot(still), still) is None


def test_without_frames_to_move_in_nothing_is_taken_up():
    frames = np.zeros((5, 1, 3))
    frames[:, 0, 0] = np.arange(5)
    staged = StagedMotion(CachedMotion(np.zeros((1, 3)), frames, 1001), RunIn(4, 0), 1001)
    assert staged.at(1000.5)[0, 0] == 0.0
    alone = StagedMotion(CachedMotion(np.zeros((1, 3)), frames[:1], 1001), RUN_IN, 1001)
    assert np.isfinite(alone.at(1000.5)).all()  # one frame has no speed
