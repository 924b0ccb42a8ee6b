"""The linearised Hessian, what preconditions it, and conjugate gradients."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import NamedTuple, Protocol

import numpy as np
from numba import njit
from scipy import sparse

from ..model.tolerances import LEAST_FIXING, LOCAL_BENDING, MOST_SOLVES
from ..model.typed import Flags, Points, Scalars, Vectors
from .cholesky import Cholesky
from .cloth import Cloth
from .factor import Factor, SideBySide, factorised
from .stiffness import Blocks, Stiffness
from .sums import inner, largest

# Factors are made for steps of 1/STEP s and RUNGS to each doubling of it.
STEP, RUNGS = 96.0, 4
MOST_FACTORS = 16


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


class Term(Protocol):
    """One part of the energy a substep minimises.

    lagged: whether taking the gradient changes what `energy` means (friction follows the last push).
    """

    lagged: bool

    def gradient(self, x: Points, out: Vectors) -> float:
        """Add the gradient, keep the linearisation, return the energy."""

    def energy(self, x: Points) -> float:
        """The energy alone."""

    def stiffen(self, stiffness: Blocks) -> None:
        """Add the linearised Hessian, as far as the matrix has a place for it: all blocks of the diagonal."""

    def product(self, p: Vectors, out: Vectors) -> None:
        """Add the product of what `stiffen` leaves out."""


class Hessian:
    """The linearised Hessian of a tuple of terms, over a matrix whose room it uses."""

    def __init__(self, terms: tuple[Term, ...], stiffness: Stiffness) -> None:
        self._terms, self._stiffness = terms, stiffness

    def refresh(self) -> None:
        """Take up the terms' present linearisation."""
        self._stiffness.clear()
        for term in self._terms:
            term.stiffen(self._stiffness)
        self._stiffness.close()

    def product(self, p: Vectors, held: Flags, out: Vectors) -> float:
        """The product with p (n, 3) into out (n, 3), 0 in held rows (n,); the inner product of p with the
        outcome.
        """
        out[:] = 0.0
        for term in self._terms:
            term.product(p, out)
        return self._stiffness.product(p, held, out)

    @property
    def matrix(self) -> Stiffness:
        """All but what `product` adds of the terms."""
        return self._stiffness

    def along(self, directions: Vectors) -> Scalars:
        """Each vertex's own stiffness (n,) N/m along its direction (n, 3)."""
        return self._stiffness.along(directions)


@dataclass(frozen=True, eq=False)
class Factored:
    """Factors of one cloth for one length of step: of motion anywhere, and of motion along the normals with the
    diagonal (n,) N/m of that. Without the second where each vertex's own stiffness serves as well.
    """

    anywhere: Factor
    along_normals: Factor | None
    diagonal: Scalars


@dataclass(frozen=True, eq=False)
class Together:
    """Solves with the factors of an outfit of n vertices; diagonal (n,) N/m of those along the normals, 0
    without.

    of: the factors themselves.
    """

    solves: SideBySide
    diagonal: Scalars
    of: tuple[Factored, ...]


def together(factors: Sequence[tuple[slice, Factored]]) -> Together:
    """The factors of each cloth over its slice of the vertices, made ready."""
    diagonal = np.zeros(max((span.stop for span, _ in factors), default=0))
    along = [(span, one.along_normals) for span, one in factors if one.along_normals is not None]
    for span, one in factors:
        if one.along_normals is not None:
            diagonal[span] = one.diagonal
    solves = SideBySide([(span, one.anywhere) for span, one in factors], along)
    return Together(solves, diagonal, tuple(one for _, one in factors))


