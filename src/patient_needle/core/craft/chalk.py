"""Chalk maps: a value from 0 to 1 per vertex with a role, made by steps in order: strokes, gradients, changes.

What is kept is the steps, not the values, so that one step can be taken back and all can be done again on
another mesh of the same garment.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Literal

import numpy as np

from ..geometry.geodesics import Walk
from ..geometry.normals import area_vectors, unit, vertex_normals
from ..geometry.topology import Topology
from ..geometry.tree import Tree, build_tree, closest_points
from ..model.errors import ShotError
from ..model.mesh import Mesh
from ..model.multipliers import Multipliers
from ..model.typed import Flags, Indices, Points, Scalars, Triangles, Vectors
from .choosing import chosen
from .holds import Choice

Mode = Literal["add", "lift", "set", "blend"]
Role = Literal["hold", "stretch", "shear", "bend", "weight", "memory", "friction", "damping"]

# What a map's 0 and 1 mean unless it says otherwise: factors of the fabric's own value; of a hold, its grip.
SPANS: Mapping[Role, tuple[float, float]] = {
    "hold": (0.0, 1.0),
    "stretch": (1.0, 10.0),
    "shear": (1.0, 10.0),
    "bend": (1.0, 30.0),
    "weight": (1.0, 4.0),
    "memory": (1.0, 10.0),
    "friction": (1.0, 3.0),
    "damping": (1.0, 5.0),
}

ASIDE = 1e-4  # m that the brush's place may lie off the surface before its facing counts
FACING = 0.5  # cosine between a hit's facing and a triangle's that is still the same side


@dataclass(frozen=True, eq=False)
class Stroke:
    """A brush drawn along a path. hits (k, 7): place in m of the garment as made, unit facing, pressure from 0
    to 1; size: radius, m; strength; softness: share of the radius over which it falls off; amount: what "set"
    goes to, and "add" and "lift" change by at full strength; through: all that is within the radius, other
    layers and the inside too; mirrored: done on the other side of x = 0 as well.
    """

    hits: Vectors
    size: float
    strength: float = 1.0
    softness: float = 0.5
    mode: Mode = "add"
    amount: float = 1.0
    through: bool = False
    mirrored: bool = False


@dataclass(frozen=True)
class Fill:
    """The same everywhere."""

    amount: float


@dataclass(frozen=True)
class Along:
    """From one value to another along a drawn line, `start` and `end` (3,) m, and held beyond its ends."""

    start: tuple[float, float, float]
    end: tuple[float, float, float]
    values: tuple[float, float] = (0.0, 1.0)


@dataclass(frozen=True)
class FromChoice:
    """From one value at chosen vertices to another `reach` m from them along the cloth."""

    choice: Choice
    reach: float
    values: tuple[float, float] = (1.0, 0.0)


@dataclass(frozen=True)
class Change:
    """Of all values: inverted; scaled by `amount`; clamped to `amount` to `other`; smoothed over `amount` m."""

    how: Literal["invert", "scale", "clamp", "smooth"]
    amount: float = 1.0
    other: float = 1.0


@dataclass(frozen=True)
class With:
    """Put together with another map of the garment."""

    name: str
    how: Literal["multiply", "least", "most"]


@dataclass(frozen=True)
class Mirror:
    """The side of x = 0 that `side` names (1: x above 0) copied to the other."""

    side: Literal[-1, 1] = 1


@dataclass(frozen=True, eq=False)
class Values:
    """A value per vertex (n,), from elsewhere."""

    values: Scalars


Step = Stroke | Fill | Along | FromChoice | Change | With | Mirror | Values


@dataclass(frozen=True, eq=False)
class ChalkMap:
    """A map: `span` is what its 0 and 1 mean for its role; in_use: whether the run goes by it."""

    name: str
    role: Role
    steps: tuple[Step, ...] = ()
    span: tuple[float, float] | None = None
    in_use: bool = True

    def means(self, values: Scalars) -> Scalars:
        """What values (n,) of it stand for: in even ratios between two ends above 0, else in even steps."""
        low, high = self.span or SPANS[self.role]
        if low > 0 and high > 0:
            return np.asarray(low * (high / low) ** values, np.float64)
        return np.asarray(low + (high - low) * values, np.float64)


@dataclass(frozen=True, eq=False)
class Ground:
    """A garment as made, to draw on: its mesh, triangles (m, 3), the face (m,) that each was cut from."""

    mesh: Mesh
    triangles: Triangles
    source_face: Indices
    topology: Topology

    @cached_property
    def walk(self) -> Walk:
        """Its surface to measure along."""
        return Walk.on(self.mesh.vertices, self.triangles)

    @cached_property
    def facing(self) -> Vectors:
        """Unit normals (m, 3)."""
        return unit(area_vectors(self.mesh.vertices, self.triangles))

    @cached_property
    def tree(self) -> Tree:
        """Boxes about its triangles."""
        return build_tree(self.mesh.vertices, self.triangles)

    @cached_property
    def _turned(self) -> tuple[tuple[Indices, Tree] | None, ...]:
        """Triangles that face each of six ways, and a tree of each; None where there are none."""
        out = []
        for axis in range(3):
            for sign in (1.0, -1.0):
                rows = np.flatnonzero(sign * self.facing[:, axis] >= FACING).astype(np.int32)
                tree = (rows, build_tree(self.mesh.vertices, self.triangles[rows])) if len(rows) else None
                out.append(tree)
        return tuple(out)

    def places(self, points: Points, facing: Vectors) -> tuple[Indices, Vectors]:
        """Nearest place of the surface that faces as (k, 3) says to points (k, 3) m: triangle (k,) and
        barycentric (k, 3); the nearest of all where the nearest lies at hand or nothing faces so.
        """
        triangle, barycentric, distance = closest_points(self.tree, self.mesh.vertices, points)
        agrees = np.einsum("ij,ij->i", self.facing[triangle], facing) >= FACING
        for k in np.flatnonzero(~agrees & (distance > ASIDE)):
            axis = int(np.argmax(np.abs(facing[k])))
            turned = self._turned[2 * axis + int(facing[k, axis] < 0)]
            if turned is not None:
                found, at, _ = closest_points(turned[1], self.mesh.vertices, points[k : k + 1])
                triangle[k], barycentric[k] = turned[0][found[0]], at[0]
        return triangle, barycentric

    @cached_property
    def spacing(self) -> float:
        """Mean length of its edges, m."""
        ends = self.mesh.vertices[self.topology.edges]
        return float(np.linalg.norm(ends[:, 0] - ends[:, 1], axis=1).mean())

    @cached_property
    def reflection(self) -> tuple[Indices, Vectors, Flags]:
        """Place of each vertex's mirror image in x = 0 on the surface: triangle (n,), barycentric (n, 3), and
        (n,) whether the image lies on it at all, within half a spacing.
        """
        mirror = np.array([-1.0, 1.0, 1.0])
        images = self.mesh.vertices * mirror
        facing = vertex_normals(self.mesh.vertices, self.triangles)
        triangle, barycentric = self.places(images, facing * mirror)
        found = np.einsum("ik,ikj->ij", barycentric, self.mesh.vertices[self.triangles[triangle]])
        return triangle, barycentric, np.linalg.norm(found - images, axis=1) < 0.5 * self.spacing

    def reflected(self, values: Scalars, instead: Scalars | float = 0.0) -> Scalars:
        """Values (n,) as they are at each vertex's mirror image; `instead` where there is no cloth there."""
        triangle, barycentric, there = self.reflection
        return np.where(there, np.einsum("ik,ik->i", barycentric, values[self.triangles[triangle]]), instead)

    def smoothed(self, values: Scalars, over: float) -> Scalars:
        """Values (n,) spread over about `over` m: means with neighbours, again and again."""
        edges, count = self.topology.edges, len(values)
        degree = np.maximum(np.bincount(edges.ravel(), minlength=count), 1)
        out = values.copy()
        for _ in range(max(1, round((over / self.spacing) ** 2))):
            total = np.bincount(edges[:, 0], out[edges[:, 1]], count)
            total += np.bincount(edges[:, 1], out[edges[:, 0]], count)
            out = 0.5 * (out + total / degree)
        return out


