"""Sums of 3 x 3 blocks."""

from __future__ import annotations

from numba import njit


@njit(cache=True, inline="always")
def add_square(diagonal, v, stiffness, a, b, c):
    """Add stiffness times (a, b, c) (a, b, c)^T to vertex v's block of diagonal (n, 6)."""
    diagonal[v, 0] += stiffness * a * a
    diagonal[v, 1] += stiffness * b * b
    diagonal[v, 2] += stiffness * c * c
    diagonal[v, 3] += stiffness * a * b
    diagonal[v, 4] += stiffness * a * c
    diagonal[v, 5] += stiffness * b * c


@njit(cache=True, inline="always")
def add_block(blocks, k, a, b, c, d, e, f, g, h, i):
    """Add the block of rows (a, b, c), (d, e, f), (g, h, i) to block k of blocks (b, 9)."""
    blocks[k, 0] += a
    blocks[k, 1] += b
    blocks[k, 2] += c
    blocks[k, 3] += d
    blocks[k, 4] += e
    blocks[k, 5] += f
    blocks[k, 6] += g
    blocks[k, 7] += h
    blocks[k, 8] += i
