"""A skirt cut from rings: a band, then courses of cloth, each gathered to the one above it; flat at rest."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from ...geometry.flat_meshing import even_mesh
from ...geometry.rest_metric import metric_of_pieces
from ...model.errors import ShotError
from ...model.garment import GarmentShape
from ...model.mesh import Mesh, Topology, TriangleMap
from ...model.typed import Indices, Points, Scalars, Triangles, Vectors

MOST_VERTICES = 200_000
WIDEST_GORE = np.pi / 3
GATHERED = 1.02  # from here on a course is sewn to a shorter edge by a row of its own
ROW = 0.87  # of the spacing, the height of a row of even triangles
UNEVEN = 0.6  # of a gathered edge, the most by which the two others of its triangle differ
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
        """What is cut for a figure of `girth` m round at the band. `ShotError` for what cannot be cut."""
        self._check()
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

    def open_from(self, courses: Sequence[Course]) -> float:
        """Depth m along the cloth from its top, below which the front is open; infinite where it is closed."""
        whole = sum(course.depth for course in courses)
        return {"closed": np.inf, "open": 0.0, "slit": max(0.0, whole - self.slit)}[self.opening]

    def _check(self) -> None:
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


def check_spacing(courses: Sequence[Course], spacing: float) -> None:
    """`ShotError` when triangles of that spacing, m, are too many, or larger than a piece."""
    area = sum(course.area for course in courses)
    count = area / (0.866 * spacing**2)
    if count > MOST_VERTICES:
        enough = np.sqrt(area / (0.866 * MOST_VERTICES))
        raise ShotError(
            f"a spacing of {spacing * 1e3:g} mm gives about {count:,.0f} vertices, more than {MOST_VERTICES:,}",
            remedy=f"Give at least {np.ceil(enough * 1e4) / 10:g} mm",
        )
    for course in courses:
        least = min(course.depth, course.hem / 8, course.sewn / 8)
        if spacing > least:
            raise ShotError(
                f"a spacing of {spacing * 1e3:g} mm is larger than the {course.name} allows",
                remedy=f"Give at most {np.floor(least * 1e3):g} mm, or make it larger",
            )


def mesh_of(courses: Sequence[Course], spacing: float, open_from: float = np.inf) -> RingsMesh:
    """Courses meshed at `spacing` m, each welded to the one above. The same input gives the same bits."""
    check_spacing(courses, spacing)
    gores = 4 * max(1, *(int(np.ceil(abs(c.hem - c.top) / c.depth / WIDEST_GORE / 4)) for c in courses))
    build = _Build(spacing, gores, open_from)
    for index, course in enumerate(courses):
        build.add(index, course)
    return build.mesh()


class _Build:
    """Vertices and triangles of courses, from the top down."""

    def __init__(self, spacing: float, gores: int, open_from: float) -> None:
        self.spacing, self.gores, self.open_from = spacing, gores, open_from
        self.reached = 0.0
        self.vertices: list[tuple[int, float, float, int]] = []
        self.seam = np.zeros(0, np.int32)
        self.parts: list[tuple[Triangles, Vectors, Scalars, Vectors, Triangles, int]] = []
        self.flat_count = 0

    def add(self, index: int, course: Course) -> None:
        """One course below what there is."""
        spacing, gores, form = self.spacing, self.gores, _Gore(course, self.gores)
        if index == 0:
            self.seam = self._ring(index, max(2, round(course.top / gores / spacing)), 0.0)
        upper_count = (len(self.seam) - 1) // gores
        gathered = course.gather >= GATHERED
        first = min(max(ROW, course.gather / 2) * spacing, course.depth / 2) if gathered else 0.0
        down = max(1, round((course.depth - first) / spacing))
        depths = np.linspace(first, course.depth, down + 1)
        hem_count = max(2, round(course.hem / gores / spacing))
        wide = float(course.round_at(np.array(first))) / gores
        row_count = max(2, round(wide / spacing)) if gathered else upper_count
        sides = self._sides(index, depths[:-1] if gathered else depths[1:-1])
        hem = self._ring(index, hem_count, course.depth)
        outline = form.outline(depths, hem_count, row_count)
        piece = even_mesh(outline, lambda at: np.full(len(at), spacing))
        inside = form.unrolled(piece.points[piece.border :])
        for gore in range(gores):
            upper = self.seam[gore * upper_count : (gore + 1) * upper_count + 1]
            lower = hem[gore * hem_count : (gore + 1) * hem_count + 1]
            left, right = sides[gore], sides[gore + 1]
            if gathered:
                row = self._row(index, gore, row_count, first, left[0], right[0])
                self._sew(course, form, upper, row, first, index, gore)
                upper, left, right = row, left[1:], right[1:]
            new = [self._vertex(index, (gore + share) / gores, depth, 0) for share, depth in inside.tolist()]
            border = np.concatenate([lower, right[::-1], upper[::-1], left])
            every = np.concatenate([border, np.array(new, np.int32)]).astype(np.int32)
            self._keep(every, piece.points, piece.triangles, index, gore, form)
        self.seam = hem
        self.reached += course.depth

    def _vertex(self, course: int, fraction: float, depth: float, side: int) -> int:
        self.vertices.append((course, fraction, depth, side))
        return len(self.vertices) - 1

    def _opens(self, depth: float) -> bool:
        return self.reached + depth > self.open_from + 1e-9 or self.open_from <= 0.0

    def _ring(self, course: int, around: int, depth: float) -> Indices:
        """Vertices of a whole ring; at its end the first once more, or another where the front is open."""
        opens, count = self._opens(depth), around * self.gores
        ids = [self._vertex(course, k / count, depth, -1 if opens and k == 0 else 0) for k in range(count)]
        ids.append(self._vertex(course, 1.0, depth, 1) if opens else ids[0])
        return np.array(ids, np.int32)

    def _sides(self, course: int, depths: Scalars) -> list[Indices]:
        """Vertices of the lines between gores, from the front on round to the front again."""
        lines: list[list[int]] = []
        for gore in range(self.gores):
            opens = [gore == 0 and self._opens(depth) for depth in depths.tolist()]
            lines.append(
                [
                    self._vertex(course, gore / self.gores, depth, -int(open_here))
                    for depth, open_here in zip(depths.tolist(), opens, strict=True)
                ]
            )
        lines.append(
            [
                self._vertex(course, 1.0, depth, 1) if self._opens(depth) else lines[0][k]
                for k, depth in enumerate(depths.tolist())
            ]
        )
        return [np.array(line, np.int32) for line in lines]

    def _row(self, course: int, gore: int, count: int, depth: float, left: int, right: int) -> Indices:
        """Vertices of the first row below a gathered edge, from side to side of a gore."""
        inner = [self._vertex(course, (gore + k / count) / self.gores, depth, 0) for k in range(1, count)]
        return np.array([left, *inner, right], np.int32)

    def _sew(
        self, course: Course, form: _Gore, top: Indices, row: Indices, depth: float, index: int, gore: int
    ) -> None:
        """The row of triangles that gathers a course to the edge above it."""
        upper, lower = np.linspace(0, 1, len(top)), np.linspace(0, 1, len(row))
        above = form.rolled(upper, np.zeros(len(top)))
        below = form.rolled(lower, np.full(len(row), depth))
        flat = np.concatenate([above, below])
        triangles, sewn = [], []
        i = j = 0
        while i < len(row) - 1 or j < len(top) - 1:
            ahead_lower = lower[i + 1] if i < len(row) - 1 else np.inf
            ahead_upper = upper[j + 1] if j < len(top) - 1 else np.inf
            if ahead_lower + lower[i] <= ahead_upper + upper[j]:
                triangles.append((len(top) + i, len(top) + i + 1, j))
                sewn.append(False)
                i += 1
            else:
                triangles.append((j, len(top) + i, j + 1))
                sewn.append(True)
                j += 1
        local = np.array(triangles, np.int32)
        base = course.sewn / self.gores / (len(top) - 1)
        self._keep(np.concatenate([top, row]), flat, local, index, gore, form, np.array(sewn), base)

    def _keep(
        self, ids: Indices, flat: Vectors, local: Triangles, index: int, gore: int, form: _Gore,
        sewn: np.ndarray | None = None, base: float = 0.0,
    ) -> None:  # fmt: skip
        corners = flat[local]
        areas = _areas(corners)
        if sewn is not None:
            corners = corners.copy()
            corners[sewn] = _gathered(corners[sewn], base)
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

    def outline(self, depths: Scalars, hem: int, top: int) -> Vectors:
        """Its outline counter-clockwise, from the hem's left end, cut at depths (k,) along the sides."""
        across, above = np.linspace(0, 1, hem + 1), np.linspace(1, 0, top + 1)
        side = depths[1:-1]
        return np.concatenate(
            [
                self.rolled(across, np.full(hem + 1, depths[-1])),
                self.rolled(np.ones(len(side)), side[::-1]),
                self.rolled(above, np.full(top + 1, depths[0])),
                self.rolled(np.zeros(len(side)), side),
            ]
        )


def _areas(corners: Vectors) -> Scalars:
    e1, e2 = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    return np.asarray(np.abs(e1[:, 0] * e2[:, 1] - e1[:, 1] * e2[:, 0]) / 2)


def _gathered(corners: Vectors, base: float) -> Vectors:
    """Triangles (m, 3, 2) whose first and last corner lie on a gathered edge, with that edge `base` m long and
    the two others as cut.
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
