"""A collar, a knitted neck scarf, knitted cuffs, and the cloth lanterns that hang over the quay."""

from __future__ import annotations

import igl
import numpy as np
from scipy import sparse
from scipy.interpolate import CubicSpline
from scipy.sparse.csgraph import connected_components

from patient_needle.core.geometry.topology import border_loops, build_topology

# Middle line of the left half of the scarf, from behind the neck to its end on the chest, and where it faces.
LINE = np.array(
    [
        (0.000, 1.520, -0.118), (0.062, 1.518, -0.098), (0.098, 1.508, -0.040), (0.104, 1.490, 0.020),
        (0.100, 1.458, 0.080), (0.092, 1.410, 0.124), (0.086, 1.340, 0.145), (0.082, 1.260, 0.150),
        (0.080, 1.170, 0.150),
    ]
)  # fmt: skip
FACING = np.array(
    [
        (0.0, 0.15, -1.0), (0.6, 0.15, -0.8), (1.0, 0.2, -0.25), (0.95, 0.3, 0.25), (0.65, 0.45, 0.7),
        (0.3, 0.35, 1.0), (0.1, 0.1, 1.0), (0.0, 0.0, 1.0), (0.0, 0.0, 1.0),
    ]
)  # fmt: skip
COLLAR_EASE, CUFF_EASE = 0.012, 0.010  # m off the body
WIDTH, SPACING = 0.06, 0.015


ROUNDS, EASE = 60, 0.010  # m off what it lies on


def build_scarf(vertices: np.ndarray, triangles: np.ndarray):
    """Vertices, faces by group and UVs in metres of a strip round the neck, laid on a surface (n, 3), (m, 3).

    Its groups are nape and ends.
    """
    line = np.concatenate([(LINE * [-1, 1, 1])[:0:-1], LINE])
    facing = np.concatenate([(FACING * [-1, 1, 1])[:0:-1], FACING])
    along = np.concatenate([[0], np.cumsum(np.linalg.norm(np.diff(line, axis=0), axis=1))])
    place, normal = CubicSpline(along, line), CubicSpline(along, facing)
    rows = round(along[-1] / SPACING)
    across = round(WIDTH / SPACING)
    u = np.linspace(0, along[-1], rows + 1)
    centre, tangent = place(u), place(u, 1)
    tangent /= np.linalg.norm(tangent, axis=1, keepdims=True)
    side = np.cross(normal(u), tangent)
    side /= np.linalg.norm(side, axis=1, keepdims=True)
    points, uvs, index = [], [], np.zeros((rows + 1, across + 1), int)
    for row in range(rows + 1):
        for column in range(across + 1):
            v = (column / across - 0.5) * WIDTH
            index[row, column] = len(points)
            points.append(centre[row] + v * side[row])
            uvs.append((v + WIDTH / 2, u[row]))
    middle, nape, body = along[-1] / 2, [], []
    for row in range(rows):
        for column in range(across):
            a, b = index[row, column], index[row, column + 1]
            d, c = index[row + 1, column], index[row + 1, column + 1]
            cut = [[a, b, c], [a, c, d]] if (row + column) % 2 else [[a, b, d], [b, c, d]]
            (nape if abs(u[row] - middle) < 0.09 else body).extend([[int(v) for v in face] for face in cut])
    faces = np.array(nape + body)
    laid = _laid(np.array(points), faces, np.array(uvs), vertices, triangles)
    return laid, {"nape": nape, "ends": body}, np.array(uvs)


def build_collar(vertices: np.ndarray, triangles: np.ndarray):
    """Vertices and faces of a collar that lies round the neck on the shoulders, copied off the body."""
    x, y, _ = vertices[triangles].mean(axis=1).T
    neck = (y > 1.475) & (np.abs(x) < 0.09)
    return eased(vertices, triangles, triangles[(y > 1.385) & (np.abs(x) < 0.15) & ~neck], COLLAR_EASE)


def build_cuffs(vertices: np.ndarray, triangles: np.ndarray):
    """Vertices and faces by side of a pair of knitted cuffs on the forearms."""
    x = vertices[triangles].mean(axis=1)[:, 0]
    points, groups = [], {}
    for side, sign in (("left", 1), ("right", -1)):
        one, made = eased(vertices, triangles, triangles[(sign * x > 0.44) & (sign * x < 0.545)], CUFF_EASE)
        groups[side] = [[v + sum(map(len, points)) for v in face] for face in made]
        points.append(one)
    return np.concatenate(points), groups


