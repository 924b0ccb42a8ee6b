"""The lay: a sewn garment flat in two layers, before and behind a thin figure, clear of itself.

The front layer is laid counter-clockwise and the back layer clockwise. Each is a height field over the plane
between front and back. So the lay crosses nothing where no triangle is turned over and no two of one layer lie
on each other. An exact count proves it.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy import sparse
from scipy.sparse.linalg import splu
from scipy.spatial import cKDTree

from ...contact.intersections import crossing_pairs, self_crossing_pairs
from ...geometry.triangles import flat_areas
from ...model.errors import StartError
from ...model.typed import Flags, Indices, Longs, Points, Scalars, Vectors
from .cutting import SewnMesh, shut
from .figure import Figure
from .hanging import hung, sleeve_angle, turned
from .pattern import Pattern, Piece

HIGH = 0.015  # m that each layer lies off the middle plane
ROUNDS = 60  # of the lay
ANCHORS = (1e-3, 0.03, 0.3, 3.0, 30.0)  # how firmly cloth stays where it hangs, one after the other
SPREADS = (10.0, 14.0, 18.0, 6.0, 22.0)  # degrees that the legs are spread, one after the other
ROUGH = 0.02  # of HIGH, by which heights differ, so that nothing lies exactly level
ALIGNED = 40  # rounds in which pieces are moved to meet along their seams
SETTLED = 6  # rounds in which a lay is moved onto the arms
HOME = 0.05  # how much of a piece's own place counts in that, to one of each seam's vertices
FAN = 0.55  # m that gathered cloth widens to each side for each m below its seam
SMALL = 0.012  # m that a leg stays off the middle
SLIT, SLIT_SHARE = 1.5e-3, 0.2  # m, and of the way to its neighbours, that each side of a basting is drawn back
CLAMP = (0.05, 5.0)  # least and greatest weight of an edge, a cotangent


@dataclass(frozen=True, eq=False)
class Lay:
    """A garment laid on a figure: places (n, 3) m in the figure's frame, and degrees by which the figure's arms
    are raised and its legs are spread for it.
    """

    points: Points
    arms: float
    legs: float


def laid(pattern: Pattern, mesh: SewnMesh, figure: Figure) -> Lay:
    """Lay a sewn garment round a thin figure. `StartError` where no lay is clear.

    What is basted is laid as if it were sewn, and then drawn apart by a slit.
    """
    laying = _Laying(pattern, mesh, figure)
    worst = None
    for arms, spread in laying.stances():
        found = laying.tried(arms, spread)
        if found.crossings == 0:
            return found.lay
        worst = found if worst is None or found.crossings < worst.crossings else worst
    assert worst is not None
    piece, other = worst.pieces
    raise StartError(
        f"the pieces cannot be laid round the figure: {worst.crossings} places cross, first "
        f"'{piece}' and {other}",
        where="where the pieces hang",
        remedy="Hang these pieces further apart, or nearer to the edges that they are sewn to",
    )


@dataclass(frozen=True, eq=False)
class _Tried:
    lay: Lay
    crossings: int
    pieces: tuple[str, str]


class _Laying:
    """One garment on its way to a lay."""

    def __init__(self, pattern: Pattern, mesh: SewnMesh, figure: Figure) -> None:
        self.pattern, self.figure = pattern, figure
        self.whole = mesh
        self.mesh, self.shut = shut(mesh)
        self.has_legs = any(piece.hang.part.endswith("leg") for piece in pattern.pieces)
        self.solver = _Rigid(self.mesh)

    def stances(self) -> list[tuple[float, float]]:
        """Degrees by which the arms are raised and the legs are spread, the first to be tried first.

        Sleeves lie as their armholes do. Without sleeves the arms may hang, so that a cape falls over them.
        """
        laid_at = sleeve_angle(self.pattern)
        below = self.figure.arm_angle()
        arms = [0.0, below - 65.0, below - 80.0] if laid_at is None else [below - laid_at]
        return [(arm, leg) for leg in (SPREADS if self.has_legs else (0.0,)) for arm in arms]

    def tried(self, arms: float, spread: float) -> _Tried:
        """The best lay with arms raised by so many degrees, and legs spread by so many from upright."""
        figure = self.figure
        legs = spread - figure.leg_angle() if self.has_legs else 0.0
        thin = figure.shape(0.0, arms, legs)
        aim = self._aimed(spread)
        best: _Tried | None = None
        for anchor in ANCHORS:
            flat, over = self.solver.solved(aim, anchor)
            flat = self._onto_arms(flat, arms)
            points = self._slit(lifted(self.mesh, flat, figure.middle))
            crossed = self_crossing_pairs(points, self.whole.triangles)
            through = crossing_pairs(points, self.whole.triangles, thin, figure.triangles)
            count = len(crossed) + len(through)
            if best is None or count < best.crossings:
                best = _Tried(Lay(points, arms, legs), count, self._who(crossed, through))
            if count == 0 and over == 0:
                break
        assert best is not None
        return best

    def _slit(self, points: Points) -> Points:
        """The lay (n, 3) of the whole mesh, both sides of what is basted drawn back into their own cloth."""
        mesh = self.whole
        out = points[self.shut]
        if len(mesh.basted) == 0:
            return out
        edge = np.unique(mesh.basted)
        total, count = np.zeros_like(out), np.zeros(mesh.count)
        for k in range(3):
            for other in ((k + 1) % 3, (k + 2) % 3):
                np.add.at(total, mesh.triangles[:, k], out[mesh.triangles[:, other]])
                np.add.at(count, mesh.triangles[:, k], 1.0)
        inward = total[edge] / count[edge, None] - out[edge]
        far = np.maximum(np.linalg.norm(inward, axis=1), 1e-9)
        out[edge] += (np.minimum(SLIT, SLIT_SHARE * far) / far)[:, None] * inward
        return out

    def _onto_arms(self, flat: Vectors, arms: float) -> Vectors:
        """The lay (n, 2) moved, without stretching it, so that its sleeves lie about the arms."""
        mesh, figure = self.mesh, self.figure
        parts = [piece.hang.part for piece in self.pattern.pieces]
        own, lines = [], []
        for k, part in enumerate(parts):
            if part.endswith("arm"):
                limb = figure.limbs[part]
                turn = arms if part == "left arm" else -arms
                along = turned((limb.end - limb.root)[None, :2], turn)[0]
                own.append(np.unique(mesh.welded[mesh.cut.of_point == k]))
                lines.append((limb.root[:2], along / np.linalg.norm(along)))
        if not own:
            return flat
        for _ in range(SETTLED):
            goals = []
            for vertices, (root, along) in zip(own, lines, strict=True):
                off = flat[vertices] - root
                goals.append(root + (off @ along)[:, None] * along)
            source = flat[np.concatenate(own)]
            flat = _rigidly(source, np.concatenate(goals), np.ones(len(source)), flat)
        return flat

    def _who(self, crossed: Indices, through: Indices) -> tuple[str, str]:
        names = [piece.name for piece in self.pattern.pieces]
        of = self.mesh.cut.piece
        if len(crossed):
            return names[of[crossed[0, 0]]], f"'{names[of[crossed[0, 1]]]}'"
        return (names[of[through[0, 0]]], "the figure") if len(through) else ("", "")

    def _aimed(self, spread: float) -> Vectors:
        """Where every vertex (n, 2) hangs, as the mean of what is welded in it."""
        at = _Placing(self.pattern, self.mesh, self.figure, spread).placed()
        welded, count = self.mesh.welded, self.mesh.count
        many = np.bincount(welded, minlength=count)
        return np.stack([np.bincount(welded, at[:, k], count) / many for k in (0, 1)], axis=1)


class _Placing:
    """Where the pieces hang, as seen from the front, before they are drawn together."""

    def __init__(self, pattern: Pattern, mesh: SewnMesh, figure: Figure, spread: float) -> None:
        self.pattern, self.mesh, self.figure, self.spread = pattern, mesh, figure, spread
        self.at = np.zeros_like(mesh.cut.points)
        self.own = [np.flatnonzero(mesh.cut.of_point == k) for k in range(len(pattern.pieces))]
        self.partners = _partners(mesh)
        self.angle = sleeve_angle(pattern) or 0.0

    def placed(self) -> Vectors:
        """(k, 2) m of every vertex as cut."""
        pieces = self.pattern.pieces
        for piece, own in zip(pieces, self.own, strict=True):
            self.at[own] = self._hung(piece, self.mesh.cut.points[own])
        self._aligned()
        for piece, own in zip(pieces, self.own, strict=True):
            if piece.hang.part.endswith("leg"):
                self.at[own] = self._spread(self._on_its_side(self.at[own], piece), piece)
        for piece, own in zip(pieces, self.own, strict=True):
            if piece.hang.follows:
                self.at[own] = self._following(piece, own)
        return self.at

    def _hung(self, piece: Piece, points: Vectors) -> Vectors:
        return hung(piece, points, self.figure, self.angle)

    def _aligned(self) -> None:
        """Move and turn each piece to where its seams are, so that one hung a little beside is no worse."""
        pieces, of = self.pattern.pieces, self.mesh.cut.of_point
        calm = np.array([not piece.hang.follows for piece in pieces])
        sides: list[tuple[int, Longs, Longs]] = []
        for k, piece in enumerate(pieces):
            here, there = self.partners[of[self.partners[:, 0]] == k].T
            here, there = here[calm[of[there]]], there[calm[of[there]]]
            if calm[k] and piece.hang.part != "torso" and len(here) >= 3:
                sides.append((k, here, there))
        home = self.at.copy()
        for _ in range(ALIGNED):
            for k, here, there in sides:
                own = self.own[k]
                source = np.concatenate([self.at[here], self.at[own]])
                goal = np.concatenate([self.at[there], home[own]])
                little = np.full(len(own), HOME * len(here) / len(own))
                self.at[own] = _rigidly(
                    source, goal, np.concatenate([np.ones(len(here)), little]), self.at[own]
                )

    def _on_its_side(self, at: Vectors, piece: Piece) -> Vectors:
        """A leg's piece squeezed, level by level, so that it does not reach over the middle."""
        side = 1.0 if piece.hang.part == "left leg" else -1.0
        x, y = side * at[:, 0], at[:, 1]
        levels = np.linspace(y.min(), y.max() + 1e-9, 60)
        which = np.clip(np.searchsorted(levels, y, side="right") - 1, 0, len(levels) - 2)
        inner, outer = np.full(len(levels) - 1, np.inf), np.full(len(levels) - 1, -np.inf)
        np.minimum.at(inner, which, x)
        np.maximum.at(outer, which, x)
        known = np.isfinite(inner)
        at_levels = (levels[:-1] + levels[1:]) / 2
        low = np.interp(y, at_levels[known], inner[known])
        high = np.interp(y, at_levels[known], outer[known])
        top = np.interp(y, at_levels[known], np.minimum.accumulate(inner[known][::-1])[::-1])
        aim = np.maximum(low, np.where(top < 0, SMALL * np.clip((y.max() - y) / 0.1, 0, 1), low))
        share = (x - low) / np.maximum(high - low, 1e-9)
        return np.stack([side * (aim + share * (high - aim)), y], axis=1)

    def _spread(self, at: Vectors, piece: Piece) -> Vectors:
        side = 1.0 if piece.hang.part == "left leg" else -1.0
        below = np.maximum(0.0, self.figure.limbs[piece.hang.part].root[1] - 0.1 - at[:, 1])
        return at + np.stack([side * np.tan(np.radians(self.spread)) * below, np.zeros(len(at))], axis=1)

    def _following(self, piece: Piece, own: Longs) -> Vectors:
        """A strip laid along the cloth that it is sewn to; where it has more cloth it fans out."""
        cut = self.mesh.cut
        mine = np.concatenate([cut.runs[piece.name, run] for run in piece.hang.follows])
        partners = dict(self.partners.tolist())
        known = [(v, partners[v]) for v in mine.tolist() if v in partners]
        if len(known) < 2:
            return self.at[own]
        here = np.array([a for a, _ in known])
        there = self.at[np.array([b for _, b in known])]
        line = cut.points[here]
        along = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(line, axis=0), axis=1))])
        middle = cut.points[own].mean(axis=0)
        direction = (line[-1] - line[0]) / max(float(np.linalg.norm(line[-1] - line[0])), 1e-9)
        across = np.array([-direction[1], direction[0]])
        off = (cut.points[own] - line[0]) @ across
        rise = np.sign((middle - line[0]) @ across)
        at = (cut.points[own] - line[0]) @ direction
        share = np.interp(at, (line - line[0]) @ direction, along)
        base = np.stack([np.interp(share, along, there[:, k]) for k in (0, 1)], axis=1)
        depth = np.abs(off)
        up = 1.0 if self._opens_up(piece, there) else -1.0
        ratio = along[-1] / max(float(np.linalg.norm(np.diff(there, axis=0), axis=1).sum()), 1e-9)
        if ratio <= 1.2 or rise == 0:
            return base + np.stack([np.zeros(len(own)), up * depth], axis=1)
        centre = (there[0, 0] + there[-1, 0]) / 2
        half = np.abs(there[:, 0] - centre).max()
        out = (base[:, 0] - centre) / max(half, 1e-9)
        steep = np.sqrt(np.maximum(1 - (FAN * out) ** 2, 0.2))
        return np.stack([centre + out * (half + FAN * depth), base[:, 1] + up * depth * steep], axis=1)

    def _opens_up(self, piece: Piece, there: Vectors) -> bool:
        """Whether a strip lies above the edge that it is sewn to: where the other piece is not."""
        others = {
            other
            for seam in self.pattern.seams
            for side, far in ((seam.one, seam.other), (seam.other, seam.one))
            if any(name == piece.name and run in piece.hang.follows for name, run in side)
            for other, _ in far
        }
        index = [k for k, one in enumerate(self.pattern.pieces) if one.name in others]
        middle = np.concatenate([self.at[self.own[k]] for k in index]).mean(axis=0)
        return bool(middle[1] < there[:, 1].mean())


