"""Where a garment is meshed finer, as a map drawn on it says."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from scipy.spatial import cKDTree

from ...model.errors import ShotError
from ...model.maps import ChalkMap
from ...model.mesh import Mesh, Topology
from ...model.typed import Points, Scalars, Vectors
from ..garments.rings import Course, FromRings, Size
from ..garments.surface import GarmentSurface
from .drawing import drawn
from .inputs import MapInputs

STEEPEST = 0.25  # m of edge length for each m of cloth, the most by which it grows
SWEEPS = 60
AROUND = 4  # vertices that a size is read off
SMALLEST, LARGEST = 0.1, 4.0  # times the spacing


def sizes_on(mesh: Mesh, chalk: ChalkMap, spacing: float, near: MapInputs) -> Scalars:
    """The edge length (n,) m wanted at each vertex of a mesh: the spacing times what a map means there, growing
    no faster than triangles can. `ShotError` for a map that cannot be drawn on this mesh, or means nonsense.
    """
    surface = GarmentSurface.of(mesh)
    means: Scalars = chalk.means(drawn(chalk, surface, None, near))
    if not (means.min() >= SMALLEST and means.max() <= LARGEST):
        raise ShotError(
            f"its 0 and 1 mean {means.min():g} to {means.max():g} times the spacing",
            where=f"map '{chalk.name}'", remedy=f"Keep it from {SMALLEST:g} to {LARGEST:g}",
        )  # fmt: skip
    return graded(mesh.vertices, surface.topology, spacing * means)


def graded(points: Points, topology: Topology, sizes: Scalars) -> Scalars:
    """Sizes (n,) m that grow by STEEPEST at most from a vertex to the next; none is larger than it was."""
    a, b = topology.edges[:, 0], topology.edges[:, 1]
    grows = STEEPEST * np.linalg.norm(points[a] - points[b], axis=1)
    out = sizes.copy()
    for _ in range(SWEEPS):
        before = out.copy()
        np.minimum.at(out, a, before[b] + grows)
        np.minimum.at(out, b, before[a] + grows)
        if np.array_equal(out, before):
            break
    return out


def size_on_rings(base: FromRings, courses: Sequence[Course], sizes: Scalars) -> Size:
    """Sizes (n,) m of a skirt's vertices at any place of its courses, by the nearest few."""
    tree = cKDTree(base.on_tube(courses))
    top = np.array([course.top for course in courses])
    hem, deep = np.array([c.hem for c in courses]), np.array([c.depth for c in courses])
    above = np.concatenate([[0.0], np.cumsum(deep)[:-1]])

    def size(course: int, fraction: Scalars, depth: Scalars) -> Scalars:
        share = np.clip(depth / deep[course], 0.0, 1.0)
        radius = (top[course] + share * (hem - top)[course]) / 2 / np.pi
        turn = 2 * np.pi * fraction
        down = above[course] + share * deep[course]
        places: Vectors = np.stack([radius * np.sin(turn), -down, radius * np.cos(turn)], axis=1)
        away, near = tree.query(places, AROUND)
        weight = 1.0 / (away + 1e-4)
        return np.asarray(np.average(sizes[near], axis=1, weights=weight))

    return size
