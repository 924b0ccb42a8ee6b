"""Pieces from an SVG drawing: every closed shape is a piece, its corners part its edges.

The drawing is looked at before it is read: no entities, nothing from elsewhere, not larger than the bounds
below. Paths, basic shapes and transforms are svgelements'.
"""

from __future__ import annotations

import json
import re
from collections.abc import Iterator
from dataclasses import dataclass, replace
from io import BytesIO
from itertools import count, pairwise
from pathlib import Path
from xml.etree import ElementTree

import numpy as np
import shapely
import svgelements
from defusedxml import ElementTree as Guarded
from defusedxml.common import DefusedXmlException
from pydantic import ValidationError

from ...core.craft.sewing.pattern import Hang, Line, Notch, Piece, Place, Run, curve_through
from ...core.model.errors import FileError
from ...core.model.typed import Vectors
from ...core.model.units import from_mm
from ..contents import Contents, Stated
from ..shot_file.document import HangRecord
from ..shot_file.sewing import hang_of
from .units import ASKED, mm_per_unit

MOST_BYTES, MOST_NUMBERS, DEEPEST = 10_000_000, 200_000, 50  # two numbers for each of 100,000 points
TRUE = 1e-5  # m that a smooth edge may lie off the drawing's curve
CORNER = 12.0  # degrees from which on the outline's turn is a corner
SMALLEST = 1e-4  # m2: a closed shape under 1 cm2 is a mark
SAMPLES = 16  # places on each curve, where an edge through fewer points is compared with it
MOST_POINTS = 400  # of one smooth edge
_NUMBER = re.compile(r"[+-]?(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?")


@dataclass(frozen=True)
class Drawing:
    """What a drawing gave: pieces, and in words what was left out. size: the drawing's width and height in its
    own units. asks_unit: it does not say how long its unit is, so there are no pieces yet.
    """

    pieces: tuple[Piece, ...]
    notes: tuple[str, ...]
    size: tuple[float, float]
    asks_unit: bool = False


@dataclass(frozen=True, eq=False)
class _Shape:
    """A run of segments of the drawing, in m with y up; closed or open. said: its element's attributes."""

    name: str
    segments: tuple[Vectors, ...]  # control points (2, 2) of a line or (4, 2) of a curve
    closed: bool
    said: dict[str, str]

    def sampled(self) -> Vectors:
        """Places along it (k, 2)."""
        lines = [_bezier(points, SAMPLES)[:-1] for points in self.segments]
        return np.concatenate([*lines, self.segments[-1][-1:]])


def read_drawing(path: Path, unit: str | None = None) -> Drawing:
    """The pieces of a drawing. unit: how long its unit is, for one that does not say: mm, cm, in, pt or px.

    `FileError` for what is no drawing, or larger than is read; `MeshError` names a piece that cannot be.
    """
    root = _guarded(path)
    mm = mm_per_unit(root.attrib, str(path))
    if mm is None and unit is not None:
        if unit not in ASKED:
            raise FileError(
                f"the unit '{unit}' is not known", where=str(path), remedy=f"Give one of {', '.join(ASKED)}"
            )
        mm = ASKED[unit]
    shapes = list(_shapes(root, from_mm(1.0 if mm is None else mm), path))
    if not shapes:
        raise FileError(
            "it has no closed shape", where=str(path), remedy="Draw each piece as one closed outline"
        )
    every = np.concatenate([shape.sampled() for shape in shapes])
    width, height = (float(x) for x in (every.max(axis=0) - every.min(axis=0)) * 1e3)
    if mm is None:
        return Drawing((), (), (width, height), asks_unit=True)
    return _sorted_out(shapes, (width / mm, height / mm), path)


def list_drawing(path: Path) -> Contents:
    """That it is a drawing, and its unit if it says so: its pieces are read when its unit is known."""
    mm = mm_per_unit(_guarded(path).attrib, str(path))
    return Contents(Stated(metres=None if mm is None else from_mm(mm)), ())


