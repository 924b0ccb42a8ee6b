"""Constant sparse matrices of a cloth's rest shape, and their Cholesky factors."""

from __future__ import annotations

import numpy as np
from cholespy import CholeskySolverD, MatrixType
from scipy import sparse

from ..model.typed import Scalars
from .cloth import Cloth


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
