"""A pattern: flat pieces with named edges, the seams between these, and where each piece hangs on a figure."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from functools import cached_property
from itertools import pairwise
from typing import Literal

import numpy as np
import shapely
from scipy.interpolate import CubicSpline

from ...model.errors import MeshError
from ...model.tolerances import GATHER_MOST, SEAM_UNEVEN
from ...model.typed import Scalars, Vectors

Layer = Literal["front", "back"]
BodyPart = Literal["torso", "left arm", "right arm", "left leg", "right leg", "neck"]
Place = tuple[float, float]
RunKey = tuple[str, str]  # piece, run
FINE, FINEST = 0.001, 200  # m between points of a smooth run; so many at most from one of its own to the next
MOST_OF_RUN, MOST_POINTS = 20_000, 100_000  # points that a smooth run is drawn with, and of a pattern in all
OTHER: dict[Layer, Layer] = {"front": "back", "back": "front"}


@dataclass(frozen=True)
class Run:
    """One named edge of a piece, from its first point to the first point of the next run.

    points  (x, y) m, at least the first; smooth: a curve through them, else straight from one to the next
    """

    name: str
    points: tuple[Place, ...]
    smooth: bool = False


@dataclass(frozen=True)
class Hang:
    """Where a piece hangs before it is sewn.

    part    the part of the figure that it goes round
    layer   before or behind the figure; of a folded piece, the layer of its leftmost part
    folds   x of upright lines m at which the piece is folded to the other layer
    at      (x, y) m, where its origin lies as seen from the front, from the part's own place: the floor below
            the middle for the torso and legs, the shoulder for arms, for the neck the neck's root
    turn    degrees counter-clockwise as seen from the front; round the part's own direction for arms and legs
    follows runs, in order, that it is laid along as the cloth that they are sewn to runs; none: laid as cut
    """

    part: BodyPart = "torso"
    layer: Layer = "front"
    folds: tuple[float, ...] = ()
    at: Place = (0.0, 0.0)
    turn: float = 0.0
    follows: tuple[str, ...] = ()


@dataclass(frozen=True)
class Line:
    """A line drawn within a piece, (x, y) m."""

    name: str
    points: tuple[Place, ...]


@dataclass(frozen=True)
class Notch:
    """A mark at `along` m from the beginning of a run."""

    run: str
    along: float


@dataclass(frozen=True)
class Piece:
    """A flat piece of cloth.

    runs   its edges, counter-clockwise as seen from the cloth's outside
    grain  degrees counter-clockwise that warp is turned from y
    """

    name: str
    runs: tuple[Run, ...]
    hang: Hang = Hang()
    grain: float = 0.0
    lines: tuple[Line, ...] = ()
    notches: tuple[Notch, ...] = ()

    @cached_property
    def edges(self) -> dict[str, Vectors]:
        """Each run as a line (k, 2) m, from corner to corner."""
        out: dict[str, Vectors] = {}
        for run, after in zip(self.runs, (*self.runs[1:], self.runs[0]), strict=True):
            through = np.array([*run.points, after.points[0]], float)
            out[run.name] = curve_through(through) if run.smooth and len(through) > 2 else through
        return out

    @cached_property
    def outline(self) -> shapely.Polygon:
        """The piece as a polygon, m."""
        return shapely.Polygon(np.concatenate([edge[:-1] for edge in self.edges.values()]))

    def length(self, run: str) -> float:
        """Length of a run, m."""
        return length_of(self.edges[run])

    @property
    def area(self) -> float:
        """m2."""
        return float(self.outline.area)

    def check(self) -> None:
        """`MeshError` for an outline that is none, or marks that are not on it."""
        empty = [run.name for run in self.runs if not run.points]
        if empty:
            raise MeshError(
                f"its edge '{empty[0]}' has no point", where=self._where(), remedy="Give at least its corner"
            )
        if sum(len(run.points) for run in self.runs) < 3:
            raise MeshError("an outline needs at least three points", where=self._where())
        twice = [name for name, count in Counter(run.name for run in self.runs).items() if count > 1]
        if twice:
            raise MeshError(
                f"two of its edges are called '{twice[0]}'", where=self._where(), remedy="Rename one"
            )
        points = np.array([point for run in self.runs for point in run.points])
        if not np.isfinite(points).all() or np.abs(points).max() > FURTHEST:
            raise MeshError(
                "a point is not finite, or more than 100 m away", where=self._where(), remedy="Move that point"
            )
        apart = np.linalg.norm(points - np.roll(points, -1, axis=0), axis=1)
        if apart.min() < 1e-4:
            x, y = points[int(np.argmin(apart))] * 1e3
            raise MeshError(
                "two points of the outline lie on each other", where=f"{self._where()}, ({x:.0f}, {y:.0f}) mm",
                remedy="Take one of them out",
            )  # fmt: skip
        outline = self.outline
        if not outline.is_valid:
            raise MeshError(
                "the outline crosses itself", where=f"{self._where()}, {_crossing(outline)}",
                remedy="Move a point so that it does not",
            )  # fmt: skip
        if outline.area < 1e-5:
            raise MeshError("the outline has no area", where=self._where(), remedy="Draw it wider")
        if not shapely.LinearRing(outline.exterior.coords).is_ccw:
            raise MeshError(
                "the outline runs clockwise", where=self._where(),
                remedy="Give its points counter-clockwise, as seen from outside",
            )  # fmt: skip
        lost = [name for name in self.hang.follows if name not in self.edges]
        if lost:
            raise MeshError(
                f"it is laid along '{lost[0]}', which is not one of its edges", where=self._where(),
                remedy="Lay it along another edge, or as it is cut",
            )  # fmt: skip
        self._check_marks()

    def _check_marks(self) -> None:
        for notch in self.notches:
            if notch.run not in self.edges or not 0 <= notch.along <= self.length(notch.run):
                raise MeshError(
                    f"a notch lies {notch.along * 1e3:.0f} mm along '{notch.run}', which is off that edge",
                    where=self._where(),
                    remedy="Put it on the edge",
                )
        for line in self.lines:
            if not self.outline.buffer(1e-6).contains(shapely.LineString(line.points)):
                raise MeshError(
                    f"the line '{line.name}' leaves the piece", where=self._where(), remedy="Draw it within"
                )
        low, _, high, _ = self.outline.bounds
        for fold in self.hang.folds:
            if not low < fold < high:
                raise MeshError(
                    f"it is folded at x = {fold * 1e3:.0f} mm, which is beside it", where=self._where(),
                    remedy=f"Fold it between {low * 1e3:.0f} and {high * 1e3:.0f} mm",
                )  # fmt: skip

    def _where(self) -> str:
        return f"piece '{self.name}'"


FURTHEST = 100.0  # m from the origin of a piece


@dataclass(frozen=True)
class Seam:
    """Two sides that are sewn together, each of one run or several in order.

    one, other  runs by piece and name; the other side runs against the first, with it where `turned`
    gathers     whether a longer side is meant
    elastic     factor on the length of the shorter side
    bend        factor on the bending stiffness along the seam
    basted      the sides are not welded: links of no length hold them together, and can be let go
    every       m between the links of a basted seam, as between buttons; None: one at each vertex
    undone      whether a basted seam is let go
    """

    one: tuple[RunKey, ...]
    other: tuple[RunKey, ...]
    turned: bool = False
    gathers: bool = False
    elastic: float = 1.0
    bend: float = 1.0
    basted: bool = False
    every: float | None = None
    undone: bool = False

    @property
    def runs(self) -> tuple[RunKey, ...]:
        """Of both sides."""
        return (*self.one, *self.other)


@dataclass(frozen=True)
class SeamFit:
    """How the sides of a seam fit: their lengths m, and what is wrong in words, "" for nothing."""

    one: float
    other: float
    warning: str = ""

    @property
    def ratio(self) -> float:
        """The longer side over the shorter."""
        return max(self.one, self.other) / min(self.one, self.other)


@dataclass(frozen=True)
class Pattern:
    """Pieces and the seams between them."""

    pieces: tuple[Piece, ...]
    seams: tuple[Seam, ...]

    @cached_property
    def by_name(self) -> Mapping[str, Piece]:
        """Pieces by name."""
        return {piece.name: piece for piece in self.pieces}

    def side_length(self, side: tuple[RunKey, ...]) -> float:
        """Length of a side of a seam, m."""
        return sum(self.by_name[piece].length(run) for piece, run in side)

    def fit(self, seam: Seam) -> SeamFit:
        """How a seam's sides fit."""
        found = SeamFit(self.side_length(seam.one), self.side_length(seam.other))
        longer, shorter = max(found.one, found.other) * 1e3, min(found.one, found.other) * 1e3
        if seam.gathers or found.ratio <= 1 + SEAM_UNEVEN:
            return found
        why = (
            f"{longer:.0f} mm are sewn to {shorter:.0f} mm, {100 * (found.ratio - 1):.0f} % more; "
            "mark it as a gather, or make the sides equal"
        )
        return SeamFit(found.one, found.other, why)

    def check(self) -> None:
        """`MeshError` for a piece, or a seam, that cannot be."""
        if not self.pieces:
            raise MeshError("there are no pieces", remedy="Start from a block, or draw a piece")
        twice = [name for name, count in Counter(piece.name for piece in self.pieces).items() if count > 1]
        if twice:
            raise MeshError(f"two pieces are called '{twice[0]}'", remedy="Rename one of them")
        points = sum(len(run.points) for piece in self.pieces for run in piece.runs)
        if points > MOST_POINTS:
            raise MeshError(
                f"the pieces have {points:,} points, more than {MOST_POINTS:,}", remedy="Draw with fewer points"
            )
        for piece in self.pieces:
            piece.check()
        used: dict[RunKey, int] = {}
        for number, seam in enumerate(self.seams, 1):
            self._check_seam(number, seam, used)

    def _check_seam(self, number: int, seam: Seam, used: dict[RunKey, int]) -> None:
        where = f"seam {number}"
        if not seam.one or not seam.other:
            raise MeshError("a side of it has no edge", where=where, remedy="Choose an edge for both sides")
        for piece, run in seam.runs:
            if piece not in self.by_name or run not in self.by_name[piece].edges:
                raise MeshError(
                    f"there is no edge '{run}' of a piece '{piece}'", where=where, remedy="Choose another edge"
                )
            if (piece, run) in used:
                other = used[piece, run]
                what = "is sewn to itself" if other == number else f"is in seam {other} as well"
                raise MeshError(
                    f"the edge '{run}' of '{piece}' {what}", where=where,
                    remedy="Split the edge, or take one of the seams out",
                )  # fmt: skip
            used[piece, run] = number
        ratio = self.fit(seam).ratio
        if ratio > GATHER_MOST:
            raise MeshError(
                f"one side is {ratio:.1f} times as long as the other; at most {GATHER_MOST:g} times is sewn",
                where=where,
                remedy="Lengthen the shorter side, or shorten the longer",
            )
        if not 0.2 <= seam.elastic <= 1.0:
            raise MeshError(f"an elastic of {seam.elastic:g}", where=where, remedy="Give 0.2 to 1")
        if seam.every is not None and not 0.001 <= seam.every <= 10.0:
            raise MeshError(
                f"{seam.every * 1e3:g} mm between its links", where=where, remedy="Give 1 to 10,000 mm"
            )
        if not 0.0 <= seam.bend <= 100.0:
            raise MeshError(f"a bend factor of {seam.bend:g}", where=where, remedy="Give 0 to 100")

    def numbered(self) -> Iterator[tuple[int, Seam]]:
        """Seams and their numbers, from 1."""
        yield from enumerate(self.seams, 1)


