"""Compiling the engine's kernels before anybody waits for them."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from scipy.spatial import ConvexHull

from ..core.contact.intersections import self_crossing_pairs
from ..core.contact.rows import Surroundings
from ..core.craft.inspect.looks import closeness_per_vertex
from ..core.geometry.decimation import decimated
from ..core.geometry.rest_metric import drawn_directions, shape_of_triangles
from ..core.model.fabric import Fabric
from ..core.model.tolerances import FIRST_LOOK
from ..core.solver.cloth import build_cloth
from ..core.solver.diagnostics import FrameTally
from ..core.solver.links import to_places
from ..core.solver.outfit import Wearing
from ..core.solver.state import Forces, Inflation, at_rest
from ..core.solver.step import Engine, Surround
from ..core.solver.sums import total


def warm(told: Callable[[int, int, str], None]) -> None:
    """Run each stage once on a tiny scene; kernels that were compiled before load at once."""
    stages = (
        ("sums", touch_threads),
        ("cloth without contact", lambda: _tiny(0)),
        ("search, contact and filter", lambda: _tiny(6)),
        ("reading and looking", _look),
    )
    for index, (what, run) in enumerate(stages, 1):
        told(index, len(stages), what)
        run()


def touch_threads() -> None:
    """Start the threading layer."""
    total(np.ones(3))
    _tiny(0)


def _look() -> None:
    """What the desk answers with."""
    points = np.array([[0.0, 0, 0], [1, 0, 0], [0, 1, 0]])
    triangles = np.array([[0, 1, 2]], np.int32)
    closeness_per_vertex(points + [0, 0, 0.01], points, triangles)
    corners = np.array([(x, y, z) for x in (0.0, 1) for y in (0.0, 1) for z in (0.0, 1)])
    hull = ConvexHull(corners).simplices.astype(np.int32)
    decimated(corners[None], hull, 4, np.zeros(8, bool))
    self_crossing_pairs(corners, hull)


def _tiny(substeps: int) -> None:
    """A square of cloth that falls onto a slab; without substeps, only one step in free air."""
    grid = np.stack(np.meshgrid(np.arange(4), np.arange(4), indexing="ij"), -1).reshape(-1, 2) * 0.01
    points = np.stack([grid[:, 0], np.full(16, 0.004), grid[:, 1]], 1)
    cells = [(4 * i + j, 4 * i + j + 1, 4 * i + j + 5, 4 * i + j + 4) for i in range(3) for j in range(3)]
    triangles = np.array([t for a, b, c, d in cells for t in ((a, b, c), (a, c, d))], np.int32)
    slab = points - [0.0, 0.004, 0.0]
    warp = drawn_directions(points, triangles, np.array([0.0, 0, 1]))
    cloth = build_cloth(
        shape_of_triangles("tiny", points, triangles, warp),
        Fabric("tiny", stretch_damping=1e-3, bend_damping=1e-3), np.zeros(16, bool),
    )  # fmt: skip
    colliders = slab if substeps else np.zeros((0, 3))
    faces = triangles if substeps else np.zeros((0, 3), np.int32)
    engine = Engine(
        cloth, colliders, faces, FIRST_LOOK, Forces(air_drag=0.1, calm=0.1), 0.003, against_itself=substeps > 0
    )
    around = Surroundings(
        np.full(len(faces), 0.003),
        np.zeros(len(faces)),
        np.full(len(faces), 0.3),
        np.zeros(len(faces), np.int32),
        np.zeros(1, np.int32),
    )
    state = at_rest(points, 1)
    for _ in range(max(1, substeps)):
        surround = Surround(
            colliders,
            colliders,
            np.zeros((0, 3)),
            around,
            np.ones_like(points),
            worn=(Wearing(inflation=Inflation(False, 1.0, 0.0)),),
            links=to_places(np.zeros(1, np.int32), points[:1], points[:1], np.ones(1), np.ones(1)),
        )
        state = engine.step(state, surround, 0.01, FrameTally())
    engine.unrest(state, surround)
    engine.wear[0].energies(state)
