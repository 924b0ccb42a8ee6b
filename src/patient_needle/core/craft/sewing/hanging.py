"""Where pieces hang on a figure before they are sewn, as seen from the front."""

from __future__ import annotations

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry
from shapely.ops import split

from ...model.typed import Vectors
from .figure import Figure
from .pattern import OTHER, Hang, Layer, Pattern, Piece, RunKey, Seam, at_shares

FINE = 25  # points at most of each edge


def hung_outlines(pattern: Pattern, figure: Figure) -> list[list[tuple[Layer, Vectors]]]:
    """For each piece its parts between folds: the layer, and the outline (k, 2) m in the figure's frame.

    As its hang says, before pieces are moved to where their seams meet.
    """
    angle = sleeve_angle(pattern) or 0.0
    return [_parts(piece, figure, angle) for piece in pattern.pieces]


def _parts(piece: Piece, figure: Figure, angle: float) -> list[tuple[Layer, Vectors]]:
    outline = np.concatenate([_few(edge)[:-1] for edge in piece.edges.values()])
    parts: list[tuple[float, Vectors]] = []
    for part in _between_folds(outline, piece.hang.folds):
        parts.append((float(part[:, 0].mean()), part))
    out: list[tuple[Layer, Vectors]] = []
    for x, part in parts:
        folded = sum(fold < x for fold in piece.hang.folds) % 2 == 1
        layer = OTHER[piece.hang.layer] if folded else piece.hang.layer
        out.append((layer, hung(piece, part, figure, angle)))
    return out


def _few(edge: Vectors) -> Vectors:
    return edge if len(edge) <= FINE else at_shares(edge, np.linspace(0, 1, FINE))


def _between_folds(outline: Vectors, folds: tuple[float, ...]) -> list[Vectors]:
    """The outline (k, 2) cut at its folds, each part as an outline of its own."""
    shapes: list[BaseGeometry] = [shapely.Polygon(outline)]
    _, low, _, high = shapes[0].bounds
    for fold in folds:
        line = shapely.LineString([(fold, low - 1.0), (fold, high + 1.0)])
        shapes = [part for shape in shapes for part in split(shape, line).geoms]
    return [shapely.get_coordinates(shape)[:-1] for shape in shapes]


def hung(piece: Piece, points: Vectors, figure: Figure, angle: float) -> Vectors:
    """Where points (k, 2) m of a piece hang, in the figure's frame; angle: of its sleeves, below level."""
    part, base, turn = piece.hang.part, np.zeros(2), 0.0
    if part.endswith("arm"):
        base, turn = figure.limbs[part].root[:2], -angle if part == "left arm" else angle
    elif part == "neck":
        base = figure.neck[:2]
    return turned(hung_flat(piece, points), turn) + base + np.array(piece.hang.at)


def sleeve_angle(pattern: Pattern) -> float | None:
    """Degrees below level at which sleeves are laid, so that the ends of their caps meet the ends of the
    armholes; None without sleeves.
    """
    angles = []
    for seam in pattern.seams:
        for near, far in ((seam.one, seam.other), (seam.other, seam.one)):
            parts = {pattern.by_name[piece].hang.part for piece, _ in near}
            beside = {pattern.by_name[piece].hang.part for piece, _ in far}
            if parts <= {"left arm"} and beside <= {"torso"}:
                angles.append(_angle_of(pattern, seam, near, far))
    return float(np.mean(angles)) if angles else None


def _angle_of(pattern: Pattern, seam: Seam, near: tuple[RunKey, ...], far: tuple[RunKey, ...]) -> float:
    """Degrees below level of a sleeve whose cap's half lies along its armhole's chord."""
    ends = []
    for side in (near, far):
        (first, run), (last, other) = side[0], side[-1]
        a, b = pattern.by_name[first], pattern.by_name[last]
        start = hung_flat(a, a.edges[run][:1])[0]
        end = hung_flat(b, b.edges[other][-1:])[0]
        ends.append(end - start)
    cap, hole = ends
    if not seam.turned:
        cap = -cap
    turn = np.degrees(np.arctan2(hole[1], hole[0]) - np.arctan2(cap[1], cap[0]))
    return float(-((turn + 180) % 360 - 180))


def hung_flat(piece: Piece, points: Vectors) -> Vectors:
    """Points (k, 2) of a piece as it is folded, turned over and turned, about its own origin."""
    return turned(_zigzag(piece.hang, points) - _zigzag(piece.hang, np.zeros((1, 2))), piece.hang.turn)


def _zigzag(hang: Hang, points: Vectors) -> Vectors:
    """Points (k, 2) folded at a hang's folds, and turned over where its leftmost part is behind."""
    x = points[:, 0].copy()
    for index, fold in enumerate(sorted(hang.folds)):
        x = np.where(points[:, 0] > fold, 2 * _folded_at(hang, index) - x, x)
    return np.stack([-x if hang.layer == "back" else x, points[:, 1]], axis=1)


def _folded_at(hang: Hang, index: int) -> float:
    """Where a fold lies after those before it were folded."""
    folds = sorted(hang.folds)
    x = folds[index]
    for k in range(index):
        x = 2 * _folded_at(hang, k) - x
    return x


def turned(points: Vectors, degrees: float) -> Vectors:
    """Points (k, 2) turned about the origin, counter-clockwise."""
    turn = np.radians(degrees)
    cos, sin = np.cos(turn), np.sin(turn)
    return np.stack([cos * points[:, 0] - sin * points[:, 1], sin * points[:, 0] + cos * points[:, 1]], axis=1)
