"""The fewest vertices between two halves against SciPy's matching."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import sparse
from scipy.sparse.csgraph import maximum_bipartite_matching

from patient_needle.core.solver.cover import covering


@pytest.mark.parametrize("seed", range(6))
def test_all_edges_meet_as_few_vertices_as_the_largest_matching_has_edges(seed):
    rng = np.random.default_rng(seed)
    count = 60
    dense = np.triu(rng.random((count, count)) < 0.06, 1)
    graph = sparse.csr_matrix(dense | dense.T)
    of = np.sort(rng.choice(count, 50, replace=False))
    side = np.zeros(count, np.int8)
    side[of] = rng.integers(1, 3, len(of))
    cut = of[covering(graph.indptr, graph.indices, of, side)]
    first, second = np.flatnonzero(side == 1), np.flatnonzero(side == 2)
    between = graph[first][:, second]
    uncut = graph[np.setdiff1d(first, cut)][:, np.setdiff1d(second, cut)]
    assert uncut.nnz == 0
    assert len(cut) == (maximum_bipartite_matching(between, perm_type="column") >= 0).sum()
    assert not np.isin(cut, np.flatnonzero(side == 0)).any()


def test_halves_that_do_not_touch_need_nothing_between_them():
    graph = sparse.csr_matrix((4, 4), dtype=bool)
    side = np.array([1, 1, 2, 2], np.int8)
    assert not covering(graph.indptr, graph.indices, np.arange(4), side).any()
