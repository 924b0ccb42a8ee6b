"""Simple solids fitted to points by least squares of their distance from the solid's surface.

Signed distances of box, capsule and capped cylinder: I. Quilez, Distance functions, from memory. The solver is
SciPy's trust region reflective (M. Branch, T. Coleman, Y. Li, SIAM J. Sci. Comput. 21, 1999). An open tube
hardly says how large a ball it is part of, so that sizes are kept near those of the points' own extent.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import trimesh
from scipy.optimize import least_squares
from scipy.spatial import ConvexHull
from scipy.spatial.transform import Rotation

from ..model.typed import Points, Scalars, Triangles

MOST_POINTS = 600  # of a part, evenly taken: more do not change the fit
MOST_FACES = 200  # of one solid
LOOSE = np.log(1.3)  # how far, as a factor, a size may leave the extent of the points
Solid = tuple[Points, Triangles]


def fit(shape: str, points: Points, spacing: float) -> Solid:
    """A closed solid, "box", "sphere", "capsule", "cylinder" or "hull", fitted to points (n, 3) m, n >= 4.

    Its triangles have edges of about `spacing` m. `ValueError` for points that lie on one plane or spot.
    """
    if len(points) < 4 or np.linalg.matrix_rank(points - points.mean(axis=0), tol=1e-6) < 3:
        raise ValueError("the points have no volume")
    few = points[:: max(1, len(points) // MOST_POINTS)]
    makers: dict[str, Callable[[Points, float], trimesh.Trimesh]] = {
        "box": _box, "sphere": _sphere, "capsule": _capsule, "cylinder": _cylinder,
        "hull": lambda _points, _spacing: _hull(points),
    }  # fmt: skip
    solid = makers[shape](few, spacing)
    faces = np.asarray(solid.faces, np.int32)
    return np.asarray(solid.vertices, float), faces if solid.volume > 0 else faces[:, ::-1]


def _frame(points: Points) -> tuple[Points, np.ndarray, Points]:
    """Middle, principal axes (columns, longest first) and half extents of points."""
    mean = points.mean(axis=0)
    axes = np.linalg.svd(points - mean, full_matrices=False)[2].T
    axes[:, 2] *= np.sign(np.linalg.det(axes))
    along = (points - mean) @ axes
    low, high = along.min(axis=0), along.max(axis=0)
    return mean + axes @ ((low + high) / 2), axes, np.maximum((high - low) / 2, 1e-4)


def _solved(residuals: Callable[[Scalars], Scalars], guess: Scalars, sizes: int, reach: float) -> Scalars:
    """From a guess: a middle (3) that stays within `reach`, a turn if any, then logs of `sizes` lengths."""
    room = np.concatenate([np.full(3, reach), np.full(len(guess) - 3 - sizes, np.inf), np.full(sizes, LOOSE)])
    return np.asarray(least_squares(residuals, guess, bounds=(guess - room, guess + room), max_nfev=100).x)


def _box(points: Points, spacing: float) -> trimesh.Trimesh:
    middle, axes, half = _frame(points)
    guess = np.concatenate([middle, Rotation.from_matrix(axes).as_rotvec(), np.log(half)])

    def residuals(x: Scalars) -> Scalars:
        local = np.abs((points - x[:3]) @ Rotation.from_rotvec(x[3:6]).as_matrix()) - np.exp(x[6:])
        outside = np.linalg.norm(np.maximum(local, 0), axis=1)
        return np.asarray(outside + np.minimum(local.max(axis=1), 0))

    x = _solved(residuals, guess, 3, half[2])
    solid = trimesh.creation.box(extents=2 * np.exp(x[6:]))
    whole = np.eye(4)
    whole[:3, :3], whole[:3, 3] = Rotation.from_rotvec(x[3:6]).as_matrix(), x[:3]
    return _finer(solid.apply_transform(whole), spacing)


def _sphere(points: Points, spacing: float) -> trimesh.Trimesh:
    def residuals(x: Scalars) -> Scalars:
        return np.asarray(np.linalg.norm(points - x[:3], axis=1) - np.exp(x[3]))

    middle, _, half = _frame(points)
    mean = np.linalg.norm(points - middle, axis=1).mean()
    x = _solved(residuals, np.append(middle, np.log(mean)), 1, half[0])
    radius = float(np.exp(x[3]))
    rounds = int(np.clip(np.ceil(np.log2(max(1.05 * radius / spacing, 1.0))), 1, 3))
    return trimesh.creation.icosphere(rounds, radius).apply_translation(x[:3])


def _rod(points: Points, distance: Callable[[Scalars, Scalars, float, float], Scalars]) -> Scalars:
    """Middle (3), turn (3), log of half length and of radius of a solid of revolution that fits best."""
    middle, axes, half = _frame(points)
    axes = axes[:, [1, 2, 0]]  # the longest axis becomes z, around which it turns
    guess = np.concatenate([middle, Rotation.from_matrix(axes).as_rotvec(), np.log([half[0], half[1:].mean()])])

    def residuals(x: Scalars) -> Scalars:
        local = (points - x[:3]) @ Rotation.from_rotvec(x[3:6]).as_matrix()
        return distance(np.hypot(local[:, 0], local[:, 1]), np.abs(local[:, 2]), *np.exp(x[6:]))

    return _solved(residuals, guess, 2, half[1])


def _capsule(points: Points, spacing: float) -> trimesh.Trimesh:
    def distance(out: Scalars, up: Scalars, half: float, radius: float) -> Scalars:
        return np.asarray(np.hypot(out, np.maximum(up - max(half - radius, 0.0), 0.0)) - radius)

    x = _rod(points, distance)
    half, radius = np.exp(x[6:])
    around = int(np.clip(2 * np.pi * radius / spacing, 8, 64))
    straight = 2 * max(half - radius, 1e-4)
    solid = trimesh.creation.capsule(height=straight, radius=radius, count=[max(4, around // 2 * 2), around])
    solid.apply_translation([0, 0, -solid.bounds.mean(axis=0)[2]])
    return _placed(solid, x)


def _cylinder(points: Points, spacing: float) -> trimesh.Trimesh:
    def distance(out: Scalars, up: Scalars, half: float, radius: float) -> Scalars:
        a, b = out - radius, up - half
        return np.asarray(np.hypot(np.maximum(a, 0), np.maximum(b, 0)) + np.minimum(np.maximum(a, b), 0))

    x = _rod(points, distance)
    half, radius = np.exp(x[6:])
    sections = int(np.clip(2 * np.pi * radius / spacing, 8, 64))
    return _placed(
        _finer(trimesh.creation.cylinder(radius=radius, height=2 * half, sections=sections), 2 * spacing), x
    )


def _hull(points: Points) -> trimesh.Trimesh:
    hull = ConvexHull(points)
    solid = trimesh.Trimesh(points, hull.simplices, process=False)
    solid.remove_unreferenced_vertices()
    solid.fix_normals()
    return solid


def _placed(solid: trimesh.Trimesh, x: Scalars) -> trimesh.Trimesh:
    whole = np.eye(4)
    whole[:3, :3], whole[:3, 3] = Rotation.from_rotvec(x[3:6]).as_matrix(), x[:3]
    return solid.apply_transform(whole)


def _finer(solid: trimesh.Trimesh, spacing: float) -> trimesh.Trimesh:
    points, faces = refined(np.asarray(solid.vertices), np.asarray(solid.faces), spacing, MOST_FACES)[:2]
    return trimesh.Trimesh(points, faces, process=False)


def refined(
    points: Points, triangles: Triangles, spacing: float, most: int
) -> tuple[Points, Triangles, Triangles]:
    """Every triangle split in four until no edge is longer than `spacing` m, or more than `most` would come.

    Gives points, triangles, and for each point the two earlier points that it lies midway between, rows (a, b);
    a == b for those that were there.
    """
    parents = [(i, i) for i in range(len(points))]
    while len(triangles) * 4 <= most and _longest(points, triangles) > spacing:
        edges = np.sort(triangles[:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2), axis=1)
        unique, where = np.unique(edges, axis=0, return_inverse=True)
        middle = len(points) + where.reshape(-1, 3)
        points = np.concatenate([points, points[unique].mean(axis=1)])
        parents += [(int(a), int(b)) for a, b in unique]
        a, b, c = triangles.T
        ab, bc, ca = middle.T
        triangles = np.concatenate(
            [np.stack(one, axis=1) for one in ((a, ab, ca), (ab, b, bc), (ca, bc, c), (ab, bc, ca))]
        )
    return points, triangles.astype(np.int32), np.array(parents, np.int32)


def _longest(points: Points, triangles: Triangles) -> float:
    sides = points[triangles] - points[np.roll(triangles, 1, axis=1)]
    return float(np.linalg.norm(sides, axis=2).max())