def spline_through(points: Vectors) -> CubicSpline:
    """The smooth curve through points (q, 2), q at least 2, none on the next, over the length of its chords.

    A natural cubic spline (C. de Boor, A Practical Guide to Splines, 1978).
    """
    along = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(points, axis=0), axis=1))])
    return CubicSpline(along, points, bc_type="natural")


def curve_through(points: Vectors) -> Vectors:
    """A smooth line (k, 2) m through points (q, 2), q at least 2, as fine as FINE.

    Places on `spline_through` these.
    """
    spline = spline_through(points)
    along = spline.x
    finest = max(2, min(FINEST, MOST_OF_RUN // len(points)))
    steps = [min(finest, max(2, int(np.ceil((b - a) / FINE)))) for a, b in pairwise(along)]
    at = np.concatenate(
        [np.linspace(a, b, n, endpoint=False) for a, b, n in zip(along, along[1:], steps, strict=False)]
    )
    return np.concatenate([spline(at), points[-1:]])


def length_of(line: Vectors) -> float:
    """Length of a line (k, 2) or (k, 3), in its unit; 0 for one point."""
    return float(np.linalg.norm(np.diff(line, axis=0), axis=1).sum())


def at_shares(line: Vectors, shares: Scalars) -> Vectors:
    """Points (s, d) of a line (k, d) at shares (s,) of its length."""
    along = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(line, axis=0), axis=1))])
    at = np.asarray(shares) * along[-1]
    return np.stack([np.interp(at, along, line[:, axis]) for axis in range(line.shape[1])], axis=1)


def _crossing(outline: shapely.Polygon) -> str:
    """Where an outline crosses itself, in words."""
    reason = shapely.is_valid_reason(outline)
    inside = reason[reason.find("[") + 1 : reason.find("]")].split() if "[" in reason else []
    if len(inside) != 2:
        return reason.lower()
    return f"near ({float(inside[0]) * 1e3:.0f}, {float(inside[1]) * 1e3:.0f}) mm"
