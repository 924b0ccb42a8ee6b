"""Sums and constant factors that come out the same on any number of threads, and conjugate gradients."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Protocol

import numpy as np
from cholespy import CholeskySolverD, MatrixType
from numba import njit, prange
from scipy import sparse

from ..geometry.topology import incidence
from ..model.tolerances import LEAST_FIXING
from ..model.typed import Flags, Indices, Points, Scalars, Vectors
from .cloth import Cloth

# Factors are made for steps of 1/STEP s and RUNGS to each doubling of it.
STEP, RUNGS = 96.0, 4
MOST_FACTORS = 16


class Gather:
    """Adds corner shares (m * c, 3) of elements (m, c) into their vertices."""

    def __init__(self, elements: Indices, vertex_count: int) -> None:
        self.starts, self.corners = incidence(elements, vertex_count)
        self.shares = np.zeros((elements.size, 3))

    @property
    def bytes(self) -> int:
        """Of the shares, written and read, and of the way to them."""
        return 2 * self.shares.nbytes + self.starts.nbytes + self.corners.nbytes

    def add_scalars_to(self, shares: Scalars, out: Scalars) -> None:
        """Add one number per corner (m * c,) to its vertex in out (n,)."""
        _gather_scalars(self.starts, self.corners, shares, out)

    def add_to(self, out: Vectors) -> None:
        """Add every share to its vertex in out (n, 3)."""
        _gather(self.starts, self.corners, self.shares, out)


@njit(parallel=True, cache=True)
def _gather(starts, corners, shares, out):
    """Add up every vertex's corners.

    corners (c,) of each vertex from starts (n + 1,); shares (c, 3); out (n, 3).
    """
    for v in prange(out.shape[0]):
        sum_corners(v, starts, corners, shares, out)


@njit(cache=True)
def sum_corners(v, starts, corners, shares, out):
    """Add up vertex v's corners, in order.

    starts, corners, shares and out as in `_gather`.
    """
    a, b, c = 0.0, 0.0, 0.0
    for i in range(starts[v], starts[v + 1]):
        corner = corners[i]
        a += shares[corner, 0]
        b += shares[corner, 1]
        c += shares[corner, 2]
    out[v, 0] += a
    out[v, 1] += b
    out[v, 2] += c


@njit(parallel=True, cache=True)
def _gather_scalars(starts, corners, shares, out):
    """The same of shares (c,), into out (n,)."""
    for v in prange(out.shape[0]):
        here = 0.0
        for i in range(starts[v], starts[v + 1]):
            here += shares[corners[i]]
        out[v] += here


@njit(cache=True)
def total(values):
    """Sum of a vector, in order."""
    result = 0.0
    for i in range(values.shape[0]):
        result += values[i]
    return result


@njit(cache=True)
def inner(a, b):
    """Inner product of two (n, 3) arrays, in order: the same bits whatever their alignment."""
    result = 0.0
    for i in range(a.shape[0]):
        result += a[i, 0] * b[i, 0] + a[i, 1] * b[i, 1] + a[i, 2] * b[i, 2]
    return result


@njit(cache=True)
def largest(a):
    """Largest length among the rows of an (n, 3) array."""
    result = 0.0
    for i in range(a.shape[0]):
        result = max(result, a[i, 0] * a[i, 0] + a[i, 1] * a[i, 1] + a[i, 2] * a[i, 2])
    return np.sqrt(result)


def rest_operator(cloth: Cloth, weft: Scalars, warp: Scalars) -> sparse.csr_matrix:
    """Sum over the triangles of weft |X_u|^2 + warp |X_v|^2 as a matrix (n, n): X_u, X_v images of the fabric's
    directions at rest; weft, warp (m,) per triangle. With equal weights the Laplacian in weak form.
    """
    count, m = cloth.count, len(cloth.triangles)
    rows, columns = np.repeat(np.arange(m), 3), cloth.triangles.ravel()
    operator = sparse.csr_matrix((count, count))
    for axis, weight in ((0, weft), (1, warp)):
        first, second = cloth.rest_inverse[:, axis], cloth.rest_inverse[:, 2 + axis]
        values = np.stack([-(first + second), first, second], axis=1).ravel()
        image = sparse.csr_matrix((values, (rows, columns)), (m, count))
        operator = operator + image.T @ sparse.diags(weight) @ image
    return operator.tocsr()


def factorised(matrix: sparse.csr_matrix) -> CholeskySolverD:
    """The factor of a symmetric positive definite matrix (n, n)."""
    entries = matrix.tocoo()
    return CholeskySolverD(
        matrix.shape[0],
        entries.row.astype(np.int32),
        entries.col.astype(np.int32),
        entries.data.astype(np.float64),
        MatrixType.COO,
    )


class Term(Protocol):
    """One part of the energy a substep minimises.

    lagged: whether taking the gradient changes what `energy` means (friction follows the last push).
    """

    lagged: bool

    def gradient(self, x: Points, out: Vectors) -> float:
        """Add the gradient, keep the linearisation, return the energy."""

    def energy(self, x: Points) -> float:
        """The energy alone."""

    def product(self, p: Vectors, out: Vectors) -> None:
        """Add the linearised Hessian's product."""

    def stiffness_along(self, directions: Vectors, out: Scalars) -> None:
        """Add each vertex's own linearised stiffness along its direction."""


