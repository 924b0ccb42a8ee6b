"""The apron-skirt and what is worn over it: a fitted band, then tiers that flare; triangles, some quads."""

from __future__ import annotations

from dataclasses import dataclass

import igl
import numpy as np
from scipy.interpolate import PchipInterpolator
from scipy.spatial import ConvexHull, Delaunay, cKDTree

WAIST, BAND, SEAM = 1.080, 1.045, 0.760  # heights, m
DIRECTIONS = 256


@dataclass(frozen=True)
class Cut:
    """ease m off the body at the band; hem, its height in m; spacing m."""

    ease: float
    hem: float
    spacing: float
    seed: int = 11


def outline(vertices: np.ndarray, cut: Cut) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Radius of the skirt by height and direction about its middle: heights (h,), radii (h, d), middles (h, 2).

    At each height the widest body section above it, eased, plus the tiers' flare.
    """
    body = vertices[(np.abs(vertices[:, 0]) < 0.26) & (vertices[:, 1] < 1.2)]
    heights = np.arange(WAIST, cut.hem - 0.001, -0.005)
    turn = np.linspace(0, 2 * np.pi, DIRECTIONS, endpoint=False)
    rays = np.stack([np.sin(turn), np.cos(turn)], 1)
    middle = np.array([0.0, 0.012])
    widest = np.zeros(DIRECTIONS)
    radii = []
    for height in heights:
        near = body[np.abs(body[:, 1] - height) < 0.014][:, [0, 2]] - middle
        if height > 0.80:
            hull = near[ConvexHull(near).vertices]
            widest = np.maximum(widest, _radius(hull, rays) + cut.ease)
        radii.append(widest + flare(height))
    smooth = np.array(radii)
    blur = np.exp(-0.5 * (np.fft.fftfreq(DIRECTIONS, 1 / DIRECTIONS) / 14.0) ** 2)
    smooth = np.maximum(np.real(np.fft.ifft(np.fft.fft(smooth, axis=1) * blur, axis=1)), smooth)
    return heights, smooth, middle


def flare(height: float) -> float:
    """How far the tiers stand off the fitted shape, m."""
    below_band, below_seam = max(0.0, BAND - height), max(0.0, SEAM - height)
    seat = min(1.0, below_band / 0.13)
    return 0.045 * seat * seat * (3 - 2 * seat) + 0.29 * below_band**1.1 + 0.34 * below_seam


def _radius(hull: np.ndarray, rays: np.ndarray) -> np.ndarray:
    """Distance from the origin to a convex polygon along each ray."""
    out = np.zeros(len(rays))
    for a, b in zip(hull, np.roll(hull, -1, axis=0), strict=True):
        side = b - a
        cross = rays[:, 0] * side[1] - rays[:, 1] * side[0]
        along = (a[0] * side[1] - a[1] * side[0]) / np.where(np.abs(cross) > 1e-12, cross, np.inf)
        share = (a[0] * rays[:, 1] - a[1] * rays[:, 0]) / np.where(np.abs(cross) > 1e-12, cross, np.inf)
        hit = (along > 0) & (share >= -1e-9) & (share <= 1 + 1e-9)
        out[hit] = np.maximum(out[hit], along[hit])
    return out


class Form:
    """The skirt's surface over direction (turns) and a height coordinate in which it is nearly conformal."""

    def __init__(self, vertices: np.ndarray, cut: Cut) -> None:
        heights, radii, self._middle = outline(vertices, cut)
        mean = radii.mean(1)
        slant = np.hypot(np.diff(heights), np.diff(mean))
        self._w = np.concatenate([[0], np.cumsum(slant / ((mean[1:] + mean[:-1]) / 2))])
        self._height = PchipInterpolator(self._w, heights)
        self._radii = PchipInterpolator(heights[::-1], radii[::-1], axis=0)
        self.depth = float(self._w[-1])

    def place(self, turn: np.ndarray, w: np.ndarray) -> np.ndarray:
        """Positions (n, 3) m at directions (radians) and depths w."""
        height = self._height(np.clip(w, 0, self.depth))
        table = self._radii(height)
        at = (turn % (2 * np.pi)) / (2 * np.pi) * DIRECTIONS
        low = np.floor(at).astype(int) % DIRECTIONS
        share = at - np.floor(at)
        rows = np.arange(len(at))
        radius = (1 - share) * table[rows, low] + share * table[rows, (low + 1) % DIRECTIONS]
        return np.stack(
            [radius * np.sin(turn) + self._middle[0], height, radius * np.cos(turn) + self._middle[1]], 1
        )


def build_skirt(vertices: np.ndarray, body_triangles: np.ndarray, cut: Cut):
    """Vertices (n, 3) m and faces by group."""
    form, rng = Form(vertices, cut), np.random.default_rng(cut.seed)
    borders = [_border(form, w, cut.spacing) for w in (0.0, form.depth)]
    inner = _scattered(form, cut.spacing, borders, rng)
    param = np.concatenate([*borders, inner])
    fixed = len(borders[0]) + len(borders[1])
    for _ in range(30):
        triangles = _triangles(param)
        param = _evened(form, param, triangles, fixed)
    triangles = _triangles(param)
    points = _eased_out(form.place(param[:, 0], param[:, 1]), vertices, body_triangles, cut.ease)
    return points, _grouped(points, _with_quads(points, triangles, rng))