def drawn(chalk: ChalkMap, ground: Ground, others: Mapping[str, ChalkMap] | None = None) -> Scalars:
    """The map's values (n,) from 0 to 1: its steps in order, from 0 everywhere. others: maps that its steps may
    name. `ShotError` says which step cannot be done, and why.
    """
    return _drawn(chalk, ground, others or {}, ())


def _drawn(chalk: ChalkMap, ground: Ground, others: Mapping[str, ChalkMap], above: tuple[str, ...]) -> Scalars:
    values = np.zeros(ground.mesh.vertex_count)
    for index, step in enumerate(chalk.steps):
        try:
            if isinstance(step, With):
                values = _put_together(step, values, ground, others, (*above, chalk.name))
            else:
                values = stepped(step, values, ground)
        except ShotError as error:
            raise error.at(f"map '{chalk.name}', step {index + 1}") from None
        values = np.clip(values, 0.0, 1.0)
    return values


def stepped(
    step: Stroke | Fill | Along | FromChoice | Change | Mirror | Values, values: Scalars, ground: Ground
) -> Scalars:
    """Values (n,) after one step on values (n,)."""
    if isinstance(step, Stroke):
        return stroked(step, coverage(step, ground), values, ground)
    if isinstance(step, Fill):
        return np.full(len(values), step.amount)
    if isinstance(step, Along):
        start, way = np.array(step.start), np.subtract(step.end, step.start)
        if not way @ way > 0:
            raise ShotError("its line has no length", remedy="Draw it from one place to another")
        share = np.clip((ground.mesh.vertices - start) @ way / (way @ way), 0.0, 1.0)
        return step.values[0] + share * (step.values[1] - step.values[0])
    if isinstance(step, FromChoice):
        return _from_choice(step, ground)
    if isinstance(step, Mirror):
        other = np.sign(ground.mesh.vertices[:, 0]) == -step.side
        return np.where(other, ground.reflected(values, values), values)
    if isinstance(step, Values):
        return _given(step.values, len(values))
    return _changed(step, values, ground)