def _partners(mesh: SewnMesh) -> Longs:
    """Pairs (q, 2) of vertices as cut that are welded, of different pieces, both ways."""
    order = np.argsort(mesh.welded, kind="stable")
    same = mesh.welded[order]
    out = []
    for gap in range(1, 6):
        both = same[gap:] == same[:-gap]
        if not both.any():
            break
        out.append(np.stack([order[:-gap][both], order[gap:][both]], axis=1))
    if not out:
        return np.zeros((0, 2), np.int64)
    pairs = np.concatenate(out)
    pairs = pairs[mesh.cut.of_point[pairs[:, 0]] != mesh.cut.of_point[pairs[:, 1]]]
    return np.concatenate([pairs, pairs[:, ::-1]])


def _rigidly(source: Vectors, goal: Vectors, weight: Scalars, points: Vectors) -> Vectors:
    """Points (k, 2) moved as source (q, 2) best goes onto goal (q, 2) without stretching (W. Kabsch, 1976)."""
    total = weight.sum()
    a, b = weight @ source / total, weight @ goal / total
    one, other = source - a, goal - b
    cos = float((weight[:, None] * one * other).sum())
    sin = float((weight * (one[:, 0] * other[:, 1] - one[:, 1] * other[:, 0])).sum())
    size = max(float(np.hypot(cos, sin)), 1e-15)
    turn = np.array([[cos, -sin], [sin, cos]]) / size
    return np.asarray((points - a) @ turn.T + b)


