"""A skirt cut from rings: a band, then courses of cloth, each gathered to the one above it; flat at rest."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from ...geometry.flat_meshing import even_mesh
from ...geometry.rest_metric import metric_of_pieces
from ...geometry.triangles import flat_areas
from ...model.errors import ShotError
from ...model.garment import GarmentShape
from ...model.mesh import Mesh, Topology, TriangleMap
from ...model.typed import Indices, Points, Scalars, Triangles, Vectors

Size = Callable[[int, Scalars, Scalars], Scalars]  # course, (q,) fractions of the way round, (q,) depths: m
MOST_VERTICES = 200_000
WIDEST_GORE = np.pi / 3
GATHERED = 1.02  # from here on a course is sewn to a shorter edge by a row of its own
ROW = 0.87  # of the spacing, the height of a row of even triangles
UNEVEN = 0.6  # of a gathered edge, the most by which the two others of its triangle differ
FINELY = 201  # places at which a size is looked at along a line
ASIDE = 0.02  # m between gores in the UVs
FAR_BELOW = 1000.0  # m


@dataclass(frozen=True)
class Course:
    """One ring of cloth: top and hem m round as cut, depth m along the cloth; sewn: m of the edge that it is
    sewn to, which gathers it; name: its face group.
    """

    name: str
    top: float
    hem: float
    depth: float
    sewn: float

    @property
    def gather(self) -> float:
        """Cloth over the edge it is sewn to."""
        return self.top / self.sewn

    @property
    def area(self) -> float:
        """m2 as cut."""
        return (self.top + self.hem) / 2 * self.depth

    def round_at(self, depth: Scalars) -> Scalars:
        """How many m it is round at depths below its top edge."""
        return self.top + (self.hem - self.top) * depth / self.depth


@dataclass(frozen=True)
class Tier:
    """A flounce: depth m, gather, 1 or more, and flare, its hem over its top."""

    depth: float
    gather: float = 1.5
    flare: float = 1.0


@dataclass(frozen=True)
class RingsCut:
    """A skirt between a waist and a hem, m above the floor; tiers hang from the hem, each from the one before.
    `ShotError` for what cannot be cut.

    foot      m above the floor, what heights count from where they are told
    band      m deep, none at 0; ease m that it is longer than the figure's girth beneath it
    fullness  cloth at the top of the skirt over the band; flare: its hem over its top
    opening   in front: none, a slit of `slit` m from the lowest hem, or open from top to hem
    """

    waist: float
    hem: float
    band: float = 0.035
    ease: float = 0.030
    fullness: float = 1.0
    flare: float = 1.6
    opening: Literal["closed", "slit", "open"] = "closed"
    slit: float = 0.3
    tiers: tuple[Tier, ...] = ()
    foot: float = 0.0

    def courses(self, girth: float) -> tuple[Course, ...]:
        """What is cut for a figure of `girth` m round at the band."""
        round_it = girth + self.ease
        out = []
        if self.band > 0:
            out.append(Course("waistband", round_it, round_it, self.band, round_it))
        top = round_it * self.fullness
        out.append(Course("skirt", top, top * self.flare, self.waist - self.band - self.hem, round_it))
        for number, tier in enumerate(self.tiers, 1):
            sewn = out[-1].hem
            top = sewn * tier.gather
            out.append(Course(f"tier {number}", top, top * tier.flare, tier.depth, sewn))
        return tuple(out)

    @property
    def lowest(self) -> float:
        """The height m that its last hem reaches when all of it hangs straight down."""
        return self.hem - sum(tier.depth for tier in self.tiers)

    def open_from(self, courses: Sequence[Course]) -> float:
        """Depth m along the cloth from its top, below which the front is open; infinite where it is closed."""
        whole = sum(course.depth for course in courses)
        return {"closed": np.inf, "open": 0.0, "slit": max(0.0, whole - self.slit)}[self.opening]

    def __post_init__(self) -> None:
        if self.hem >= self.waist - self.band:
            raise ShotError(
                f"the hem, at {(self.hem - self.foot) * 1e3:.0f} mm, is not below the band, which ends at "
                f"{(self.waist - self.band - self.foot) * 1e3:.0f} mm",
                remedy="Lower the hem or raise the waist",
            )
        if self.fullness < 1:
            raise ShotError(
                f"a fullness of {self.fullness:g} has less cloth than the band it is gathered to",
                remedy="Give 1 or more",
            )
        for number, tier in enumerate(self.tiers, 1):
            if tier.gather < 1:
                raise ShotError(
                    f"tier {number} is gathered {tier.gather:g} times, which is less cloth than the edge it is "
                    "sewn to",
                    remedy="Give 1 or more",
                )


@dataclass(frozen=True, eq=False)
class RingsMesh:
    """The meshed courses: n vertices, m triangles, whose first corner order is kept everywhere.

    triangles  (m, 3) int32, counter-clockwise as seen from outside
    course     (n,) int32, the one that a vertex was cut in; of a shared edge, the upper
    fraction   (n,) how far round from the front, 0 to 1; depth (n,) m below the top edge of that course
    corners    (m, 3, 2) m at rest, along weft and warp; gathered edges are as long as what they are sewn to
    cut_areas  (m,) m2 of the cloth before it is gathered
    flat       (k, 2) m, points of the cut pieces laid out beside each other, and flat_corners (m, 3) into them
    of_course  (m,) int32
    side       (n,) -1 on the left edge of the front opening, 1 on its right, else 0
    """

    triangles: Triangles
    course: Indices
    fraction: Scalars
    depth: Scalars
    corners: Vectors
    cut_areas: Scalars
    flat: Vectors
    flat_corners: Triangles
    of_course: Indices
    side: Indices


def check_count(count: float, mm: float) -> None:
    """`ShotError` when a spacing of so many mm gives too many vertices."""
    if count > MOST_VERTICES:
        enough = mm * np.sqrt(count / MOST_VERTICES)
        raise ShotError(
            f"a spacing of {mm:g} mm gives about {count:,.0f} vertices, more than {MOST_VERTICES:,}",
            remedy=f"Give at least {np.ceil(enough * 10) / 10:g} mm",
        )


def check_spacing(courses: Sequence[Course], spacing: float) -> None:
    """`ShotError` when triangles of that spacing, m, are too many, or larger than a piece."""
    check_count(sum(course.area for course in courses) / (0.866 * spacing**2), spacing * 1e3)
    for course in courses:
        least = min(course.depth, course.hem / 8, course.sewn / 8)
        if spacing > least:
            raise ShotError(
                f"a spacing of {spacing * 1e3:g} mm is larger than the {course.name} allows",
                remedy=f"Give at most {np.floor(least * 1e3):g} mm, or make it larger",
            )


def mesh_of(
    courses: Sequence[Course], spacing: float, open_from: float = np.inf, size: Size | None = None
) -> RingsMesh:
    """Courses meshed at `spacing` m, or by `size`, each welded to the one above. The same input gives the same
    bits.
    """
    check_spacing(courses, spacing)
    gores = 4 * max(1, *(int(np.ceil(abs(c.hem - c.top) / c.depth / WIDEST_GORE / 4)) for c in courses))
    build = _Build(spacing, gores, open_from, size)
    for index, course in enumerate(courses):
        build.add(index, course)
    return build.mesh()


@dataclass(frozen=True, eq=False)
class _Ring:
    """A line round a skirt, gore by gore: vertices from its left side to its right, and their shares of it."""

    ids: list[Indices]
    shares: list[Scalars]


class _Build:
    """Vertices and triangles of courses, from the top down."""

    def __init__(self, spacing: float, gores: int, open_from: float, size: Size | None) -> None:
        self.spacing, self.gores, self.open_from, self.size = spacing, gores, open_from, size
        self.reached = 0.0
        self.vertices: list[tuple[int, float, float, int]] = []
        self.seam = _Ring([], [])
        self.parts: list[tuple[Triangles, Vectors, Scalars, Vectors, Triangles, int]] = []
        self.flat_count = 0

    def add(self, index: int, course: Course) -> None:
        """One course below what there is."""
        gores, form = self.gores, _Gore(course, self.gores)
        if index == 0:
            self.seam = self._ring(index, course, 0.0)
        gathered = course.gather >= GATHERED
        finest = float(self._sizes(index, np.linspace(0, 1, 4 * gores + 1), np.zeros(4 * gores + 1)).min())
        first = min(max(ROW, course.gather / 2) * finest, course.depth / 2) if gathered else 0.0
        depths = [self._depths(index, gore % gores, first, course.depth) for gore in range(gores + 1)]
        sides = self._sides(index, [one[:-1] if gathered else one[1:-1] for one in depths])
        hem = self._ring(index, course, course.depth)
        row = self._row_below(index, course, first, sides) if gathered else self.seam
        piece, known = None, np.zeros((0, 2))
        for gore in range(gores):
            left, right = sides[gore], sides[gore + 1]
            if gathered:
                self._sew(course, form, gore, row, first, index)
                left, right = left[1:], right[1:]
            outline = form.outline(depths[gore], depths[gore + 1], hem.shares[gore], row.shares[gore])
            if piece is None or self.size is not None:
                piece = even_mesh(outline, self._size_in(form, index, gore))
                known = form.unrolled(piece.points[piece.border :])
            new = [self._vertex(index, (gore + share) / gores, depth, 0) for share, depth in known.tolist()]
            border = np.concatenate([hem.ids[gore], right[::-1], row.ids[gore][::-1], left])
            every = np.concatenate([border, np.array(new, np.int32)]).astype(np.int32)
            self._keep(every, piece.points, piece.triangles, index, gore, form)
        self.seam = hem
        self.reached += course.depth

    def _sizes(self, course: int, fraction: Scalars, depth: Scalars) -> Scalars:
        if self.size is None:
            return np.full(len(fraction), self.spacing)
        return self.size(course, fraction, depth)

    def _size_in(self, form: _Gore, course: int, gore: int) -> Callable[[Vectors], Scalars]:
        """The size at places (q, 2) of a flat gore."""

        def size(at: Vectors) -> Scalars:
            if self.size is None:
                return np.full(len(at), self.spacing)
            share, depth = form.unrolled(at).T
            return self.size(course, (gore + np.clip(share, 0, 1)) / self.gores, depth)

        return size

    def _cut(self, length: float, sizes: Callable[[Scalars], Scalars], least: int) -> Scalars:
        """Shares, from 0 to 1, at which a line of a length m is cut into edges of its sizes."""
        if self.size is None:
            return np.linspace(0, 1, max(least, round(length / self.spacing)) + 1)
        at = np.linspace(0, 1, FINELY)
        density = length / sizes(at)
        along = np.concatenate([[0.0], np.cumsum((density[1:] + density[:-1]) / 2 / (FINELY - 1))])
        count = max(least, round(along[-1]))
        return np.interp(np.linspace(0, along[-1], count + 1), along, at)

    def _depths(self, course: int, gore: int, first: float, last: float) -> Scalars:
        """Depths at which the line left of a gore is cut."""
        fraction = np.full(FINELY, gore / self.gores)
        sizes = lambda at: self._sizes(course, fraction, first + at * (last - first))  # noqa: E731
        return first + self._cut(last - first, sizes, 1) * (last - first)

    def _vertex(self, course: int, fraction: float, depth: float, side: int) -> int:
        self.vertices.append((course, fraction, depth, side))
        return len(self.vertices) - 1

    def _opens(self, depth: float) -> bool:
        return self.reached + depth > self.open_from + 1e-9 or self.open_from <= 0.0

    def _ring(self, index: int, course: Course, depth: float) -> _Ring:
        """A whole ring; at its end its first vertex once more, or another where the front is open."""
        opens, ids, shares = self._opens(depth), [], []
        length = float(course.round_at(np.array(depth))) / self.gores
        for gore in range(self.gores):
            deep = np.full(FINELY, depth)
            sizes = lambda at, g=gore, d=deep: self._sizes(index, (g + at) / self.gores, d)  # noqa: E731
            cut = self._cut(length, sizes, 2)
            shares.append(cut)
            ids.append(
                [
                    self._vertex(index, (gore + share) / self.gores, depth, -int(opens and gore == k == 0))
                    for k, share in enumerate(cut[:-1].tolist())
                ]
            )
        last = self._vertex(index, 1.0, depth, 1) if opens else ids[0][0]
        ends = [*(one[0] for one in ids[1:]), last]
        return _Ring([np.array([*one, end], np.int32) for one, end in zip(ids, ends, strict=True)], shares)

    def _sides(self, course: int, depths: list[Scalars]) -> list[Indices]:
        """Vertices of the lines between gores, from the front on round to the front again."""
        lines: list[list[int]] = []
        for gore, own in enumerate(depths[:-1]):
            lines.append(
                [
                    self._vertex(course, gore / self.gores, depth, -int(gore == 0 and self._opens(depth)))
                    for depth in own.tolist()
                ]
            )
        lines.append(
            [
                self._vertex(course, 1.0, depth, 1) if self._opens(depth) else lines[0][k]
                for k, depth in enumerate(depths[-1].tolist())
            ]
        )
        return [np.array(line, np.int32) for line in lines]

    def _row_below(self, index: int, course: Course, depth: float, sides: list[Indices]) -> _Ring:
        """The first row below a gathered edge, whose ends are the first vertices of the sides."""
        ids, shares = [], []
        length = float(course.round_at(np.array(depth))) / self.gores
        for gore in range(self.gores):
            deep = np.full(FINELY, depth)
            sizes = lambda at, g=gore, d=deep: self._sizes(index, (g + at) / self.gores, d)  # noqa: E731
            cut = self._cut(length, sizes, 2)
            inner = [self._vertex(index, (gore + k) / self.gores, depth, 0) for k in cut[1:-1].tolist()]
            ids.append(np.array([sides[gore][0], *inner, sides[gore + 1][0]], np.int32))
            shares.append(cut)
        return _Ring(ids, shares)

    def _sew(self, course: Course, form: _Gore, gore: int, row: _Ring, depth: float, index: int) -> None:
        """The triangles of a gore that gather a course to the edge above it."""
        top, upper = self.seam.ids[gore], self.seam.shares[gore]
        below, lower = row.ids[gore], row.shares[gore]
        flat = np.concatenate(
            [form.rolled(upper, np.zeros(len(top))), form.rolled(lower, np.full(len(below), depth))]
        )
        triangles, bases = [], []
        i = j = 0
        while i < len(below) - 1 or j < len(top) - 1:
            ahead_lower = lower[i + 1] if i < len(below) - 1 else np.inf
            ahead_upper = upper[j + 1] if j < len(top) - 1 else np.inf
            if ahead_lower + lower[i] <= ahead_upper + upper[j]:
                triangles.append((len(top) + i, len(top) + i + 1, j))
                bases.append(0.0)
                i += 1
            else:
                triangles.append((j, len(top) + i, j + 1))
                bases.append(course.sewn / self.gores * float(upper[j + 1] - upper[j]))
                j += 1
        local = np.array(triangles, np.int32)
        self._keep(np.concatenate([top, below]), flat, local, index, gore, form, np.array(bases))

    def _keep(
        self, ids: Indices, flat: Vectors, local: Triangles, index: int, gore: int, form: _Gore,
        bases: Scalars | None = None,
    ) -> None:  # fmt: skip
        corners = flat[local]
        areas = flat_areas(corners)
        if bases is not None:
            corners, sewn = corners.copy(), bases > 0
            corners[sewn] = _gathered(corners[sewn], bases[sewn])
        aside = np.array([gore * (form.width + ASIDE), -(self.reached + (ASIDE if index else 0.0) * index)])
        self.parts.append((ids[local], corners, areas, flat + aside, local + self.flat_count, index))
        self.flat_count += len(flat)

    def mesh(self) -> RingsMesh:
        """All of it."""
        course, fraction, depth, side = (np.array(column) for column in zip(*self.vertices, strict=True))
        triangles, corners, areas, flat, flat_corners, index = zip(*self.parts, strict=True)
        return RingsMesh(
            np.concatenate(triangles).astype(np.int32), course.astype(np.int32), fraction, depth,
            np.concatenate(corners), np.concatenate(areas), np.concatenate(flat),
            np.concatenate(flat_corners).astype(np.int32),
            np.repeat(np.array(index, np.int32), [len(one) for one in triangles]), side.astype(np.int32),
        )  # fmt: skip


class _Gore:
    """One of the equal parts of a course, flat: a strip, or the sector of a ring; warp runs down its middle."""

    def __init__(self, course: Course, gores: int) -> None:
        self.course, self.gores = course, gores
        self.widening = (course.hem - course.top) / course.depth  # radians of the whole course's ring
        self.straight = abs(self.widening) < 1e-3
        self.width = max(course.top, course.hem) / gores

    def rolled(self, share: Scalars, depth: Scalars) -> Vectors:
        """Flat points (n, 2) m, by the share of the gore's width from its left side, and the depth."""
        length = self.course.round_at(depth)
        if self.straight:
            return np.stack([(share - 0.5) * length / self.gores, -depth], axis=1)
        radius, sign = length / abs(self.widening), np.sign(self.widening)
        angle = (share - 0.5) * abs(self.widening) / self.gores
        first = self.course.top / abs(self.widening)
        return np.stack([radius * np.sin(angle), -sign * (radius * np.cos(angle) - first)], axis=1)

    def unrolled(self, flat: Vectors) -> Vectors:
        """Share and depth (n, 2) of flat points."""
        if self.straight:
            length = self.course.round_at(-flat[:, 1])
            return np.stack([flat[:, 0] * self.gores / length + 0.5, -flat[:, 1]], axis=1)
        first, sign = self.course.top / abs(self.widening), np.sign(self.widening)
        down = first - sign * flat[:, 1]
        radius = np.hypot(flat[:, 0], down)
        angle = np.arctan2(flat[:, 0], down)
        share = angle * self.gores / abs(self.widening) + 0.5
        return np.stack([share, sign * (radius - first)], axis=1)

    def outline(self, left: Scalars, right: Scalars, hem: Scalars, top: Scalars) -> Vectors:
        """Its outline counter-clockwise from the hem's left end, cut at depths left and right, and at shares of
        the way across along the hem and the top.
        """
        return np.concatenate(
            [
                self.rolled(hem, np.full(len(hem), left[-1])),
                self.rolled(np.ones(len(right) - 2), right[1:-1][::-1]),
                self.rolled(top[::-1], np.full(len(top), left[0])),
                self.rolled(np.zeros(len(left) - 2), left[1:-1]),
            ]
        )


