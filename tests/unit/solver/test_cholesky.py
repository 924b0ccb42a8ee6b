"""The matrix's own factor against SciPy's solver."""

from __future__ import annotations

import numba
import numpy as np
import pytest
from scipy import sparse
from scipy.sparse.linalg import spsolve

from patient_needle.core.model.errors import SolverError
from patient_needle.core.solver.cholesky import Cholesky
from patient_needle.core.solver.elimination import GROUPS, MOST_LIFTED, Dissection
from patient_needle.core.solver.stiffness import NOTHING_TIED, Stiffness, pattern_of
from patient_needle.core.solver.ties import Ties
from tests.sheets import sheet

NO_HINGES = np.zeros((0, 4), np.int32)


def springs(wide, sheets=1, seed=0):
    """Sheets one beside the other, of springs that point anywhere and differ by a thousand times, and where
    they lie.
    """
    points, triangles = sheet(1.0, 0.6, 1.0 / wide)
    count = len(points)
    pattern = pattern_of(count, triangles, NO_HINGES)
    matrix, rng = Stiffness([pattern] * sheets), np.random.default_rng(seed)
    for one in range(sheets):
        part = matrix.part(one)
        part.diagonal[:, :3] = rng.uniform(1.0, 10.0, (count, 1))
        way = rng.normal(size=(len(pattern), 3)) * 10.0 ** rng.uniform(0, 1.5, (len(pattern), 1))
        square = way[:, :, None] * way[:, None, :]
        part.blocks[:] = -square.reshape(-1, 9)
        xx, yy, zz, xy, xz, yz = (square[:, a, b] for a, b in ((0, 0), (1, 1), (2, 2), (0, 1), (0, 2), (1, 2)))
        own = np.stack([xx, yy, zz, xy, xz, yz], axis=1)
        np.add.at(part.diagonal, pattern.ends[:, 0], own)
        np.add.at(part.diagonal, pattern.ends[:, 1], own)
    matrix.close()
    placed = np.concatenate([points + [0, 0, 0.1 * one] for one in range(sheets)])
    return matrix, placed, tuple(slice(count * one, count * (one + 1)) for one in range(sheets))


def tied(matrix, count, many, seed):
    """Ties of `many` pairs of vertices anywhere, added to a matrix of `count`."""
    rng = np.random.default_rng(seed)
    pairs = np.array([rng.choice(count, 2, replace=False) for _ in range(many)], int).reshape(many, 2)
    nobody = np.full_like(pairs, -1)
    normal = rng.normal(size=(many, 3))
    normal /= np.linalg.norm(normal, axis=1)[:, None]
    matrix.tie(
        Ties(
            np.hstack([pairs, nobody]), np.tile([1.0, -1.0, 0.0, 0.0], (many, 1)), normal,
            rng.uniform(10, 1000, many), rng.uniform(0, 10, many),
        )
    )  # fmt: skip
    matrix.close()


def dense(matrix, free):
    """The matrix as SciPy has it, with ones where it is not free."""
    count = len(free)
    out = np.zeros((3 * count, 3 * count))
    for (a, b), block in zip(matrix.ends, matrix.blocks, strict=True):
        out[3 * a : 3 * a + 3, 3 * b : 3 * b + 3] = block.reshape(3, 3)
        out[3 * b : 3 * b + 3, 3 * a : 3 * a + 3] = block.reshape(3, 3).T
    for v, (xx, yy, zz, xy, xz, yz) in enumerate(matrix.diagonal):
        out[3 * v : 3 * v + 3, 3 * v : 3 * v + 3] = [[xx, xy, xz], [xy, yy, yz], [xz, yz, zz]]
    for (a, b), block in zip(*matrix.tied(), strict=True):
        out[3 * a : 3 * a + 3, 3 * b : 3 * b + 3] += block.reshape(3, 3)
        out[3 * b : 3 * b + 3, 3 * a : 3 * a + 3] += block.reshape(3, 3).T
    keep = np.repeat(free, 3)
    return sparse.csc_matrix(np.where(np.outer(keep, keep), out, np.eye(len(keep))))


