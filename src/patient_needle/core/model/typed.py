"""Aliases for arrays. The comment says shape, dtype and unit; the type says the dtype."""

from __future__ import annotations

from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

Points: TypeAlias = NDArray[np.float64]  # (n, 3) m
Vectors: TypeAlias = NDArray[np.float64]  # (n, 3)
Scalars: TypeAlias = NDArray[np.float64]  # (n,)
Triangles: TypeAlias = NDArray[np.int32]  # (m, 3) vertex indices
Edges: TypeAlias = NDArray[np.int32]  # (m, 2) vertex indices, lower index first
Indices: TypeAlias = NDArray[np.int32]  # (n,)
Longs: TypeAlias = NDArray[np.int64]  # (n,)
Flags: TypeAlias = NDArray[np.bool_]  # (n,)
Matrices: TypeAlias = NDArray[np.float64]  # (n, 3, 3) or (n, 4, 4)
Quaternions: TypeAlias = NDArray[np.float64]  # (n, 4) x y z w, unit length