def _guarded(path: Path) -> ElementTree.Element:
    """The drawing's tree, once it is known to be harmless and not too large."""
    where = str(path)
    if path.stat().st_size > MOST_BYTES:
        raise FileError(
            f"the drawing is larger than {MOST_BYTES // 1_000_000} MB", where=where,
            remedy="Export only the pattern's outlines",
        )  # fmt: skip
    depth = numbers = 0
    root = ElementTree.Element("none")
    try:
        for event, element in Guarded.iterparse(str(path), ("start", "end"), forbid_external=True):
            depth += 1 if event == "start" else -1
            if depth > DEEPEST:
                raise FileError(
                    f"its groups are nested deeper than {DEEPEST}", where=where, remedy="Ungroup the drawing"
                )
            if event == "start":
                _harmless(element, where)
                numbers += sum(len(_NUMBER.findall(element.get(name) or "")) for name in ("d", "points"))
                if numbers > MOST_NUMBERS:
                    raise FileError(
                        f"it has more than {MOST_NUMBERS // 2:,} points", where=where,
                        remedy="Export only the pattern's outlines, with fewer points",
                    )  # fmt: skip
                root = element if depth == 1 else root
    except DefusedXmlException:
        raise FileError(
            "it defines entities or refers to other files, which are not read", where=where,
            remedy="Export it as plain SVG",
        ) from None  # fmt: skip
    except ElementTree.ParseError as error:
        raise FileError(f"it is not XML ({error})", where=where, remedy="Export it as plain SVG") from None
    if _plain(root.tag) != "svg":
        raise FileError("it is XML but no SVG drawing", where=where, remedy="Export it as plain SVG")
    return root


def _harmless(element: ElementTree.Element, where: str) -> None:
    for name, value in element.attrib.items():
        if _plain(name) in ("href", "src") and not value.startswith("#"):
            raise FileError(
                "it refers to something outside the file, which is not read", where=where,
                remedy="Embed nothing: export the outlines alone",
            )  # fmt: skip
    if _plain(element.tag) == "use":
        raise FileError(
            "it draws copies of a shape by reference", where=where,
            remedy="Turn copies into shapes of their own, then export it again",
        )  # fmt: skip


def _plain(name: object) -> str:
    return str(name).rsplit("}", 1)[-1]


def _shapes(root: ElementTree.Element, metres: float, path: Path) -> Iterator[_Shape]:
    """Every drawn line of the tree whose user unit is `metres` long."""
    for name in ("width", "height", "viewBox", "preserveAspectRatio"):
        root.attrib.pop(name, None)
    for parent in root.iter():
        for child in parent:
            if _plain(child.tag) == "title" and child.text:
                parent.attrib.setdefault("data-title", child.text.strip())
    plain = ElementTree.tostring(root)
    numbers = count(1)
    try:
        found = svgelements.SVG.parse(BytesIO(plain), reify=True, ppi=96)
        for element in found.elements(lambda one: isinstance(one, svgelements.Shape)):
            said = {str(k): str(v) for k, v in element.values.items() if isinstance(v, (str, float, int))}
            if said.get("display") == "none" or said.get("visibility") in ("hidden", "collapse"):
                continue
            for part in svgelements.Path(element).as_subpaths():
                drawn = svgelements.Path(part)
                segments = tuple(_segments(drawn, metres))
                if segments:
                    called = _called(said)
                    ends = segments[0][0] - segments[-1][-1]
                    yield _Shape(
                        called or f"shape {next(numbers)}", segments, bool(np.abs(ends).max() < 1e-6), said
                    )
    except (ValueError, TypeError, ArithmeticError, IndexError, AttributeError, RecursionError) as error:
        raise FileError(
            f"a shape in it cannot be read ({type(error).__name__}: {str(error)[:80]})", where=str(path),
            remedy="Export it as plain SVG, with paths",
        ) from error  # fmt: skip