def eased(vertices: np.ndarray, triangles: np.ndarray, faces: np.ndarray, ease: float):
    """The largest piece of some faces of a body, eased off it and smoothed, its borders evened out."""
    label = connected_components(_beside(faces, len(vertices)), directed=False)[1][faces[:, 0]]
    used, faces = np.unique(faces[label == np.bincount(label).argmax()], return_inverse=True)
    faces = faces.reshape(-1, 3)
    loops = border_loops(build_topology(faces.astype(np.int32), len(used), name="eased"))
    inner = np.setdiff1d(np.arange(len(used)), np.concatenate(loops))
    beside = _beside(faces, len(used))
    normals = igl.per_vertex_normals(vertices, triangles.astype(np.int64))
    points = vertices[used] + ease * normals[used]
    for _ in range(40):
        middle = (beside @ points) / np.asarray(beside.sum(axis=1)).reshape(-1, 1)
        points[inner] += 0.4 * (middle - points)[inner]
        for loop in loops:
            near = np.roll(points[loop], 1, 0) + np.roll(points[loop], -1, 0)
            points[loop] += 0.2 * (near - 2 * points[loop])
        points = _off(points, vertices, triangles, ease)
    return points, faces.tolist()


def _beside(faces: np.ndarray, count: int):
    edges = np.concatenate([faces[:, [0, 1]], faces[:, [1, 2]], faces[:, [2, 0]]])
    near = sparse.coo_matrix((np.ones(len(edges)), edges.T), (count, count))
    return ((near + near.T) > 0).astype(float)


def _off(points, vertices, triangles, ease: float):
    """Points at least `ease` m outside a surface."""
    squared, face, nearest = igl.point_mesh_squared_distance(points, vertices, triangles.astype(np.int64))
    a, b, c = (vertices[triangles[face, k]] for k in range(3))
    normal = np.cross(b - a, c - a)
    normal /= np.linalg.norm(normal, axis=1, keepdims=True)
    away = np.sign(np.einsum("ij,ij->i", points - nearest, normal)) * np.sqrt(squared)
    return points + np.maximum(ease - away, 0)[:, None] * normal


def _laid(points, faces, uvs, vertices, triangles):
    """The strip eased out of a surface, its edges about as long as in the pattern."""
    edges = np.concatenate([faces[:, [0, 1]], faces[:, [1, 2]], faces[:, [2, 0]]])
    edges = np.unique(np.sort(edges, axis=1), axis=0)
    length = np.linalg.norm(uvs[edges[:, 0]] - uvs[edges[:, 1]], axis=1)
    degree = np.bincount(edges.ravel(), minlength=len(points))[:, None]
    for _ in range(ROUNDS):
        points = _off(points, vertices, triangles, EASE)
        for _ in range(6):
            along = points[edges[:, 0]] - points[edges[:, 1]]
            now = np.linalg.norm(along, axis=1)
            step = (0.5 * (now - length) / now)[:, None] * along
            moved = np.zeros_like(points)
            np.add.at(moved, edges[:, 0], -step)
            np.add.at(moved, edges[:, 1], step)
            points = points + 1.6 * moved / degree
    return points


def build_lantern(radius: float = 0.13, height: float = 0.15):
    """A closed round lantern about its middle, even triangles; its groups are crown and paper."""
    points, faces = _ball(3)
    points = points * [radius, height, radius]
    crown = points[faces][:, :, 1].min(axis=1) > 0.8 * height
    return points, {"crown": faces[crown].tolist(), "paper": faces[~crown].tolist()}


def _ball(rounds: int):
    """A unit icosahedron whose faces are cut in four `rounds` times."""
    golden = (1 + 5**0.5) / 2
    corners = [(s, t * golden, 0.0) for s in (-1, 1) for t in (-1, 1)]
    points = np.array(corners + [(0.0, *c[:2]) for c in corners] + [(c[1], 0.0, c[0]) for c in corners])
    points /= np.linalg.norm(points[0])
    near = np.linalg.norm(points[:, None] - points[None], axis=2) < 1.06
    count = len(points)
    faces = [
        (a, b, c)
        for a in range(count) for b in range(a + 1, count) for c in range(b + 1, count)
        if near[a, b] and near[b, c] and near[a, c]
    ]  # fmt: skip
    faces = np.array([f if np.linalg.det(points[list(f)]) > 0 else (f[0], f[2], f[1]) for f in faces])
    for _ in range(rounds):
        points, faces = _quartered(points, faces)
    return points, faces


def _quartered(points, faces):
    edges = np.sort(np.concatenate([faces[:, [0, 1]], faces[:, [1, 2]], faces[:, [2, 0]]]), axis=1)
    unique, which = np.unique(edges, axis=0, return_inverse=True)
    middle = points[unique].sum(axis=1)
    middle /= np.linalg.norm(middle, axis=1, keepdims=True)
    ab, bc, ca = (which.reshape(3, -1) + len(points)).astype(int)
    a, b, c = faces.T
    cut = np.concatenate([np.stack(t, axis=1) for t in ((a, ab, ca), (ab, b, bc), (ca, bc, c), (ab, bc, ca))])
    return np.concatenate([points, middle]), cut
