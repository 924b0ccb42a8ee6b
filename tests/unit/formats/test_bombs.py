"""Files made to take long or to need much are read or refused within bounds."""

from __future__ import annotations

import pytest

from tests.bombs import BOMBS, costs_of, write_all

SECONDS = 10.0  # of the processor
MEMORY, TIMES = 200 << 20, 4  # bytes, and bytes for each byte of the file


@pytest.fixture(scope="module")
def costs(tmp_path_factory):
    folder = tmp_path_factory.mktemp("bombs")
    write_all(folder)
    found = costs_of(folder)
    return {name: (cost, (folder / name).stat().st_size) for name, cost in found.items()}


@pytest.mark.parametrize("name", BOMBS)
def test_a_file_made_to_harm_is_read_or_refused_within_bounds(name, costs):
    cost, size = costs[name]
    assert cost.ended.startswith(("read", "refused: ")), cost.ended
    assert cost.seconds < SECONDS, cost
    assert cost.memory < MEMORY + TIMES * size, cost