def _called(said: dict[str, str]) -> str:
    """What an element is called, as a name may be: no control character, no slash, 80 letters at most; "" for
    nothing that can be read.
    """
    whole = said.get("data-name") or said.get("data-title") or said.get("id") or ""
    name = " ".join(
        "".join(sign if sign.isprintable() and sign not in "/\\" else " " for sign in whole).split()
    )
    return name[:80].strip() if any(sign.isalnum() for sign in name[:80]) else ""


def _segments(drawn: svgelements.Path, metres: float) -> Iterator[Vectors]:
    """Control points of each line and cubic curve of a path, (2, 2) or (4, 2) m with y up."""
    for segment in drawn:
        if isinstance(segment, svgelements.Move) or segment.start is None or segment.end is None:
            continue
        if isinstance(segment, svgelements.Arc):
            cubics = [one for one in segment.as_cubic_curves() if one.start != one.end]
            yield from (_in_metres(metres, c.start, c.control1, c.control2, c.end) for c in cubics)
        elif isinstance(segment, svgelements.CubicBezier):
            yield _in_metres(metres, segment.start, segment.control1, segment.control2, segment.end)
        elif isinstance(segment, svgelements.QuadraticBezier):
            a, b, c = _in_metres(metres, segment.start, segment.control, segment.end)
            yield np.array([a, a + 2 / 3 * (b - a), c + 2 / 3 * (b - c), c])
        else:  # a line, or the one that closes the path
            line = _in_metres(metres, segment.start, segment.end)
            if np.abs(line[1] - line[0]).max() > 1e-7:
                yield line


def _in_metres(metres: float, *points: svgelements.Point) -> Vectors:
    return np.array([[point.x * metres, -point.y * metres] for point in points])


def _bezier(points: Vectors, steps: int) -> Vectors:
    """Places (steps + 1, 2) on a line or cubic curve of control points (2, 2) or (4, 2)."""
    return _at(points, np.linspace(0.0, 1.0, steps + 1))


def _sorted_out(shapes: list[_Shape], size: tuple[float, float], path: Path) -> Drawing:
    """Outlines as pieces, what lies within one as its line; in words, what is neither."""
    closed = [s for s in shapes if s.closed and "data-of" not in s.said]  # marks of ours say of what
    rings = [shapely.Polygon(shape.sampled()) for shape in closed]
    small = [ring.area < SMALLEST for ring in rings]
    outer = [
        not tiny and not any(
            other.area > ring.area and other.is_valid and other.contains(ring.representative_point())
            for other in rings
        )
        for ring, tiny in zip(rings, small, strict=True)
    ]  # fmt: skip
    made = [_piece(shape) for shape, whole in zip(closed, outer, strict=True) if whole]
    if not made:
        raise FileError(
            "it has no closed shape larger than 1 cm2", where=str(path),
            remedy="Draw each piece as one closed outline; check the drawing's unit",
        )  # fmt: skip
    within = [shape for shape, whole, tiny in zip(closed, outer, small, strict=True) if not whole and not tiny]
    loose = [shape for shape in shapes if shape not in closed]
    lost = 0
    for mark in (*within, *loose):
        lost += not _marked(made, mark)
    pieces = tuple(made_one.piece for made_one in _renamed(made))
    for piece in pieces:
        piece.check()
    notes = []
    if any(small):
        notes.append(f"{sum(small)} closed shapes smaller than 1 cm2 were left out")
    if lost:
        notes.append(f"{lost} lines that lie on no piece were left out")
    return Drawing(pieces, tuple(notes), size)


@dataclass(eq=False)
class _Made:
    """A piece on its way: where its own origin lies on the drawing, m, and its outline there."""

    piece: Piece
    origin: Vectors
    outline: shapely.Polygon