def coverage(stroke: Stroke, ground: Ground) -> Scalars:
    """How much of the stroke reaches each vertex, (n,) from 0 to 1. The most that any hit gives counts, so that
    it does not matter how close the hits are.
    """
    hits = stroke.hits
    if not (stroke.size > 0 and 0 <= stroke.softness <= 1 and 0 <= stroke.strength <= 1):
        raise ShotError(
            f"a brush of {stroke.size * 1e3:g} mm, softness {stroke.softness:g}, strength {stroke.strength:g}",
            remedy="Give a size above 0, and the others from 0 to 1",
        )
    if hits.ndim != 2 or hits.shape[1] != 7 or not np.isfinite(hits).all():
        raise ShotError("the stroke's path is not made of numbers", remedy="Draw it again")
    points = ground.mesh.vertices
    if len(hits) == 0:
        return np.zeros(len(points))
    if not stroke.through:
        triangle, barycentric = ground.places(hits[:, :3], hits[:, 3:6])
        return ground.walk.brushed(
            triangle, barycentric, hits[:, 6], stroke.size, stroke.softness * stroke.size
        )
    out = np.zeros(len(points))
    for hit in hits:
        away = np.linalg.norm(points - hit[:3], axis=1)
        np.maximum(out, hit[6] * _falls_off(away, stroke), out=out)
    return out


def stroked(stroke: Stroke, reach: Scalars, values: Scalars, ground: Ground) -> Scalars:
    """Values (n,) after a stroke that reaches each vertex as `coverage` says, (n,)."""
    if stroke.mirrored:
        reach = np.maximum(reach, ground.reflected(reach))
    share = stroke.strength * reach
    if stroke.mode == "add":
        return values + share * stroke.amount
    if stroke.mode == "lift":
        return values - share * stroke.amount
    if stroke.mode == "set":
        return values + share * (stroke.amount - values)
    return values + share * (ground.smoothed(values, 0.5 * stroke.size) - values)