class Factors:
    """Cholesky factors of inertia + rest-shape membrane, one per step size.

    Source of the constant operator: S. Bouaziz et al., Projective dynamics, SIGGRAPH 2014; as a
    preconditioner: T. Liu et al., Quasi-Newton methods for real-time simulation, TOG 2017. Bending is left
    out: next to a membrane that is stiff in every direction it changes no iteration count, and it would
    more than double the factor.

    Steps are rounded to a few rungs, since a factor for a step a little longer serves as well; so is the
    stiffness with which soft holds fix vertices. The latest few factors are kept.
    """

    def __init__(self, cloth: Cloth) -> None:
        self._cloth = cloth
        self._membrane = rest_operator(cloth, cloth.weft, cloth.warp)
        self._retardation = float(cloth.stretch_retardation.mean())
        self._made: dict[tuple[float, float, bytes, bytes | None], CholeskySolverD] = {}

    def for_step(
        self, step: float, held: Flags, fixing: Scalars | None = None, air_drag: float = 0.0
    ) -> CholeskySolverD:
        """The factor for substeps of about `step` s with `held` (n,) prescribed and the others fixed by about
        `fixing` (n,) N/m, in air that drags with `air_drag` kg/(m2 s); made once.
        """
        rung = float(2 ** (np.round(np.log2(step * STEP) * RUNGS) / RUNGS) / STEP)
        fixed = None if fixing is None or not fixing.any() else _rounded(fixing)
        key = (rung, air_drag, held.tobytes(), None if fixed is None else fixed.tobytes())
        factor = self._made.pop(key, None) or self._factorise(rung, held, fixed, air_drag)
        self._made[key] = factor
        if len(self._made) > MOST_FACTORS:
            del self._made[next(iter(self._made))]
        return factor

    def _factorise(self, step: float, held: Flags, fixing: Scalars | None, air_drag: float) -> CholeskySolverD:
        cloth = self._cloth
        reach = step * 2 / 3
        own = cloth.mass / reach**2 + air_drag * cloth.vertex_areas / reach
        matrix = self._membrane * (1 + self._retardation / step)
        matrix = matrix + sparse.diags(own if fixing is None else own + fixing)
        free = sparse.diags((~held).astype(float))
        return factorised(free @ matrix @ free + sparse.diags(held.astype(float)))


def _rounded(stiffness: Scalars) -> Scalars:
    """To powers of two, what hardly counts to none: a factor need not follow every turn of a key."""
    counts = stiffness > LEAST_FIXING
    out = np.zeros_like(stiffness)
    out[counts] = 2.0 ** np.round(np.log2(stiffness[counts]))
    return out


