"""Footage: the frames of a take, all garments of it in one array, beside the run that they belong to."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from scipy import sparse
from scipy.sparse.csgraph import dijkstra

from ...model.errors import ShotError
from ...model.typed import Flags, Indices, Points, Scalars, Vectors
from ...solver.outfit import Outfit
from ..cast.colliders import Colliders
from ..run.outfit_run import OutfitRun


@dataclass(frozen=True, eq=False)
class Footage:
    """A take of f frames and n vertices.

    run     the garments made ready, innermost first, and the colliders
    points  (f, n, 3) float32 m, as kept
    first   number of the first frame; begins: the first that is judged, those before only tell the history
    """

    run: OutfitRun
    points: NDArray[np.float32]
    first: int
    begins: int

    def __post_init__(self) -> None:
        if self.points.ndim != 3 or self.points.shape[1:] != (self.worn.count, 3):
            raise ShotError(
                f"the frames have {self.points.shape[1]:,} vertices, the garments {self.worn.count:,}",
                remedy="Bring in a cache of these garments",
            )

    @property
    def worn(self) -> Outfit:
        """The garments as one outfit."""
        return self.run.outfit

    @property
    def last(self) -> int:
        """Number of the last frame."""
        return self.first + len(self.points) - 1

    @property
    def rate(self) -> float:
        """Frames a second."""
        return self.run.plan.frame_rate

    @property
    def judged(self) -> range:
        """The frames that are judged."""
        return range(self.begins, self.last + 1)

    def at(self, frame: int) -> Points:
        """Positions (n, 3) m at a frame; beyond either end the cloth goes on as it went."""
        index = frame - self.first
        if 0 <= index < len(self.points):
            return self.points[index].astype(np.float64)
        end = 0 if index < 0 else len(self.points) - 1
        inner = min(max(end + (1 if index < 0 else -1), 0), len(self.points) - 1)
        here, there = self.points[end].astype(np.float64), self.points[inner].astype(np.float64)
        return here + (here - there) * abs(index - end)

    def colliders(self, frame: int) -> Colliders:
        """The colliders that are on in a frame."""
        return self.run.colliders.at_work(frame)

    def bodies(self, frame: float) -> Points:
        """Where the colliders are, (k, 3) m, as they make room for cloth."""
        return self.run.driver.bodies(frame)

    def room(self, frame: float) -> Vectors | None:
        """How far parts that close on cloth are drawn in there, (k, 3) m; None for nowhere."""
        return self.run.driver.room(frame)

    def with_patch(self, patch: Patch) -> Footage:
        """The footage with a patch laid over it; nothing else changes a bit."""
        points = self.points.copy()
        points[np.ix_(np.array(patch.frames) - self.first, patch.vertices)] = patch.points
        return replace(self, points=points)


@dataclass(frozen=True, eq=False)
class Patch:
    """What a remedy changes: vertices (q,) of the outfit in g frames go to points (g, q, 3) float32 m."""

    vertices: Indices
    frames: tuple[int, ...]
    points: NDArray[np.float32]

    def furthest(self, footage: Footage) -> float:
        """The greatest way from footage to the patch, m."""
        before = footage.points[np.ix_(np.array(self.frames) - footage.first, self.vertices)]
        return float(np.linalg.norm(self.points - before, axis=2).max(initial=0.0))


@dataclass(frozen=True)
class Span:
    """Frames first to last, both in, that are mended in full; over `join` frames before and after the remedy
    comes in and goes out softly.
    """

    first: int
    last: int
    join: int = 4

    def share(self, frame: float) -> float:
        """From 0 outside to 1 within, with no corner in between."""
        away = max(self.first - frame, frame - self.last, 0.0) / (self.join + 1)
        return smooth(1.0 - away)

    def frames(self, footage: Footage) -> range:
        """All frames that may change, within the judged ones."""
        return range(max(self.first - self.join, footage.begins), min(self.last + self.join, footage.last) + 1)


def smooth(share: float) -> float:
    """0 below 0, 1 above 1, a cubic with level ends in between."""
    t = min(max(share, 0.0), 1.0)
    return t * t * (3.0 - 2.0 * t)


@dataclass(frozen=True, eq=False)
class Region:
    """A place on the cloth: weights (n,) from 0, where nothing changes, to 1, where a remedy acts in full."""

    weights: Scalars

    @property
    def core(self) -> Flags:
        """(n,) where it acts in full."""
        return np.asarray(self.weights >= 1.0)

    @property
    def vertices(self) -> Indices:
        """All that may change (q,)."""
        return np.flatnonzero(self.weights > 0).astype(np.int32)


def region_around(worn: Outfit, chosen: Flags, reach: float, rim: float, *, held: bool = False) -> Region:
    """The cloth within `reach` m of chosen vertices (n,), along the cloth, and a soft rim of `rim` m around it.

    Held vertices stay out of it, unless `held`. `ShotError` when nothing is left.
    """
    away = along_cloth(worn, np.flatnonzero(chosen).astype(np.int32), reach + rim)
    share = np.clip(1.0 - (away - reach) / max(rim, 1e-9), 0.0, 1.0)
    weights = np.where(share >= 1.0, 1.0, share**2 * (3.0 - 2.0 * share))
    if not held:
        weights[worn.held] = 0.0
    if not (weights > 0).any():
        raise ShotError(
            "all of this place is held, so that nothing there can move", where="the region",
            remedy="Choose cloth beside the hold, or change the hold",
        )  # fmt: skip
    return Region(weights)


def along_cloth(worn: Outfit, sources: Indices, most: float) -> Scalars:
    """How far (n,) m each vertex is from the nearest source along edges at rest; inf beyond `most` m.

    Source: E. Dijkstra, A note on two problems in connexion with graphs, 1959 (SciPy).
    """
    if len(sources) == 0:
        return np.full(worn.count, np.inf)
    away = dijkstra(edge_graph(worn), directed=False, indices=sources, limit=most, min_only=True)
    return np.asarray(away, np.float64)


def edge_graph(worn: Outfit) -> sparse.csr_matrix:
    """The edges of an outfit as a graph (n, n), m at rest."""
    rows, columns, lengths = [], [], []
    for cloth, span in zip(worn.cloths, worn.spans, strict=True):
        edges = cloth.topology.edges + span.start
        rows.append(edges[:, 0])
        columns.append(edges[:, 1])
        lengths.append(cloth.rest_lengths)
    entries = (np.concatenate(lengths), (np.concatenate(rows), np.concatenate(columns)))
    return sparse.csr_matrix(sparse.coo_matrix(entries, shape=(worn.count, worn.count)))


def quiet(_share: float) -> None:
    """Tell nobody how far it is."""