class Factors:
    """Cholesky factors for each length of step: of inertia + rest-shape membrane, and of inertia + flat
    bending.

    Source of the constant operator: S. Bouaziz et al., Projective dynamics, SIGGRAPH 2014; as a preconditioner:
    T. Liu et al., Quasi-Newton methods for real-time simulation, TOG 2017. Bending is left out of the first:
    next to a membrane that is stiff in every direction it changes no iteration count. It is what holds motion
    along the normals, to which a membrane is blind.

    Steps are rounded to a few rungs, since a factor for a step a little longer serves as well; so is the
    stiffness with which soft holds fix vertices. The latest few factors are kept.
    """

    def __init__(self, cloth: Cloth) -> None:
        self._cloth = cloth
        self._membrane = rest_operator(cloth, cloth.weft, cloth.warp)
        self._retardation = float(cloth.stretch_retardation.mean())
        self._bending = _flat_bending(cloth)
        self._made: dict[tuple[float, float, bytes, bytes | None], Factored] = {}

    def for_step(
        self, step: float, held: Flags, fixing: Scalars | None = None, air_drag: float = 0.0
    ) -> Factored:
        """The factors for substeps of about `step` s with `held` (n,) prescribed and the others fixed by about
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

    def _factorise(self, step: float, held: Flags, fixing: Scalars | None, air_drag: float) -> Factored:
        cloth = self._cloth
        reach = step * 2 / 3
        own = cloth.mass / reach**2 + air_drag * cloth.vertex_areas / reach
        if fixing is not None:
            own = own + fixing
        free, rest = sparse.diags((~held).astype(float)), sparse.diags(held.astype(float))

        def with_own(matrix: sparse.csr_matrix) -> sparse.csr_matrix:
            return (free @ (matrix + sparse.diags(own)) @ free + rest).tocsr()

        rows, stiffness = self._bending
        bent = with_own(rows.T @ sparse.diags(stiffness * (1 + cloth.bend_retardation / step)) @ rows)
        diagonal = bent.diagonal()
        reaching = float(np.median((diagonal / own)[~held])) > LOCAL_BENDING if not held.all() else False
        return Factored(
            factorised(with_own(self._membrane * (1 + self._retardation / step))),
            factorised(bent) if reaching else None,
            diagonal,
        )


def _flat_bending(cloth: Cloth) -> tuple[sparse.csr_matrix, Scalars]:
    """Angles (h, n) rad/m of a flat cloth's hinges by heights, and stiffness (h,) N m of the hinges."""
    hinges = cloth.hinges
    at = np.repeat(np.arange(len(hinges)), 4)
    values = (cloth.bend_rows / cloth.hinge_lengths[:, None]).ravel()
    return sparse.csr_matrix((values, (at, hinges.ravel())), (len(hinges), cloth.count)), cloth.bend


def _rounded(stiffness: Scalars) -> Scalars:
    """To powers of two, what hardly counts to none: a factor need not follow every turn of a key."""
    counts = stiffness > LEAST_FIXING
    out = np.zeros_like(stiffness)
    out[counts] = 2.0 ** np.round(np.log2(stiffness[counts]))
    return out


class Preconditioner(Protocol):
    """About the inverse of a Hessian."""

    def refresh(self, hessian: Hessian) -> None:
        """Take up the present linearisation."""

    def solve(self, right: Vectors, out: Vectors) -> float:
        """About the displacement that forces right (n, 3) N would bring, into out (n, 3) m; the work they would
        do.
        """
        ...


class Exact:
    """The Cholesky factor of all that lies in the Hessian's matrix.

    Of what ties single vertices together with as much as finds room, see `Dissection`. A factor serves several
    passes of Newton's method: it is made anew after a pass that took many solves with it.
    """

    def __init__(self, room: Callable[[], Cholesky]) -> None:
        self._room, self._solves = room, MOST_SOLVES + 1
        self._factor: Cholesky | None = None

    def refresh(self, hessian: Hessian) -> None:
        """Take up the present linearisation, if the last one does not serve any more."""
        if self._solves > MOST_SOLVES:
            self._factor = self._factor or self._room()
            self._factor.factorise(hessian.matrix, *hessian.matrix.tied())
        self._solves = 0

    def solve(self, right: Vectors, out: Vectors) -> float:
        """As `Preconditioner` has it."""
        assert self._factor is not None
        self._solves += 1
        self._factor.solve(right, out)
        return float(inner(right, out))


