"""Damaged files give a valid read or one clear error: never a hang, a crash, a flood of memory."""

from __future__ import annotations

import pytest

from tests.mutants import FORMATS, mutated, run


@pytest.mark.parametrize("kind", FORMATS)
def test_a_thousand_mutants_of_each_format(tmp_path, kind):
    outcome = run(kind, 1000, tmp_path)
    assert outcome.wrong == ""
    assert outcome.read + outcome.refused == 1000
    assert outcome.refused > 300, "mutants that are all fine test nothing"


def test_mutants_are_the_same_for_the_same_seed_and_differ_from_the_whole():
    data = bytes(range(256)) * 8
    assert mutated(data, 3) == mutated(data, 3)
    assert sum(mutated(data, seed) != data for seed in range(50)) > 45
