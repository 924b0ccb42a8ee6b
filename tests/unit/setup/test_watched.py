"""What the measurements of calm make of a motion that is known."""

from __future__ import annotations

import numpy as np
import pytest

from benchmarks.calm import QUICK, Watched, from_waist

RATE, FRAMES, SLOW_AT, QUICK_AT = 24.0, 97, 1.5, 8.0


def swung(quick: float) -> Watched:
    """Two vertices, the second held; the first swings 0.3 m at SLOW_AT and `quick` m at QUICK_AT."""
    time = np.arange(FRAMES) / RATE
    seen = np.zeros((FRAMES, 2, 3))
    seen[:, 0, 0] = 0.3 * np.sin(2 * np.pi * SLOW_AT * time) + quick * np.sin(2 * np.pi * QUICK_AT * time)
    free = np.array([True, False])
    return Watched(0.0, seen, seen, np.zeros((2, 3)), free, free)


def above(one: Watched) -> float:
    frequency, power = one.spectrum(RATE)
    return float(power[frequency > QUICK].sum())


def test_a_motion_of_one_frequency_shows_there_and_nowhere_else():
    frequency, power = swung(0.02).spectrum(RATE)
    peaks = frequency[power > 0.02 * power.max()]
    assert peaks.tolist() == [
        SLOW_AT - 0.25,
        SLOW_AT,
        SLOW_AT + 0.25,
        QUICK_AT - 0.25,
        QUICK_AT,
        QUICK_AT + 0.25,
    ]
    assert power[np.abs(frequency - 4.7) < 1].max() < 1e-4 * power.max()


def test_half_the_quick_motion_is_six_decibels_less_whatever_the_slow_one_does():
    assert 10 * np.log10(above(swung(0.01)) / above(swung(0.02))) == pytest.approx(-6.02, abs=0.05)
    assert above(swung(0.0)) < 1e-5 * above(swung(0.02))


def test_swing_is_how_far_the_hem_is_from_where_it_hung():
    assert np.linalg.norm(swung(0.0).swing(), axis=1).max() == pytest.approx(0.3, rel=1e-6)


def test_someone_who_rides_on_the_waist_sees_a_turned_and_carried_garment_stand_still():
    rng = np.random.default_rng(5)
    points, held = rng.normal(size=(9, 3)), np.arange(9) < 4
    at_rest = from_waist(points[held], points, held)
    turn = np.linalg.qr(rng.normal(size=(3, 3)))[0]
    turn *= np.sign(np.linalg.det(turn))
    np.testing.assert_allclose(from_waist(points[held], points @ turn.T + [3, 1, -2], held), at_rest, atol=1e-9)
