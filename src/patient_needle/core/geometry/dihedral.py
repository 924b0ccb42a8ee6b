"""Dihedral angles and the constant bending operator of a triangle mesh's hinges."""

from __future__ import annotations

import numpy as np

from ..model.typed import Indices, Points, Scalars, Vectors
from .normals import unit


def dihedral_angles(points: Points, hinges: Indices) -> Scalars:
    """Signed angle between the two triangles of each hinge, (h,) rad; 0 when they are flat.

    hinges (h, 4): edge a, b, opposite c (left of a to b) and d. Positive when the fold rises toward the
    normals.
    """
    a, b, c, d = (points[hinges[:, k]] for k in range(4))
    left = unit(np.cross(b - a, c - a))
    right = unit(np.cross(d - a, b - a))
    along = unit(b - a)
    sine = np.einsum("ij,ij->i", np.cross(left, right), along)
    return np.arctan2(sine, np.einsum("ij,ij->i", left, right))


def flat_bending_rows(points: Points, hinges: Indices) -> Vectors:
    """Coefficients (h, 4) whose product with a, b, c, d is the edge's length times its bend.

    Source: M. Bergou et al., A quadratic bending model for inextensible surfaces, 2006.
    """
    a, b, c, d = (points[hinges[:, k]] for k in range(4))
    ac, bc = _cotangent(a, b, c), _cotangent(b, a, c)
    ad, bd = _cotangent(a, b, d), _cotangent(b, a, d)
    return np.stack([bc + bd, ac + ad, -(ac + bc), -(ad + bd)], axis=1)


def _cotangent(at: Points, one: Points, other: Points) -> Scalars:
    u, v = one - at, other - at
    return np.einsum("ij,ij->i", u, v) / np.linalg.norm(np.cross(u, v), axis=1)
