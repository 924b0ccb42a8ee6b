"""A pattern as an SVG drawing: one unit is one millimetre, every piece a group with its outline and marks."""

from __future__ import annotations

import json
from collections.abc import Iterator
from dataclasses import dataclass
from xml.etree import ElementTree

import numpy as np

from ...core.craft.sewing.pattern import Pattern, Piece, Place, Run, at_shares, spline_through
from ...core.model.typed import Vectors
from ...core.model.units import to_mm
from ..shot_file.sewing import record_of_piece

SVG = "http://www.w3.org/2000/svg"
APART, MARGIN, WIDEST = 60.0, 20.0, 1500.0  # mm between pieces, round all of them, of one row
NOTCH = 6.0  # mm into the piece
GRAIN = 0.3  # of the piece's height, that the grain line is long


def drawing_of(pattern: Pattern) -> bytes:
    """The pattern's pieces in rows, not one over another. Seams are not drawn."""
    ElementTree.register_namespace("", SVG)
    laid, width, height = _rows(pattern)
    root = ElementTree.Element(
        f"{{{SVG}}}svg",
        {
            "width": f"{_said(width)}mm",
            "height": f"{_said(height)}mm",
            "viewBox": f"0 0 {_said(width)} {_said(height)}",
            "version": "1.1",
        },
    )
    for one in laid:
        root.append(one.group())
    ElementTree.indent(root)
    return bytes(ElementTree.tostring(root, encoding="utf-8", xml_declaration=True))


@dataclass(frozen=True)
class _Laid:
    """A piece on the drawing, whose origin lies at (x, y) mm, with y down."""

    piece: Piece
    x: float
    y: float

    def group(self) -> ElementTree.Element:
        """The piece's group."""
        piece, record = self.piece, record_of_piece(self.piece)
        group = ElementTree.Element(f"{{{SVG}}}g", {"data-piece": piece.name})
        ElementTree.SubElement(group, f"{{{SVG}}}title").text = piece.name
        outline = _path(group, "outline", "".join(self._edges()), "#202020", 0.6)
        outline.attrib |= {
            "data-name": piece.name,
            "data-origin": f"{_said(self.x)} {_said(self.y)}",
            "data-edges": json.dumps([[run.name, len(run.points), run.smooth] for run in piece.runs]),
            "data-grain": f"{piece.grain:g}",
            "data-hang": record.hang.model_dump_json(),
        }
        for line in piece.lines:
            drawn = _path(group, "line", self._through(line.points), "#707070", 0.4)
            drawn.attrib |= {"data-of": piece.name, "data-name": line.name}
        for notch in piece.notches:
            share = notch.along / max(piece.length(notch.run), 1e-9)
            drawn = _path(group, "notch", self._through(_tick(piece, notch.run, share)), "#202020", 0.6)
            drawn.attrib |= {
                "data-of": piece.name,
                "data-edge": notch.run,
                "data-along": _said(to_mm(notch.along)),
            }
        grain = _path(group, "grain", self._through(_grain(piece)), "#707070", 0.4)
        grain.attrib |= {"data-of": piece.name}
        return group

    def _edges(self) -> Iterator[str]:
        """The outline, one command for each point of each edge."""
        runs = self.piece.runs
        yield f"M {self._at(runs[0].points[0])}"
        for run, after in zip(runs, (*runs[1:], runs[0]), strict=True):
            through = (*run.points, after.points[0])
            if run.smooth and len(through) > 2:
                yield from (f" C {' '.join(map(self._at, three))}" for three in beziers(run, after.points[0]))
            else:
                yield from (f" L {self._at(point)}" for point in through[1:])
        yield " Z"

    def _through(self, points: tuple[Place, ...]) -> str:
        return "M " + " L ".join(self._at(point) for point in points)

    def _at(self, point: Place) -> str:
        return f"{_said(self.x + to_mm(point[0]))},{_said(self.y - to_mm(point[1]))}"


def beziers(run: Run, end: Place) -> Iterator[tuple[Place, Place, Place]]:
    """A smooth run's curve as cubic Béziers, exactly: two handles (x, y) m and the end of each."""
    points = np.array([*run.points, end], float)
    spline = spline_through(points)
    slope, third = spline(spline.x, 1), np.diff(spline.x)[:, None] / 3
    first, second = points[:-1] + third * slope[:-1], points[1:] - third * slope[1:]
    for three in zip(first, second, points[1:], strict=True):
        a, b, c = ((float(x), float(y)) for x, y in three)
        yield a, b, c


def _path(group: ElementTree.Element, kind: str, drawn: str, colour: str, width: float) -> ElementTree.Element:
    said = {"class": kind, "d": drawn, "fill": "none", "stroke": colour, "stroke-width": f"{width:g}"}
    return ElementTree.SubElement(group, f"{{{SVG}}}path", said)


def _rows(pattern: Pattern) -> tuple[list[_Laid], float, float]:
    """Where each piece lies, and how wide and high the drawing is, mm."""
    laid: list[_Laid] = []
    across, down, row, widest = MARGIN, MARGIN, 0.0, 0.0
    for piece in pattern.pieces:
        left, low, right, high = (to_mm(side) for side in piece.outline.bounds)
        if across > MARGIN and across + right - left > WIDEST:
            across, down, row = MARGIN, down + row + APART, 0.0
        laid.append(_Laid(piece, across - left, down + high))
        across += right - left + APART
        row, widest = max(row, high - low), max(widest, across - APART)
    return laid, widest + MARGIN, down + row + MARGIN


def _tick(piece: Piece, run: str, share: float) -> tuple[Place, Place]:
    """A notch as a line square to its edge, into the piece, (x, y) m."""
    edge = piece.edges[run]
    before, at, after = at_shares(edge, np.array([max(share - 0.01, 0.0), share, min(share + 0.01, 1.0)]))
    way = after - before
    inward = np.array([-way[1], way[0]]) / max(float(np.linalg.norm(way)), 1e-12)
    tip = at + 1e-3 * NOTCH * inward
    return _place(at), _place(tip)


def _grain(piece: Piece) -> tuple[Place, Place]:
    """The way of the warp, through the middle of the piece, (x, y) m."""
    left, low, right, high = piece.outline.bounds
    middle = np.array([piece.outline.representative_point().x, piece.outline.representative_point().y])
    turn = np.radians(piece.grain)
    half = 0.5 * GRAIN * min(high - low, right - left) * np.array([-np.sin(turn), np.cos(turn)])
    return _place(middle - half), _place(middle + half)


def _place(point: Vectors) -> Place:
    return float(point[0]), float(point[1])


def _said(value: float) -> str:
    return f"{value:.4f}".rstrip("0").rstrip(".")