class Preconditioner:
    """The constant factor, plus each vertex along its own normal.

    The factor gives every direction the stiffness that cloth has only within itself. Out of its surface it is
    softer by orders of magnitude, so motion there would count as converged while it has hardly begun. Adding
    the inverse of each vertex's true stiffness along its normal (additive Schwarz: M. Dryja and O. Widlund,
    1987) makes the preconditioned residual a displacement one can trust. Each cloth has its own factor, over
    its slice of the vertices.
    """

    def __init__(self, factors: Sequence[tuple[slice, CholeskySolverD]], normals: Vectors, held: Flags) -> None:
        self._factors = factors
        self._normals = np.where(held[:, None], 0.0, normals)
        self._softness = np.zeros(len(normals))

    def refresh(self, terms: tuple[Term, ...]) -> None:
        """Take up the terms' present linearisation."""
        stiffness = np.zeros(len(self._normals))
        for term in terms:
            term.stiffness_along(self._normals, stiffness)
        self._softness = 1.0 / np.maximum(stiffness, 1e-300)

    def solve(self, right: Vectors) -> Vectors:
        """About the displacement (n, 3) m that forces right (n, 3) N would bring."""
        out = np.zeros_like(right)
        for span, factor in self._factors:
            factor.solve(np.ascontiguousarray(right[span]), out[span])
        _add_along(self._normals, self._softness, right, out)
        return out


@njit(cache=True)
def _add_along(normals, softness, right, out):
    """Add softness (n,) m/N along each unit normal (n, 3) times right (n, 3) N to out (n, 3) m."""
    for v in range(right.shape[0]):
        along = softness[v] * (
            normals[v, 0] * right[v, 0] + normals[v, 1] * right[v, 1] + normals[v, 2] * right[v, 2]
        )
        for k in range(3):
            out[v, k] += along * normals[v, k]


def conjugate_gradients(
    terms: tuple[Term, ...],
    gradient: Vectors,
    preconditioner: Preconditioner,
    held: Flags,
    iterations: int,
    tolerance: float,
    still: float = 0.0,
    hint: Vectors | None = None,
) -> tuple[Vectors, int]:
    """Step (n, 3) m that lowers the linearised energy, and the iterations it took.

    Begins with the share of `hint` (n, 3) m, from none to all, that lowers it most. Stops when the
    preconditioned residual has fallen to `tolerance` of the first, or where the Hessian has no curvature left
    along the search direction. A hint costs as much as an iteration and counts as one; without any, a first
    preconditioned residual that moves nothing by `still` m gives no step.
    """
    step, product = np.zeros_like(gradient), np.zeros_like(gradient)
    residual, hinted = -gradient, int(hint is not None)
    if hint is not None:
        for term in terms:
            term.product(hint, product)
        curvature = _curvature(hint, product, held)
        if curvature > 0.0:
            _descend(step, hint, residual, product, min(max(inner(residual, hint) / curvature, 0.0), 1.0))
    shaped = preconditioner.solve(residual)
    if hint is None and largest(shaped) <= still:
        return step, 0
    search = shaped.copy()
    energy = first = inner(residual, shaped)
    for iteration in range(1, iterations + 1):
        if energy <= 0.0:
            return step, hinted + iteration - 1
        product[:] = 0.0
        for term in terms:
            term.product(search, product)
        curvature = _curvature(search, product, held)
        if curvature <= 0.0:
            return (step if step.any() else search), hinted + iteration
        _descend(step, search, residual, product, energy / curvature)
        shaped = preconditioner.solve(residual)
        following = inner(residual, shaped)
        if following <= tolerance**2 * first:
            return step, hinted + iteration
        _turn(search, shaped, following / energy)
        energy = following
    return step, hinted + iterations


@njit(cache=True)
def _curvature(search, product, held):
    """The product with held rows left out, and its inner product with the search direction.

    search (n, 3) m; product (n, 3) N; held (n,) bool.
    """
    result = 0.0
    for v in range(search.shape[0]):
        if held[v]:
            product[v, 0], product[v, 1], product[v, 2] = 0.0, 0.0, 0.0
        else:
            result += search[v, 0] * product[v, 0] + search[v, 1] * product[v, 1] + search[v, 2] * product[v, 2]
    return result


@njit(cache=True)
def _descend(step, search, residual, product, length):
    """Take a step of `length` along the search direction; all arrays (n, 3)."""
    for v in range(step.shape[0]):
        for k in range(3):
            step[v, k] += length * search[v, k]
            residual[v, k] -= length * product[v, k]


@njit(cache=True)
def _turn(search, shaped, share):
    """The next search direction from the shaped residual; arrays (n, 3)."""
    for v in range(search.shape[0]):
        for k in range(3):
            search[v, k] = shaped[v, k] + share * search[v, k]
