"""Factors against SciPy's solver, and the matrix against the sum of what its parts say."""

from __future__ import annotations

import numba
import numpy as np
import pytest
from scipy import sparse
from scipy.sparse.linalg import spsolve

from patient_needle.core.model.errors import SolverError
from patient_needle.core.solver.factor import SideBySide, factorised
from patient_needle.core.solver.stiffness import Stiffness, pattern_of
from tests.sheets import sheet


def laplacian(count_wide: int, seed: int = 0) -> sparse.csr_matrix:
    """A membrane-like matrix over a sheet, with weights that differ."""
    points, triangles = sheet(1.0, 0.6, 1.0 / count_wide)
    rng, count = np.random.default_rng(seed), len(points)
    edges = np.unique(np.sort(np.concatenate([triangles[:, [0, 1]], triangles[:, [1, 2]]]), axis=1), axis=0)
    weight = rng.uniform(1.0, 500.0, len(edges))
    off = sparse.coo_matrix((-weight, edges.T), (count, count))
    off = off + off.T
    own = rng.uniform(0.01, 0.1, count) - np.asarray(off.sum(axis=1)).ravel()
    return (off + sparse.diags(own)).tocsr()


@pytest.mark.parametrize("wide", [1, 3, 30])
def test_a_factor_solves_as_scipy_does(wide):
    matrix = laplacian(wide)
    right = np.random.default_rng(1).normal(size=(matrix.shape[0], 3))
    alone = SideBySide([(slice(0, len(right)), factorised(matrix))], [])
    assert alone.three(right) == pytest.approx(spsolve(matrix.tocsc(), right), rel=1e-9, abs=1e-12)


def test_factors_side_by_side_give_the_same_bits_on_one_thread_and_solve_as_alone():
    first, second = laplacian(25), laplacian(14, 2)
    a, b = len(first.indptr) - 1, len(second.indptr) - 1
    rng = np.random.default_rng(4)
    right, force = rng.normal(size=(a + b, 3)), rng.normal(size=a + b)
    spans = (slice(0, a), slice(a, a + b))
    factors = factorised(first), factorised(second)
    both = SideBySide(list(zip(spans, factors, strict=True)), [(spans[1], factors[1])])
    found = []
    before = numba.get_num_threads()
    for threads in (1, numba.config.NUMBA_NUM_THREADS):
        numba.set_num_threads(threads)
        out, moved = np.zeros_like(right), np.zeros(a + b)
        both.solve(right, force, out, moved)
        found.append((out, moved))
    numba.set_num_threads(before)
    assert np.array_equal(found[0][0], found[1][0])
    assert np.array_equal(found[0][1], found[1][1])
    for span, factor in zip(spans, factors, strict=True):
        own = np.ascontiguousarray(right[span])
        alone = SideBySide([(slice(0, len(own)), factor)], []).three(own)
        assert found[0][0][span] == pytest.approx(alone, rel=1e-12, abs=1e-14)
    assert found[0][1][spans[1]] == pytest.approx(spsolve(second.tocsc(), force[spans[1]]), rel=1e-9)
    assert not found[0][1][spans[0]].any()


def test_groups_share_the_work():
    factor = factorised(laplacian(40))
    first, second = factor.ends
    work = np.diff(factor.starts.astype(np.int64))
    halves = work[:first].sum(), work[first:second].sum(), work[second:].sum()
    assert max(halves[:2]) < 0.6 * work.sum()
    assert halves[2] < 0.35 * work.sum()


def test_what_is_not_positive_definite_is_refused():
    with pytest.raises(SolverError):
        factorised(sparse.csr_matrix(np.diag([1.0, -2.0, 3.0])))


def test_products_are_those_of_the_dense_matrix_and_parts_stand_apart():
    points, triangles = sheet(0.3, 0.2, 0.05)
    count = len(points)
    pattern = pattern_of(count, triangles, np.zeros((0, 4), np.int32))
    matrix, rng = Stiffness([pattern, pattern]), np.random.default_rng(5)
    dense = np.zeros((6 * count, 6 * count))
    for cloth in range(2):
        part = matrix.part(cloth)
        part.blocks[:] = rng.normal(size=part.blocks.shape)
        part.diagonal[:] = rng.normal(size=part.diagonal.shape)
        for (a, b), block in zip(pattern.ends + cloth * count, part.blocks, strict=True):
            dense[3 * a : 3 * a + 3, 3 * b : 3 * b + 3] = block.reshape(3, 3)
            dense[3 * b : 3 * b + 3, 3 * a : 3 * a + 3] = block.reshape(3, 3).T
        for v, (xx, yy, zz, xy, xz, yz) in enumerate(part.diagonal, cloth * count):
            dense[3 * v : 3 * v + 3, 3 * v : 3 * v + 3] = [[xx, xy, xz], [xy, yy, yz], [xz, yz, zz]]
    matrix.close()
    p, held = rng.normal(size=(2 * count, 3)), rng.random(2 * count) < 0.2
    out = np.zeros_like(p)
    work = matrix.product(p, held, out)
    exact = (dense @ p.ravel()).reshape(-1, 3)
    exact[held] = 0.0
    assert out == pytest.approx(exact, abs=1e-12)
    assert work == pytest.approx((exact * p).sum())
    matrix.clear()
    assert not matrix.blocks.any()
    assert not matrix.diagonal.any()