def _falls_off(away: Scalars, stroke: Stroke) -> Scalars:
    """1 under the brush's middle, smoothly to 0 over the soft share of its radius."""
    soft = stroke.softness * stroke.size
    if soft <= 0:
        return np.where(away <= stroke.size, 1.0, 0.0)
    t = np.clip((stroke.size - away) / soft, 0.0, 1.0)
    return t * t * (3.0 - 2.0 * t)


def _from_choice(step: FromChoice, ground: Ground) -> Scalars:
    if not step.reach > 0:
        raise ShotError(f"it reaches {step.reach * 1e3:g} mm", remedy="Let it reach further than 0 mm")
    vertices, _ = chosen(ground.mesh, ground.topology, ground.source_face, step.choice)
    share = np.clip(ground.walk.from_line(vertices, 1.5 * step.reach) / step.reach, 0.0, 1.0)
    return step.values[0] + share * (step.values[1] - step.values[0])


def _given(values: Scalars, count: int) -> Scalars:
    if values.shape != (count,):
        raise ShotError(
            f"it gives {values.size} values, the garment has {count} vertices",
            remedy="Bring in values for this mesh, or the mesh they were made for",
        )
    bad = np.flatnonzero(~((values >= 0) & (values <= 1)))
    if len(bad):
        raise ShotError(
            f"vertex {bad[0]} has the value {values[bad[0]]:g}, and {len(bad) - 1} more are not from 0 to 1",
            remedy="Bring the values to 0 to 1 first",
        )
    return values.astype(float)


def _changed(step: Change, values: Scalars, ground: Ground) -> Scalars:
    if step.how == "invert":
        return 1.0 - values
    if step.how == "scale":
        return step.amount * values
    if step.how == "smooth":
        return ground.smoothed(values, step.amount)
    if step.amount > step.other:
        raise ShotError(f"it clamps to {step.amount:g} to {step.other:g}", remedy="Give the lower one first")
    return np.clip(values, step.amount, step.other)


def _put_together(
    step: With, values: Scalars, ground: Ground, others: Mapping[str, ChalkMap], above: Sequence[str]
) -> Scalars:
    if step.name not in others:
        raise ShotError(f"the garment has no map '{step.name}'", remedy=f"It has {', '.join(others) or 'none'}")
    if step.name in above:
        raise ShotError(
            f"it is made from '{step.name}', which is made from it", remedy="Take one of the two out"
        )
    other = _drawn(others[step.name], ground, others, tuple(above))
    if step.how == "multiply":
        return values * other
    return np.minimum(values, other) if step.how == "least" else np.maximum(values, other)


def factors(maps: Sequence[ChalkMap], ground: Ground) -> Multipliers:
    """What the maps in use make of the fabric, per vertex; of the grip, see `grips`."""
    used = in_use(maps)
    given = {
        ("density" if role == "weight" else role): chalk.means(drawn(chalk, ground, by_name(maps)))
        for role, chalk in used.items()
        if role != "hold"
    }
    return replace(Multipliers(), **given)


def grips(maps: Sequence[ChalkMap], ground: Ground) -> Scalars | None:
    """The share (n,) of the grip of the garment's follow holds that each vertex has; None without a map of
    it.
    """
    chalk = in_use(maps).get("hold")
    return None if chalk is None else chalk.means(drawn(chalk, ground, by_name(maps)))


def by_name(maps: Sequence[ChalkMap]) -> dict[str, ChalkMap]:
    """The maps by their names."""
    return {one.name: one for one in maps}


def in_use(maps: Sequence[ChalkMap]) -> dict[Role, ChalkMap]:
    """The map that a run goes by for each role; `ShotError` when there are two."""
    out: dict[Role, ChalkMap] = {}
    for one in maps:
        if one.in_use and one.role in out:
            raise ShotError(
                f"the maps '{out[one.role].name}' and '{one.name}' are both in use for {one.role}",
                remedy="Put one of them away",
            )
        if one.in_use:
            out[one.role] = one
    return out
