"""The baseline: plain XPBD with small substeps, one iteration each, constraints in colours.

Source: M. Macklin et al., Small steps in physics simulation, SCA 2019. The same material as the engine's: warp,
weft and shear of each triangle, solved together (3 x 3), and springs across the hinges for bending.
"""

from __future__ import annotations

import numpy as np
from numba import njit, prange


@njit(cache=True)
def _colours(elements, count):
    used = np.zeros(count, np.uint64)
    out = np.zeros(elements.shape[0], np.int32)
    for i in range(elements.shape[0]):
        taken = np.uint64(0)
        for k in range(elements.shape[1]):
            taken |= used[elements[i, k]]
        colour = 0
        while (taken >> np.uint64(colour)) & np.uint64(1):
            colour += 1
        out[i] = colour
        for k in range(elements.shape[1]):
            used[elements[i, k]] |= np.uint64(1) << np.uint64(colour)
    return out


def in_colours(elements: np.ndarray, count: int) -> tuple[np.ndarray, np.ndarray]:
    """Order (m,) of elements by colour and where each colour starts: no two of a colour share a vertex."""
    colour = _colours(elements, count)
    return np.argsort(colour, kind="stable"), np.concatenate([[0], np.cumsum(np.bincount(colour))])


@njit(parallel=True, cache=True)
def _membrane(x, weight, triangles, rest, compliance, starts):
    for c in range(starts.shape[0] - 1):
        for i in prange(starts[c], starts[c + 1]):
            a, b, d = triangles[i, 0], triangles[i, 1], triangles[i, 2]
            p, q, r, s = rest[i, 0], rest[i, 1], rest[i, 2], rest[i, 3]
            e0, e1, e2 = x[b, 0] - x[a, 0], x[b, 1] - x[a, 1], x[b, 2] - x[a, 2]
            f0, f1, f2 = x[d, 0] - x[a, 0], x[d, 1] - x[a, 1], x[d, 2] - x[a, 2]
            u0, u1, u2 = e0 * p + f0 * r, e1 * p + f1 * r, e2 * p + f2 * r
            v0, v1, v2 = e0 * q + f0 * s, e1 * q + f1 * s, e2 * q + f2 * s
            lu, lv = np.sqrt(u0 * u0 + u1 * u1 + u2 * u2), np.sqrt(v0 * v0 + v1 * v1 + v2 * v2)
            u0, u1, u2, v0, v1, v2 = u0 / lu, u1 / lu, u2 / lu, v0 / lv, v1 / lv, v2 / lv
            shear = u0 * v0 + u1 * v1 + u2 * v2
            wa, wb, wd = weight[a], weight[b], weight[d]
            pr, qs = p + r, q + s
            kuu = wa * pr * pr + wb * p * p + wd * r * r
            kvv = wa * qs * qs + wb * q * q + wd * s * s
            kuv = wa * pr * qs + wb * p * q + wd * r * s
            m00, m11 = kuu + compliance[i, 0], kvv + compliance[i, 1]
            m01, m02, m12 = kuv * shear, kuu * shear + kuv, kvv * shear + kuv
            m22 = kuu + kvv + 2 * kuv * shear + compliance[i, 2]
            c00, c01, c02 = m11 * m22 - m12 * m12, m02 * m12 - m01 * m22, m01 * m12 - m02 * m11
            det = m00 * c00 + m01 * c01 + m02 * c02
            if det == 0.0:
                continue
            c11, c12, c22 = m00 * m22 - m02 * m02, m01 * m02 - m00 * m12, m00 * m11 - m01 * m01
            l0 = -(c00 * (lu - 1) + c01 * (lv - 1) + c02 * shear) / det
            l1 = -(c01 * (lu - 1) + c11 * (lv - 1) + c12 * shear) / det
            l2 = -(c02 * (lu - 1) + c12 * (lv - 1) + c22 * shear) / det
            g0, g1, g2 = l0 * u0 + l2 * v0, l0 * u1 + l2 * v1, l0 * u2 + l2 * v2
            h0, h1, h2 = l1 * v0 + l2 * u0, l1 * v1 + l2 * u1, l1 * v2 + l2 * u2
            x[b, 0] += wb * (p * g0 + q * h0)
            x[b, 1] += wb * (p * g1 + q * h1)
            x[b, 2] += wb * (p * g2 + q * h2)
            x[d, 0] += wd * (r * g0 + s * h0)
            x[d, 1] += wd * (r * g1 + s * h1)
            x[d, 2] += wd * (r * g2 + s * h2)
            x[a, 0] -= wa * (pr * g0 + qs * h0)
            x[a, 1] -= wa * (pr * g1 + qs * h1)
            x[a, 2] -= wa * (pr * g2 + qs * h2)


@njit(parallel=True, cache=True)
def _springs(x, weight, ends, rest, compliance, starts):
    for c in range(starts.shape[0] - 1):
        for j in prange(starts[c], starts[c + 1]):
            a, b = ends[j, 0], ends[j, 1]
            d0, d1, d2 = x[a, 0] - x[b, 0], x[a, 1] - x[b, 1], x[a, 2] - x[b, 2]
            length = np.sqrt(d0 * d0 + d1 * d1 + d2 * d2)
            total = weight[a] + weight[b] + compliance
            if total == 0.0 or length == 0.0:
                continue
            s = -(length - rest[j]) / (total * length)
            x[a, 0] += weight[a] * s * d0
            x[a, 1] += weight[a] * s * d1
            x[a, 2] += weight[a] * s * d2
            x[b, 0] -= weight[b] * s * d0
            x[b, 1] -= weight[b] * s * d1
            x[b, 2] -= weight[b] * s * d2


@njit(cache=True)
def run(x, v, weight, membrane, bending, gravity, step, substeps):
    """Advance x and v (n, 3) in place by `substeps` of `step` s; weight (n,) 1/kg, 0 where held."""
    triangles, rest, compliance, starts = membrane
    ends, lengths, softness, colours = bending
    before = np.empty_like(x)
    for _ in range(substeps):
        for i in range(x.shape[0]):
            for k in range(3):
                before[i, k] = x[i, k]
                if weight[i] > 0:
                    v[i, k] += step * gravity[k]
                    x[i, k] += step * v[i, k]
        _membrane(x, weight, triangles, rest, compliance, starts)
        _springs(x, weight, ends, lengths, softness, colours)
        for i in range(x.shape[0]):
            for k in range(3):
                v[i, k] = (x[i, k] - before[i, k]) / step
