"""Diagnostics of a frame: cost, stretch, energies; and how many substeps it takes."""

from __future__ import annotations

import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field

import numpy as np

from ..geometry.triangles import lengths
from ..model.tolerances import LADDER, Patience
from ..model.typed import Flags, Points, Scalars, Vectors
from .bending import Bending
from .cloth import Cloth
from .membrane import Membrane, SewnMembrane

STAGES = ("search", "solve", "filter", "friction")


def furthest(before: Points, after: Points) -> float:
    """How far the fastest of k points goes from before to after (k, 3) m; 0 without points."""
    return float(lengths(after - before).max(initial=0.0))


def substeps_for(patience: Patience, travel: float, stretch: float = 1.0, least: float = 1.0) -> int:
    """Substeps for a frame in which the fastest collider point goes `travel` m.

    The patience's own number, `least`, or the rung of the ladder at which that point travels no further in a
    substep than the patience allows. A frame that lasts `stretch` times as long for the cloth takes as many
    times more.
    """
    longer = max(1, int(np.ceil(stretch - 1e-9)))
    wanted = max(patience.substeps, least / longer, travel / (longer * patience.travel))
    return longer * next((rung for rung in LADDER if rung >= wanted), LADDER[-1])


@dataclass
class FrameTally:
    """Sums over the substeps of one frame. The clock is read here only; nothing decides by it.

    hard_solves: solves whose first pass needed the matrix's own factor. All later solves of the frame begin
    with it.
    """

    milliseconds: dict[str, float] = field(default_factory=lambda: dict.fromkeys(STAGES, 0.0))
    substeps: int = 0
    newton_passes: int = 0
    cg_iterations: int = 0
    accept_rounds: int = 0
    rows: int = 0
    active_rows: int = 0
    filter_moved: float = 0.0
    filter_moves: list[float] = field(default_factory=list)
    cuts: int = 0
    let_go: int = 0
    line_searches_failed: int = 0
    hard_solves: int = 0

    @contextmanager
    def stage(self, name: str) -> Iterator[None]:
        """Time one stage."""
        start = time.perf_counter()
        yield
        self.milliseconds[name] += (time.perf_counter() - start) * 1e3


@dataclass(frozen=True)
class Stretch:
    """Strain of simulated edges: 99th percentile, worst and the edge of the worst; `held` is the worst strain
    of edges between two held vertices, which the animation gives them.
    """

    p99: float
    worst: float
    worst_edge: tuple[int, int]
    held: float


def stretch(cloth: Cloth, points: Points) -> Stretch:
    """Strain of the cloth's edges at points (n, 3) m."""
    strain, held = edge_strains(cloth, points)
    a, b = cloth.topology.edges[:, 0], cloth.topology.edges[:, 1]
    given = float(strain[held].max()) if held.any() else 0.0
    if held.all():
        return Stretch(0.0, 0.0, (int(a[0]), int(b[0])), given)
    worst = int(np.argmax(np.where(held, -np.inf, strain)))
    return Stretch(
        float(np.percentile(strain[~held], 99)),
        float(strain[worst]),
        (int(a[worst]), int(b[worst])),
        given,
    )


def edge_strains(cloth: Cloth, points: Points) -> tuple[Scalars, Flags]:
    """Strain (e,) of every edge at points (n, 3) m, and which (e,) lie between two held vertices."""
    a, b = cloth.topology.edges[:, 0], cloth.topology.edges[:, 1]
    strain = np.linalg.norm(points[a] - points[b], axis=1) / cloth.rest_lengths - 1
    return strain, cloth.held[a] & cloth.held[b]


@dataclass(frozen=True)
class Energies:
    """J of a whole cloth: of its motion, its height above the origin against gravity, and its shape."""

    motion: float
    height: float
    stretch: float
    shear: float
    bend: float


def energies(
    cloth: Cloth, membrane: Membrane | SewnMembrane, bending: Bending, x: Points, v: Vectors, gravity: Vectors
) -> Energies:
    """Energy by kind at x (n, 3) m and v (n, 3) m/s; membrane and bending are the cloth's own terms."""
    stretched, sheared = membrane.stored(x)
    return Energies(
        motion=float(0.5 * cloth.mass @ (v**2).sum(axis=1)),
        height=float(-cloth.mass @ (x @ gravity)),
        stretch=stretched,
        shear=sheared,
        bend=bending.stored(x),
    )


def beyond_limit(cloth: Cloth, membrane: Membrane | SewnMembrane, points: Points) -> int:
    """How many triangles are stretched beyond the main fabric's strain limit; 0 without one."""
    if cloth.fabric.strain_limit is None:
        return 0
    strains = membrane.strains(points)
    return int((strains[:, :2].max(axis=1) > cloth.fabric.strain_limit).sum())
