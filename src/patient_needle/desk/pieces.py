"""Pieces and seams of a sewn garment, in figures: what the table shows and the tapes on the figure."""

from __future__ import annotations

from typing import Any

import numpy as np

from ..core.craft.sewing.hanging import hung_outlines
from ..core.craft.sewing.loops import tight_loops
from ..core.craft.sewing.pattern import Layer, Piece, at_shares
from ..core.craft.sewing.source import FromPieces
from ..core.model.typed import Vectors
from ..core.model.units import to_mm
from ..formats.shot_file.document import SewnRecipe
from ..formats.shot_file.sewing import measures_of, record_of_piece, record_of_seam

FINE = 41  # points at most that a smooth edge is shown with


def pieces_read(recipe: SewnRecipe, source: FromPieces) -> dict[str, Any]:
    """`sewn`: whether it is worn as cut, its pieces and seams with their fit, the measures it was cut by; and
    the `tapes` of these.
    """
    pattern, figure = source.pattern, source.figure
    measures = measures_of(recipe, figure)
    tapes = []
    for one in measures.every.values():
        points = figure.to_world(one.tape)
        tapes.append(
            {
                "name": one.name, "height": float(points[:, 1].mean()), "girth_mm": to_mm(one.value),
                "cloth_mm": None, "points": [[round(float(x), 4) for x in point] for point in points],
            }
        )  # fmt: skip
    seams = []
    for number, seam in pattern.numbered():
        fit = pattern.fit(seam)
        seams.append(
            record_of_seam(seam).model_dump(mode="json")
            | {
                "number": number, "one_mm": to_mm(fit.one), "other_mm": to_mm(fit.other),
                "warning": fit.warning,
            }
        )  # fmt: skip
    return {
        "tapes": tapes,
        "notes": [f"Seam {one['number']}: {one['warning']}" for one in seams if one["warning"]]
        + [
            f"The {one.name} is {to_mm(one.short):.0f} mm shorter than the figure needs"
            for one in tight_loops(pattern, measures)
        ],
        "sewn": {
            "worn": source.is_sewn,
            "pieces": [
                _piece(piece, _triangles(source, index), hung)
                for index, (piece, hung) in enumerate(
                    zip(pattern.pieces, hung_outlines(pattern, figure), strict=True)
                )
            ],
            "seams": seams,
            "figure_mm": [_line(ring) for ring in figure.silhouette],
            "measures": {name: to_mm(one.value) for name, one in measures.every.items()},
            "vertices": source.mesh.count,
        },
    }


def _triangles(source: FromPieces, index: int) -> tuple[int, int]:
    own = np.flatnonzero(source.mesh.cut.piece == index)
    return int(own[0]), len(own)


def _piece(piece: Piece, triangles: tuple[int, int], hung: list[tuple[Layer, Vectors]]) -> dict[str, Any]:
    """A piece as the shot file has it, with its edges as lines, their lengths, where it hangs, its area and its
    triangles.
    """
    edges = [
        {"name": name, "line_mm": _shown(edge), "length_mm": to_mm(piece.length(name))}
        for name, edge in piece.edges.items()
    ]
    return record_of_piece(piece).model_dump(mode="json") | {
        "edges": edges,
        "hung": [{"layer": layer, "line_mm": _line(line)} for layer, line in hung],
        "area_cm2": 1e4 * piece.area,
        "triangles": triangles,
    }


def _shown(edge: Vectors) -> list[list[float]]:
    return _line(edge if len(edge) <= FINE else at_shares(edge, np.linspace(0, 1, FINE)))


def _line(points: Vectors) -> list[list[float]]:
    return [[round(to_mm(float(x)), 1), round(to_mm(float(y)), 1)] for x, y in points]