def _piece(shape: _Shape) -> _Made:
    """A closed shape as a piece."""
    sampled = shape.sampled()
    segments = shape.segments
    if not shapely.LinearRing(sampled).is_ccw:
        segments = tuple(points[::-1] for points in reversed(segments))
    origin = _origin(shape, sampled)
    segments = tuple(points - origin for points in segments)
    runs = _own_runs(shape, segments) or _found_runs(segments)
    hang, grain = _own_hang(shape, {run.name for run in runs})
    made = Piece(shape.name, runs, hang, grain)
    return _Made(made, origin, shapely.Polygon(sampled))


def _origin(shape: _Shape, sampled: Vectors) -> Vectors:
    """Where the piece's own origin lies: as its drawing says, else below its middle."""
    said = shape.said.get("data-origin", "").split()
    outline = shapely.Polygon(sampled)
    left, low, right, _ = outline.bounds
    plain = np.array([0.5 * (left + right), low])
    try:
        own = np.array([from_mm(float(said[0])), -from_mm(float(said[1]))])
    except (IndexError, ValueError):
        return plain
    return own if np.isfinite(own).all() else plain


def _own_runs(shape: _Shape, segments: tuple[Vectors, ...]) -> tuple[Run, ...]:
    """Edges as a drawing of ours names them; none where the outline was changed since."""
    try:
        edges = [
            (str(name), int(size), bool(smooth)) for name, size, smooth in json.loads(shape.said["data-edges"])
        ]
    except (KeyError, ValueError, TypeError):
        return ()
    if sum(size for _, size, _ in edges) != len(segments) or any(size < 1 for _, size, _ in edges):
        return ()
    runs, at = [], 0
    for name, size, smooth in edges:
        own = segments[at : at + size]
        at += size
        if smooth and size > 1 and not all(len(points) == 4 for points in own):
            return ()
        if not smooth and not all(len(points) == 2 for points in own):
            return ()
        runs.append(_run(name, own) if smooth else Run(name, tuple(_place(p[0]) for p in own)))
    return tuple(runs)


def _own_hang(shape: _Shape, names: set[str]) -> tuple[Hang, float]:
    try:
        record = HangRecord.model_validate_json(shape.said.get("data-hang", ""))
        hang = hang_of(record)
    except ValidationError:
        hang = Hang()
    if not set(hang.follows) <= names:
        hang = replace(hang, follows=())
    try:
        grain = float(shape.said.get("data-grain", "0"))
    except ValueError:
        grain = 0.0
    return hang, grain if abs(grain) <= 360 else 0.0


def _found_runs(segments: tuple[Vectors, ...]) -> tuple[Run, ...]:
    """Edges from corner to corner; a straight line and a curve that go on from each other are two."""
    parts = [
        k for k in range(len(segments))
        if _turn(segments[k - 1], segments[k]) > CORNER or len(segments[k - 1]) != len(segments[k])
    ]  # fmt: skip
    if not parts:
        parts = [0]
    turned = segments[parts[0] :] + segments[: parts[0]]
    cuts = [part - parts[0] for part in parts] + [len(segments)]
    return tuple(_run(f"edge {n}", turned[a:b]) for n, (a, b) in enumerate(pairwise(cuts), 1))


def _turn(before: Vectors, after: Vectors) -> float:
    """Degrees that the way turns by from one segment to the next."""
    ways = []
    for points, order in ((before[::-1], -1.0), (after, 1.0)):
        away = points[1:] - points[0]
        far = np.flatnonzero(np.linalg.norm(away, axis=1) > 1e-7)
        ways.append(order * away[far[0]] if len(far) else np.zeros(2))
    cosine = ways[0] @ ways[1] / max(np.linalg.norm(ways[0]) * np.linalg.norm(ways[1]), 1e-18)
    return float(np.degrees(np.arccos(np.clip(cosine, -1, 1))))