def _gathered(corners: Vectors, base: Scalars) -> Vectors:
    """Triangles (m, 3, 2) whose first and last corner lie on a gathered edge, with that edge `base` (m,) m long
    and the two others as cut.
    """
    first = np.linalg.norm(corners[:, 1] - corners[:, 0], axis=1)
    last = np.linalg.norm(corners[:, 1] - corners[:, 2], axis=1)
    mean, apart = (first + last) / 2, np.clip((first - last) / 2, -UNEVEN * base / 2, UNEVEN * base / 2)
    first, last = mean + apart, mean - apart
    along = (first**2 - last**2 + base**2) / (2 * base)
    out = np.zeros_like(corners)
    out[:, 1, 0], out[:, 2, 0] = along, base
    out[:, 1, 1] = -np.sqrt(first**2 - along**2)
    return out


@dataclass(frozen=True, eq=False)
class FromRings:
    """A garment whose flat pieces were cut in rings: at rest as cut, worn as placed.

    surface  the mesh as it is placed
    """

    surface: Mesh
    mesh: RingsMesh
    courses: tuple[Course, ...]

    def shape(self, name: str, cut: TriangleMap, topology: Topology) -> GarmentShape:
        """Rest metric from the cut, start and allowed nearness as placed."""
        metric = replace(metric_of_pieces(self.mesh.corners, topology), areas=self.mesh.cut_areas)
        points = self.surface.vertices
        return GarmentShape(
            name, topology, metric, placed=points, near=points, surface=self.surface,
            source_face=cut.source_face, directions="down the pieces",
        )  # fmt: skip

    def unrolled(self, like: FromRings) -> Points:
        """Every vertex (n, 3) m on a tube of the courses of `like`."""
        return self.on_tube(like.courses)

    def on_tube(self, courses: Sequence[Course]) -> Points:
        """Every vertex (n, 3) m on a tube of these courses, one below the other, by the name of its own course,
        its way round and its share of the depth; far below where there is no course of that name.
        """
        names = [course.name for course in courses]
        place = np.array([names.index(c.name) if c.name in names else -1 for c in self.courses])
        at = place[self.mesh.course]
        share = self.mesh.depth / np.array([c.depth for c in self.courses])[self.mesh.course]
        top, hem, deep = (np.array([getattr(c, key) for c in courses]) for key in ("top", "hem", "depth"))
        above = np.concatenate([[0.0], np.cumsum(deep)[:-1]])
        radius = (top[at] + share * (hem - top)[at]) / 2 / np.pi
        down = np.where(at < 0, FAR_BELOW + share, above[at] + share * deep[at])
        turn = 2 * np.pi * self.mesh.fraction
        return np.stack([radius * np.sin(turn), -down, radius * np.cos(turn)], axis=1)


def source_of_rings(name: str, mesh: RingsMesh, courses: Sequence[Course], placed: Points) -> FromRings:
    """A garment of meshed courses, placed (n, 3) m."""
    count = len(mesh.triangles)
    groups = {
        course.name: np.flatnonzero(mesh.of_course == index).astype(np.int32)
        for index, course in enumerate(courses)
    }
    surface = Mesh(
        name, placed, np.full(count, 3, np.int32), mesh.triangles.ravel(), mesh.flat, mesh.flat_corners.ravel(),
        groups,
    )  # fmt: skip
    return FromRings(surface, mesh, tuple(courses))
