"""Drawing a chalk map: its steps are applied in order to the garment as made."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

import numpy as np

from ...model.errors import ShotError
from ...model.fabric import Multipliers
from ...model.maps import (
    Along,
    ChalkMap,
    Change,
    Fill,
    FromChoice,
    FromDistance,
    FromGarment,
    FromPicture,
    FromWeights,
    Mirror,
    Own,
    Step,
    Stroke,
    Values,
    With,
    by_name,
    in_use,
)
from ...model.shot import Garment
from ...model.typed import Scalars
from ..garments.choosing import chosen
from ..garments.surface import GarmentSurface
from .inputs import MapInputs
from .pictures import laid_on

Above = tuple[tuple[str, str], ...]  # garment and map of what is being drawn now


def drawn(
    chalk: ChalkMap,
    surface: GarmentSurface,
    others: Mapping[str, ChalkMap] | None = None,
    near: MapInputs | None = None,
    *,
    garment: str = "",
) -> Scalars:
    """The map's values (n,) from 0 to 1: its steps in order, from 0 everywhere. others: maps of the garment
    that its steps may name; near: the cast and the other garments. `ShotError` says which step cannot be done,
    and why.
    """
    return _Drawing(near or MapInputs.none()).values(chalk, surface, others or {}, garment, ())


class _Drawing:
    """Maps drawn one from another."""

    def __init__(self, near: MapInputs) -> None:
        self._near = near

    def values(
        self,
        chalk: ChalkMap,
        surface: GarmentSurface,
        others: Mapping[str, ChalkMap],
        garment: str,
        above: Above,
    ) -> Scalars:
        """A map's values (n,); `above`: what is drawn from it."""
        above = (*above, (garment, chalk.name))
        done, known = self._near.cache.begun(surface, chalk.steps)
        values = np.zeros(surface.mesh.vertex_count) if known is None else known
        for index, step in enumerate(chalk.steps[done:], done + 1):
            try:
                values = np.clip(self._after(step, values, surface, others, above), 0.0, 1.0)
            except ShotError as error:
                raise error.at(f"map '{chalk.name}', step {index}") from None
        self._near.cache.keep(surface, chalk.steps, values)
        return values

    def _after(
        self, step: Step, values: Scalars, surface: GarmentSurface, others: Mapping[str, ChalkMap], above: Above
    ) -> Scalars:
        match step:
            case With():
                other = self._named(others, step.name, surface, above[-1][0], above)
                if step.how == "multiply":
                    return values * other
                return np.minimum(values, other) if step.how == "least" else np.maximum(values, other)
            case FromGarment():
                return self._from_garment(step, values, surface, above)
            case FromWeights():
                return self._near.carried(step.member, step.joints, surface.mesh.vertices)
            case FromDistance():
                _check_reach(step.reach)
                share = np.clip(
                    self._near.away(step.member, surface.mesh.vertices, step.reach) / step.reach, 0, 1
                )
                return step.values[0] + share * (step.values[1] - step.values[0])
            case _:
                return stepped(step, values, surface)

    def _named(
        self, maps: Mapping[str, ChalkMap], name: str, surface: GarmentSurface, garment: str, above: Above
    ) -> Scalars:
        if name not in maps:
            raise ShotError(f"the garment has no map '{name}'", remedy=f"It has {', '.join(maps) or 'none'}")
        if (garment, name) in above:
            raise ShotError(
                f"it is made from '{name}', which is made from it", remedy="Take one of the two out"
            )
        return self.values(maps[name], surface, maps, garment, above)

    def _from_garment(
        self, step: FromGarment, values: Scalars, surface: GarmentSurface, above: Above
    ) -> Scalars:
        _check_reach(step.reach)
        other, maps = self._near.garment(step.garment)
        found = self._named(maps, step.name, other, step.garment, above)
        triangle, barycentric, away = other.nearest(surface.mesh.vertices, surface.normals)
        there = np.einsum("ik,ik->i", barycentric, found[other.triangles[triangle]])
        return np.where(away <= step.reach, there, values)


def stepped(step: Own, values: Scalars, surface: GarmentSurface) -> Scalars:
    """Values (n,) after one step on values (n,) that asks for nothing but the garment itself."""
    match step:
        case Stroke():
            return stroked(step, coverage(step, surface), values, surface)
        case Fill():
            return np.full(len(values), step.amount)
        case Along():
            start, way = np.array(step.start), np.subtract(step.end, step.start)
            if not way @ way > 0:
                raise ShotError("its line has no length", remedy="Draw it from one place to another")
            share = np.clip((surface.mesh.vertices - start) @ way / (way @ way), 0.0, 1.0)
            return step.values[0] + share * (step.values[1] - step.values[0])
        case FromChoice():
            return _from_choice(step, surface)
        case FromPicture():
            return laid_on(step.picture, surface, step.white)
        case Mirror():
            other = np.sign(surface.mesh.vertices[:, 0]) == -step.side
            return np.where(other, surface.reflected(values, values), values)
        case Values():
            return _given(step.values, len(values))
        case Change():
            return _changed(step, values, surface)