class _Rigid:
    """The lay nearest to the pieces as cut.

    Each triangle is turned to where it fits best, then all are fitted together, again and again (O. Sorkine and
    M. Alexa, As-rigid-as-possible surface modeling, 2007; by triangle as L. Liu, L. Zhang, Y. Xu, C. Gotsman
    and S. Gortler, A local/global approach to mesh parameterization, 2008).
    """

    def __init__(self, mesh: SewnMesh) -> None:
        self.mesh = mesh
        flat = mesh.cut.points[mesh.cut.triangles].copy()
        scale = np.sqrt(np.maximum(flat_areas(mesh.corners), 1e-15) / np.maximum(flat_areas(flat), 1e-15))
        flat *= np.where(mesh.gathered, scale, 1.0)[:, None, None]
        flat[~mesh.cut.in_front, :, 0] *= -1
        triangles, n, m = mesh.triangles, mesh.count, len(mesh.triangles)
        cotangents = np.zeros((m, 3))
        rows, columns, values = [], [], []
        for k in range(3):
            i, j = triangles[:, k], triangles[:, (k + 1) % 3]
            u, v = flat[:, k] - flat[:, (k + 2) % 3], flat[:, (k + 1) % 3] - flat[:, (k + 2) % 3]
            area = np.maximum(np.abs(u[:, 0] * v[:, 1] - u[:, 1] * v[:, 0]), 1e-12)
            cotangents[:, k] = np.clip((u * v).sum(axis=1) / area, *CLAMP)
            rows += [i, j, i, j]
            columns += [j, i, i, j]
            values += [-cotangents[:, k], -cotangents[:, k], cotangents[:, k], cotangents[:, k]]
        self.matrix = sparse.csc_matrix(
            (np.concatenate(values), (np.concatenate(rows), np.concatenate(columns))), (n, n)
        )
        at = np.concatenate([q for k in range(3) for q in (triangles[:, k], triangles[:, (k + 1) % 3])])
        to = np.concatenate([np.tile(np.arange(m) + k * m, 2) for k in range(3)])
        self.spread = sparse.csr_matrix((np.tile(np.repeat([1.0, -1.0], m), 3), (at, to)), (n, 3 * m))
        self.ways = np.stack(
            [cotangents[:, k, None] * (flat[:, k] - flat[:, (k + 1) % 3]) for k in range(3)]
        )  # (3, m, 2)

    def solved(self, aim: Vectors, anchor: float) -> tuple[Vectors, int]:
        """The lay (n, 2) with every vertex drawn to its aim (n, 2), and how many triangles are turned over."""
        m = len(self.mesh.triangles)
        factor = splu((self.matrix + anchor * sparse.eye(self.mesh.count)).tocsc())
        x = aim.copy()
        for _ in range(ROUNDS):
            edges = (self.spread.T @ x).reshape(3, m, 2)
            turn = np.einsum("kni,knj->nij", edges, self.ways)
            cos, sin = turn[:, 0, 0] + turn[:, 1, 1], turn[:, 1, 0] - turn[:, 0, 1]
            size = np.maximum(np.hypot(cos, sin), 1e-15)
            cos, sin = cos / size, sin / size
            turned = np.stack(
                [
                    cos * self.ways[..., 0] - sin * self.ways[..., 1],
                    sin * self.ways[..., 0] + cos * self.ways[..., 1],
                ],
                axis=2,
            )
            x = factor.solve(anchor * aim + self.spread @ turned.reshape(-1, 2))
        return x, int(turned_over(self.mesh, x).sum())