def _eased_out(points: np.ndarray, vertices: np.ndarray, body_triangles: np.ndarray, ease: float) -> np.ndarray:
    """Points moved away from the body, level, until none is nearer than the ease."""
    out = points.copy()
    for _ in range(20):
        squared, _, nearest = igl.point_mesh_squared_distance(out, vertices, body_triangles.astype(np.int64))
        short = ease - np.sqrt(squared)
        if (short <= 1e-5).all():
            break
        away = (out - nearest) * [1, 0, 1]
        away /= np.maximum(np.linalg.norm(away, axis=1, keepdims=True), 1e-9)
        out += np.maximum(short, 0)[:, None] * away
    return out


def _border(form: Form, w: float, spacing: float) -> np.ndarray:
    fine = np.linspace(0, 2 * np.pi, 2001)
    ring = form.place(fine, np.full(2001, w))
    length = np.concatenate([[0], np.cumsum(np.linalg.norm(np.diff(ring, axis=0), axis=1))])
    count = round(length[-1] / spacing)
    return np.stack([np.interp(np.arange(count) / count * length[-1], length, fine), np.full(count, w)], 1)


def _scattered(form: Form, spacing: float, borders, rng) -> np.ndarray:
    """Dart throwing in space, dense enough to relax into an even mesh."""
    tries = rng.uniform(size=(400_000, 2)) * [2 * np.pi, form.depth]
    places = form.place(tries[:, 0], tries[:, 1])
    ring = np.concatenate([form.place(b[:, 0], b[:, 1]) for b in borders])
    away = cKDTree(ring).query(places)[0] > 0.72 * spacing
    tries, places = tries[away], places[away]
    tree, alive, kept = cKDTree(places), np.ones(len(places), bool), []
    for i in range(len(places)):
        if alive[i]:
            kept.append(i)
            alive[tree.query_ball_point(places[i], 0.80 * spacing)] = False
    return tries[kept]


def _triangles(param: np.ndarray) -> np.ndarray:
    """Periodic Delaunay triangulation in the conformal plane."""
    count = len(param)
    copies = np.concatenate([param + [k * 2 * np.pi, 0] for k in (-1, 0, 1)])
    # Lift the border a little outwards so that its chords are hull edges.
    lifted = copies.copy()
    top, bottom = copies[:, 1] <= 1e-9, copies[:, 1] >= param[:, 1].max() - 1e-9
    lifted[top, 1] -= 1e-7 * (copies[top, 0] ** 2)
    lifted[bottom, 1] += 1e-7 * (copies[bottom, 0] ** 2)
    found = Delaunay(copies).simplices
    middle = copies[found].mean(1)
    found = found[(middle[:, 0] >= 0) & (middle[:, 0] < 2 * np.pi)]
    a, b, c = (copies[found[:, k]] for k in range(3))
    area = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0])
    found[area > 0] = found[area > 0][:, ::-1]
    found = found[np.abs(area) > 1e-9] % count
    _, first = np.unique(np.sort(found, 1), axis=0, return_index=True)
    return found[np.sort(first)]


def _evened(form: Form, param: np.ndarray, triangles: np.ndarray, fixed: int) -> np.ndarray:
    """Each inner vertex toward the area-weighted middle of its triangles."""
    corners = param[triangles].copy()
    turn = corners[:, :, 0]
    turn += 2 * np.pi * np.round((turn[:, :1] - turn) / (2 * np.pi))
    places = form.place(param[:, 0], param[:, 1])[triangles]
    area = np.linalg.norm(np.cross(places[:, 1] - places[:, 0], places[:, 2] - places[:, 0]), axis=1)
    pull, weight = np.zeros_like(param), np.zeros(len(param))
    centre = corners.mean(1)
    for k in range(3):
        near = centre - corners[:, k]
        np.add.at(pull, triangles[:, k], near * area[:, None])
        np.add.at(weight, triangles[:, k], area)
    out = param + 0.9 * pull / weight[:, None]
    out[:fixed] = param[:fixed]
    out[:, 0] %= 2 * np.pi
    return out


def _with_quads(points, triangles, rng) -> list[list[int]]:
    """Some neighbouring triangles joined into quads where these come out nearly rectangular."""
    sides: dict[tuple[int, int], list[int]] = {}
    for index, t in enumerate(triangles.tolist()):
        for k in range(3):
            sides.setdefault((min(t[k], t[k - 1]), max(t[k], t[k - 1])), []).append(index)
    used, faces = set(), []
    for (a, b), pair in sides.items():
        if len(pair) != 2 or used & set(pair) or rng.uniform() > 0.25:
            continue
        first = triangles[pair[0]].tolist()
        c = next(v for v in first if v not in (a, b))
        d = next(v for v in triangles[pair[1]].tolist() if v not in (a, b))
        at = first.index(c)
        quad = [c, first[(at + 1) % 3], d, first[(at + 2) % 3]]
        if _worst_corner(points[quad]) < 0.22:
            used |= set(pair)
            faces.append(quad)
    return faces + [t for i, t in enumerate(triangles.tolist()) if i not in used]


def _worst_corner(quad: np.ndarray) -> float:
    side = np.roll(quad, -1, axis=0) - quad
    side /= np.linalg.norm(side, axis=1, keepdims=True)
    return float(np.abs((side * np.roll(side, 1, axis=0)).sum(1)).max())


def _grouped(points: np.ndarray, faces: list[list[int]]) -> dict[str, list[list[int]]]:
    groups: dict[str, list[list[int]]] = {"waistband": [], "upper_tier": [], "lower_tier": []}
    for face in faces:
        height = points[face, 1].mean()
        name = "waistband" if height > BAND else "upper_tier" if height > SEAM else "lower_tier"
        groups[name].append(face)
    return {name: faces for name, faces in groups.items() if faces}