@pytest.mark.parametrize(
    ("wide", "sheets", "ties"),
    [(1, 1, 0), (3, 1, 0), (14, 1, 0), (9, 3, 0), (3, 1, 3), (14, 1, 60), (9, 3, 40)],
)
def test_a_factor_solves_as_scipy_does(wide, sheets, ties):
    matrix, placed, spans = springs(wide, sheets)
    tied(matrix, len(placed), ties, 6)
    free = np.random.default_rng(1).random(len(placed)) > 0.15
    dissection = Dissection(matrix.ends, placed, free, spans)
    assert sorted(dissection.elimination(NOTHING_TIED).origin.tolist()) == np.flatnonzero(free).tolist()
    factor = Cholesky(dissection)
    factor.factorise(matrix)  # room is made for ties that come and go
    factor.factorise(matrix, *matrix.tied())
    right = np.random.default_rng(2).normal(size=placed.shape)
    right[~free] = 0.0
    out = np.ones_like(right)
    factor.solve(right, out)
    exact = spsolve(dense(matrix, free), right.ravel()).reshape(right.shape)
    assert out == pytest.approx(exact, abs=1e-3 * np.abs(exact).max())
    assert not out[~free].any()
    left = right.copy()
    for _ in range(6):  # what is left over falls by the factor's own precision each time
        product = np.zeros_like(left)
        matrix.product(out, ~free, product)
        left = right - product
        step = np.zeros_like(left)
        factor.solve(left, step)
        out += step
    assert np.abs(left).max() < 1e-9 * np.abs(right).max()


def test_the_same_bits_on_any_number_of_threads():
    matrix, placed, spans = springs(25, 2, 4)
    free = np.ones(len(placed), bool)
    right, found = np.random.default_rng(5).normal(size=placed.shape), []
    before = numba.get_num_threads()
    for threads in (1, numba.config.NUMBA_NUM_THREADS):
        numba.set_num_threads(threads)
        factor, out = Cholesky(Dissection(matrix.ends, placed, free, spans)), np.zeros_like(right)
        factor.factorise(matrix)
        factor.solve(right, out)
        found.append(out)
    numba.set_num_threads(before)
    assert np.array_equal(*found)


def test_a_front_takes_all_of_a_few_ties_and_none_of_many():
    matrix, placed, spans = springs(40)
    dissection = Dissection(matrix.ends, placed, np.ones(len(placed), bool), spans)
    left, right = np.flatnonzero(placed[:, 0] < 0.3), np.flatnonzero(placed[:, 0] > 0.7)
    for many, kept in ((MOST_LIFTED, MOST_LIFTED), (MOST_LIFTED + 1, 0)):
        order = dissection.elimination(np.stack([left[:many], right[:many]], axis=1))
        found = np.sort(order.blocks[order.blocks >= len(matrix.ends)]) - len(matrix.ends)
        assert found.tolist() == list(range(kept))
        assert sorted(order.origin.tolist()) == list(range(len(placed)))


def test_groups_share_the_work_and_cuts_are_short():
    matrix, placed, spans = springs(60)
    dissection = Dissection(matrix.ends, placed, np.ones(len(placed), bool), spans)
    order = dissection.elimination(NOTHING_TIED)
    own, beyond = np.diff(order.first), np.diff(order.row_starts)
    work = own**3 / 3 + own**2 * beyond + own * beyond**2
    halves = [work[a:b].sum() for a, b in zip(order.parts[:-1], order.parts[1:], strict=True)]
    assert max(halves[:GROUPS]) < 0.6 * work.sum()
    assert halves[GROUPS] < 0.35 * work.sum()
    assert own.max() <= 45  # the sheet is 37 vertices across


def test_nothing_free_is_nothing_to_solve():
    matrix, placed, spans = springs(3)
    factor = Cholesky(Dissection(matrix.ends, placed, np.zeros(len(placed), bool), spans))
    factor.factorise(matrix)
    out = np.ones_like(placed)
    factor.solve(np.zeros_like(placed), out)
    assert not out.any()


def test_a_matrix_that_is_not_quite_positive_gets_more_of_its_diagonal():
    matrix, placed, spans = springs(4)
    matrix.diagonal[3, :3] *= 0.5
    factor = Cholesky(Dissection(matrix.ends, placed, np.ones(len(placed), bool), spans))
    assert np.linalg.eigvalsh(dense(matrix, np.ones(len(placed), bool)).toarray())[0] < 0
    factor.factorise(matrix)
    right, out = np.random.default_rng(2).normal(size=placed.shape), np.zeros_like(placed)
    factor.solve(right, out)
    assert np.isfinite(out).all()
    assert (out * right).sum() > 0
    for bad in (np.nan, np.inf, -1.0):
        matrix.diagonal[:, :3] = bad
        with pytest.raises(SolverError):
            factor.factorise(matrix)
