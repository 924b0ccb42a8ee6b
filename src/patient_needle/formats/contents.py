"""What a file of meshes and motion holds: a list to choose from, and one mesh with all that moves it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from ..core.geometry.skinning import Pose, Skeleton, Skin
from ..core.model.errors import CastError
from ..core.model.mesh import Mesh
from ..core.model.tolerances import DEFAULT
from ..core.model.typed import Points, Scalars

Moves = Literal["not at all", "by points", "by joints", "as a whole"]


@dataclass(frozen=True)
class Stated:
    """What a file says of itself, None for nothing: metres per unit, upward axis, samples a second."""

    metres: float | None = None
    up: Literal["y", "z"] | None = None
    rate: float | None = None


@dataclass(frozen=True)
class FileTime:
    """When a file says that its motion is: frames a second, the number of its first frame, how many it has."""

    rate: float | None = None
    first: int | None = None
    count: int | None = None


@dataclass(frozen=True)
class Piece:
    """One mesh of a file: counts, size (x, y, z) in file units, how it moves and over which of its frames."""

    name: str
    vertices: int
    faces: int
    size: tuple[float, float, float]
    moves: Moves = "not at all"
    first: float | None = None
    last: float | None = None
    shapes: tuple[str, ...] = ()


@dataclass(frozen=True)
class CacheInShort:
    """Positions over time without a mesh: they move a mesh that has as many points."""

    points: int
    frames: int
    first: float | None = None


@dataclass(frozen=True)
class ValuesInShort:
    """Values of vertices: of which mesh, what they are called, how many."""

    mesh: str
    name: str
    count: int


@dataclass(frozen=True)
class Contents:
    """All that a file holds. animations: names of what can be chosen, if it can; picture: width and height in
    pixels of a grey picture; notes: what the file names that is not read.
    """

    stated: Stated
    pieces: tuple[Piece, ...]
    animations: tuple[str, ...] = ()
    cache: CacheInShort | None = None
    values: tuple[ValuesInShort, ...] = ()
    picture: tuple[int, int] | None = None
    notes: tuple[str, ...] = ()


@dataclass(frozen=True)
class FigureAsk:
    """Which mesh and animation of a file, None for its first; rate: poses a second, None for the file's own."""

    mesh: str | None = None
    animation: str | None = None
    rate: float | None = None


@dataclass(frozen=True, eq=False)
class SkinnedSource:
    """A skin, its skeleton and a pose for each frame at the rate asked for; file units."""

    skin: Skin
    skeleton: Skeleton
    poses: tuple[Pose, ...]


@dataclass(frozen=True, eq=False)
class Figure:
    """One mesh of a file and its motion, in file units and axes.

    joints: when it is moved by a skeleton; frames (f, n, 3) float32 at the file's own `stated.rate`: when it is
    moved by points or as a whole; neither when it stands. first: the file's own number of the first frame.
    shapes: named offsets (n, 3) from the mesh, as made; amounts: how far those that have keys are taken on at
    each frame at the rate asked for, (f,); notes: what was mended in reading; decimal: the mesh was written as
    text, in decimal numbers.
    """

    mesh: Mesh
    stated: Stated
    joints: SkinnedSource | None = None
    frames: NDArray[np.float32] | None = None
    first: float | None = None
    shapes: dict[str, Points] = field(default_factory=dict)
    amounts: dict[str, Scalars] = field(default_factory=dict)
    notes: tuple[str, ...] = ()
    decimal: bool = False


def unique(names: Sequence[str]) -> list[str]:
    """The same names in order, those that stand twice with a number: a, a, b gives a, a 2, b."""
    out: list[str] = []
    taken: set[str] = set()
    tried: dict[str, int] = {}
    for name in names:
        free = plain = name or "unnamed"
        while free in taken:
            tried[plain] = tried.get(plain, 1) + 1
            free = f"{plain} {tried[plain]}"
        taken.add(free)
        out.append(free)
    return out


def size_of(points: Points) -> tuple[float, float, float]:
    """Extent along x, y and z."""
    low, high = points.min(axis=0), points.max(axis=0)
    return tuple(float(v) for v in high - low)  # type: ignore[return-value]


def balanced(weights: np.ndarray, where: str) -> tuple[np.ndarray, tuple[str, ...]]:
    """Weights (n, k) that add up to 1, and what was done to make them; `CastError` where there are none."""
    total = weights.sum(axis=1)
    bad = ~np.isfinite(weights).all(axis=1) | (weights < 0).any(axis=1) | ~(total > 0)
    if bad.any():
        raise CastError(
            f"{int(bad.sum())} vertices have no skin weight that counts",
            where=f"{where}, vertex {int(np.argmax(bad))}",
            remedy="Bind these vertices to a joint and export again",
        )
    off = np.abs(total - 1) > DEFAULT.weight_sum * 20
    said = f"the skin weights of {int(off.sum())} vertices did not add up to 1 and were scaled"
    return weights / total[:, None], (said,) if off.any() else ()