def turned_over(mesh: SewnMesh, flat: Vectors) -> Flags:
    """Which triangles (m,) of a lay (n, 2) lie the wrong way round."""
    a, b, c = (flat[mesh.triangles[:, k]] for k in range(3))
    area = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0])
    return np.asarray(np.where(mesh.cut.in_front, area, -area) <= 0)


def lifted(mesh: SewnMesh, flat: Vectors, middle: float) -> Points:
    """The lay (n, 2) in space (n, 3) m: the front before the plane z = middle, the back behind it, round where
    they meet.
    """
    front, back = np.zeros(mesh.count, bool), np.zeros(mesh.count, bool)
    front[mesh.triangles[mesh.cut.in_front]] = True
    back[mesh.triangles[~mesh.cut.in_front]] = True
    shared = front & back
    away = _away(mesh, flat, shared)
    high = HIGH * (1 - np.exp(-away / HIGH))
    high *= 1 + ROUGH * (2 * _scattered(mesh.count) - 1)
    z = np.where(shared, 0.0, np.where(front, high, -high))
    return np.column_stack([flat, middle + z])


def _away(mesh: SewnMesh, flat: Vectors, shared: Flags) -> Scalars:
    """How far (n,) m each vertex lies from where front and back meet; far for a garment of one layer."""
    if not shared.any():
        return np.full(mesh.count, 10 * HIGH)
    return np.asarray(cKDTree(flat[shared]).query(flat)[0])


def _scattered(count: int) -> Scalars:
    """Numbers (count,) from 0 to 1, the same every time (golden ratio sequence)."""
    return np.asarray((np.arange(count) * 0.6180339887498949) % 1.0)