class Summed:
    """What costs little: a sum of three parts (additive Schwarz: M. Dryja and O. Widlund, 1987).

    The constant factor of the membrane sees the cloth as stiff in every direction. Along its normals cloth is
    softer by orders of magnitude, so motion there would count as converged while it has hardly begun. So there
    come with it: the factor of inertia and flat bending along the normals, which knows how cloth swings and
    sags as a whole, scaled down where contact or tension stiffens a vertex; and the inverse of each vertex's
    true stiffness along its normal. Each cloth has its own factors, over its slice of the vertices. It is blind
    to cloth that folds without stretching, which moves along normals that turn from one vertex to the next.
    """

    def __init__(self, together: Together, normals: Vectors, held: Flags) -> None:
        self._solves, self._diagonal = together.solves, together.diagonal
        self._normals = np.where(held[:, None], 0.0, normals)
        self._softness = np.zeros(len(normals))
        self._scale = np.zeros(len(normals))
        self._force, self._moved = np.zeros(len(normals)), np.zeros(len(normals))

    def refresh(self, hessian: Hessian) -> None:
        """Take up the present linearisation."""
        self._softness = 1.0 / np.maximum(hessian.along(self._normals), 1e-300)
        self._scale = np.sqrt(np.minimum(1.0, self._diagonal * self._softness))

    def solve(self, right: Vectors, out: Vectors) -> float:
        """As `Preconditioner` has it."""
        _along(self._normals, self._scale, right, self._force)
        self._solves.solve(right, self._force, out, self._moved)
        return float(_add_along(self._normals, self._scale, self._moved, self._softness, right, out))


@njit(cache=True)
def _along(normals, scale, right, out):
    """Scale (n,) times right (n, 3) along each unit normal (n, 3), into out (n,)."""
    for v in range(out.shape[0]):
        out[v] = scale[v] * (
            normals[v, 0] * right[v, 0] + normals[v, 1] * right[v, 1] + normals[v, 2] * right[v, 2]
        )


@njit(cache=True)
def _add_along(normals, scale, moved, softness, right, out):
    """Add scale (n,) times moved (n,) m, and softness (n,) m/N times right (n, 3) N, along each unit normal (n,
    3) to out (n, 3) m; the inner product of right and out, J.
    """
    work = 0.0
    for v in range(right.shape[0]):
        along = scale[v] * moved[v] + softness[v] * (
            normals[v, 0] * right[v, 0] + normals[v, 1] * right[v, 1] + normals[v, 2] * right[v, 2]
        )
        for k in range(3):
            out[v, k] += along * normals[v, k]
            work += out[v, k] * right[v, k]
    return work


class Descent(NamedTuple):
    """step (n, 3) m; iterations it took; converged, whether those were enough."""

    step: Vectors
    iterations: int
    converged: bool


def conjugate_gradients(
    hessian: Hessian,
    gradient: Vectors,
    preconditioner: Preconditioner,
    held: Flags,
    iterations: int,
    tolerance: float,
    still: float = 0.0,
    hint: Vectors | None = None,
) -> Descent:
    """A step that lowers the linearised energy.

    Begins with the share of `hint` (n, 3) m, from none to all, that lowers it most. Stops when the
    preconditioned residual has fallen to `tolerance` of the first, or where the Hessian has no curvature left
    along the search direction. A hint costs as much as an iteration and counts as one; without any, a first
    preconditioned residual that moves nothing by `still` m gives no step.
    """
    step, product = np.zeros_like(gradient), np.zeros_like(gradient)
    residual, hinted = -gradient, int(hint is not None)
    if hint is not None:
        curvature = hessian.product(hint, held, product)
        if curvature > 0.0:
            _descend(step, hint, residual, product, min(max(inner(residual, hint) / curvature, 0.0), 1.0))
    shaped = np.zeros_like(gradient)
    energy = first = preconditioner.solve(residual, shaped)
    if hint is None and largest(shaped) <= still:
        return Descent(step, 0, True)
    search = shaped.copy()
    for iteration in range(1, iterations + 1):
        if energy <= 0.0:
            return Descent(step, hinted + iteration - 1, True)
        curvature = hessian.product(search, held, product)
        if curvature <= 0.0:
            return Descent(step if step.any() else search, hinted + iteration, True)
        _descend(step, search, residual, product, energy / curvature)
        following = preconditioner.solve(residual, shaped)
        if following <= tolerance**2 * first:
            return Descent(step, hinted + iteration, True)
        _turn(search, shaped, following / energy)
        energy = following
    return Descent(step, hinted + iterations, False)


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
