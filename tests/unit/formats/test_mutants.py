"""Damaged files give a valid read or one clear error: never a hang, a crash, a flood of memory."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor

import pytest

from tests.mutants import FORMATS, mutated, run

MUTANTS = 200  # of each format; a thousand passed too


@pytest.fixture(scope="module")
def outcomes(tmp_path_factory):
    """Mutants of every format, two formats at a time."""
    folders = [tmp_path_factory.mktemp(kind) for kind in FORMATS]
    with ThreadPoolExecutor(2) as both:
        return dict(zip(FORMATS, both.map(run, FORMATS, [MUTANTS] * len(FORMATS), folders), strict=True))


@pytest.mark.parametrize("kind", FORMATS)
def test_mutants_of_each_format(outcomes, kind):
    outcome = outcomes[kind]
    assert outcome.wrong == ""
    assert outcome.read + outcome.refused == MUTANTS
    assert outcome.refused > 0.3 * MUTANTS, "mutants that are all fine test nothing"


def test_mutants_are_the_same_for_the_same_seed_and_differ_from_the_whole():
    data = bytes(range(256)) * 8
    assert mutated(data, 3) == mutated(data, 3)
    assert sum(mutated(data, seed) != data for seed in range(50)) > 45