def _run(name: str, segments: tuple[Vectors, ...]) -> Run:
    """Segments as one edge: straight from point to point, or a curve through as few points as stay true."""
    if all(len(points) == 2 for points in segments):
        return Run(name, tuple(_place(points[0]) for points in segments))
    marks = [np.array([0.0, 1.0]) for _ in segments]
    for _ in range(MOST_POINTS):
        through = np.concatenate(
            [_at(p, m)[:-1] for p, m in zip(segments, marks, strict=True)] + [segments[-1][-1:]]
        )
        if sum(map(len, marks)) > MOST_POINTS:
            break
        line = shapely.LineString(curve_through(through) if len(through) > 2 else through)
        worst = [_furthest(p, m, line) for p, m in zip(segments, marks, strict=True)]
        if max(away for away, _ in worst) <= TRUE:
            break
        marks = [
            np.sort(np.append(m, t)) if away > TRUE else m for m, (away, t) in zip(marks, worst, strict=True)
        ]
    return Run(name, tuple(_place(point) for point in through[:-1]), smooth=len(through) > 2)


def _at(points: Vectors, t: Vectors) -> Vectors:
    """Places (k, 2) of a segment at parameters (k,)."""
    t = np.asarray(t, float)[:, None]
    if len(points) == 2:
        return np.asarray((1 - t) * points[0] + t * points[1])
    a, b, c, d = points
    return np.asarray((1 - t) ** 3 * a + 3 * (1 - t) ** 2 * t * b + 3 * (1 - t) * t**2 * c + t**3 * d)


def _furthest(points: Vectors, marks: Vectors, line: shapely.LineString) -> tuple[float, float]:
    """How far a segment lies off a line at worst, m, and the middle of the two marks between which."""
    parts = [np.linspace(a, b, 9)[1:-1] for a, b in pairwise(marks)]
    t = np.concatenate(parts)
    away = shapely.distance(shapely.points(_at(points, t)), line)
    k = int(np.argmax(away)) // 7
    return float(away.max()), float(0.5 * (marks[k] + marks[k + 1]))


def _marked(made: list[_Made], shape: _Shape) -> bool:
    """Put a mark on the piece that it lies on; False where there is none. Grain lines of ours are known."""
    said = shape.said
    kind = said.get("class") if "data-of" in said else "line"
    if kind == "grain":
        return True
    sampled = shape.sampled()
    for one in made:
        if said.get("data-of", one.piece.name) != one.piece.name:
            continue
        if not one.outline.buffer(1e-6).contains(shapely.LineString(sampled)):
            continue
        if kind == "notch":
            return _notched(one, said, sampled[0] - one.origin)
        points = tuple(_place(p) for p in (sampled if _curved(shape) else _corners(shape)) - one.origin)
        name = _called(said) or f"line {len(one.piece.lines) + 1}"
        one.piece = replace(one.piece, lines=(*one.piece.lines, Line(name, points)))
        return True
    return False


def _curved(shape: _Shape) -> bool:
    return any(len(points) == 4 for points in shape.segments)


def _corners(shape: _Shape) -> Vectors:
    return np.array([points[0] for points in shape.segments] + [shape.segments[-1][-1]])


def _notched(one: _Made, said: dict[str, str], at: Vectors) -> bool:
    """Put a notch on the edge that it names, where it begins."""
    edge = one.piece.edges.get(said.get("data-edge", ""))
    if edge is None:
        return False
    along = float(shapely.line_locate_point(shapely.LineString(edge), shapely.Point(at)))
    notch = Notch(said["data-edge"], along)
    one.piece = replace(one.piece, notches=(*one.piece.notches, notch))
    return True


def _renamed(made: list[_Made]) -> list[_Made]:
    """The same with each name once."""
    used: set[str] = set()
    for one in made:
        name, number = one.piece.name, 2
        while name in used:
            name, number = f"{one.piece.name} {number}", number + 1
        used.add(name)
        one.piece = replace(one.piece, name=name)
    return made


def _place(point: Vectors) -> Place:
    return float(point[0]), float(point[1])