def _check_reach(reach: float) -> None:
    if not reach > 0:
        raise ShotError(f"it reaches {reach * 1e3:g} mm", remedy="Let it reach further than 0 mm")


def coverage(stroke: Stroke, surface: GarmentSurface) -> Scalars:
    """How much of the stroke reaches each vertex, (n,) from 0 to 1. The most that any hit gives counts, so that
    it does not matter how close the hits are. Hits that lie further off the garment than the brush reaches, as
    on one that was replaced, do nothing; `ShotError` when all of them do.
    """
    hits = stroke.hits
    if not (stroke.size > 0 and 0 <= stroke.softness <= 1 and 0 <= stroke.strength <= 1):
        raise ShotError(
            f"a brush of {stroke.size * 1e3:g} mm, softness {stroke.softness:g}, strength {stroke.strength:g}",
            remedy="Give a size above 0, and the others from 0 to 1",
        )
    if hits.ndim != 2 or hits.shape[1] != 7 or not np.isfinite(hits).all():
        raise ShotError("the stroke's path is not made of numbers", remedy="Draw it again")
    points = surface.mesh.vertices
    if len(hits) == 0:
        return np.zeros(len(points))
    triangle, barycentric, away = surface.nearest(hits[:, :3], hits[:, 3:6])
    on = away <= stroke.size
    if not on.any():
        raise ShotError(
            f"the stroke lies {away.min() * 1e3:.0f} mm off the garment, further than its brush reaches",
            remedy="It was drawn on another mesh: take it back, and draw it again",
        )
    hits = hits[on]
    if not stroke.through:
        soft = stroke.softness * stroke.size
        return surface.walk.brushed(triangle[on], barycentric[on], hits[:, 6], stroke.size, soft)
    out = np.zeros(len(points))
    for hit in hits:
        away = np.linalg.norm(points - hit[:3], axis=1)
        np.maximum(out, hit[6] * _falls_off(away, stroke), out=out)
    return out


def stroked(stroke: Stroke, reach: Scalars, values: Scalars, surface: GarmentSurface) -> Scalars:
    """Values (n,) after a stroke that reaches each vertex as `coverage` says, (n,)."""
    if stroke.mirrored:
        reach = np.maximum(reach, surface.reflected(reach))
    share = stroke.strength * reach
    if stroke.mode == "add":
        return values + share * stroke.amount
    if stroke.mode == "lift":
        return values - share * stroke.amount
    if stroke.mode == "set":
        return values + share * (stroke.amount - values)
    return values + share * (surface.smoothed(values, 0.5 * stroke.size) - values)


def _falls_off(away: Scalars, stroke: Stroke) -> Scalars:
    """1 under the brush's middle, smoothly to 0 over the soft share of its radius."""
    soft = stroke.softness * stroke.size
    if soft <= 0:
        return np.where(away <= stroke.size, 1.0, 0.0)
    t = np.clip((stroke.size - away) / soft, 0.0, 1.0)
    return t * t * (3.0 - 2.0 * t)


def _from_choice(step: FromChoice, surface: GarmentSurface) -> Scalars:
    _check_reach(step.reach)
    vertices, _ = chosen(surface.mesh, surface.topology, surface.cut.source_face, step.choice)
    share = np.clip(surface.walk.from_line(vertices, 1.5 * step.reach) / step.reach, 0.0, 1.0)
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


def _changed(step: Change, values: Scalars, surface: GarmentSurface) -> Scalars:
    if step.how == "invert":
        return 1.0 - values
    if step.how == "scale":
        return step.amount * values
    if step.how == "smooth":
        return surface.smoothed(values, step.amount)
    if step.amount > step.other:
        raise ShotError(f"it clamps to {step.amount:g} to {step.other:g}", remedy="Give the lower one first")
    return np.clip(values, step.amount, step.other)


def factors(
    maps: Sequence[ChalkMap], surface: GarmentSurface, near: MapInputs | None = None, *, garment: str = ""
) -> Multipliers:
    """What the maps in use make of the fabric, per vertex; of the grip, see `grips`."""
    given = {
        ("density" if role == "weight" else role): chalk.means(
            drawn(chalk, surface, by_name(maps), near, garment=garment)
        )
        for role, chalk in in_use(maps).items()
        if role not in ("hold", "spacing")
    }
    return replace(Multipliers(), **given)


def grips(
    maps: Sequence[ChalkMap], surface: GarmentSurface, near: MapInputs | None = None, *, garment: str = ""
) -> Scalars | None:
    """The share (n,) of the grip of the garment's follow holds that each vertex has; None without a map of
    it.
    """
    chalk = in_use(maps).get("hold")
    return None if chalk is None else chalk.means(drawn(chalk, surface, by_name(maps), near, garment=garment))


def settled(garment: Garment, near: MapInputs) -> tuple[ChalkMap, ...]:
    """A garment's maps in use as plain values, which stay the same whatever becomes of the cast."""
    surface, maps = near.garment(garment.name)
    values = [
        (one, drawn(one, surface, maps, near, garment=garment.name)) for one in maps.values() if one.in_use
    ]
    return tuple(replace(one, steps=(Values(found),)) for one, found in values)
