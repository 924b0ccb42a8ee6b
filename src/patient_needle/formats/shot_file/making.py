"""Garments that are made here: from their recipe and what they are made round."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from ...core.craft.garments.ring_pose import pose_of
from ...core.craft.garments.rings import (
    Course,
    FromRings,
    RingsCut,
    Size,
    Tier,
    check_count,
    mesh_of,
    source_of_rings,
)
from ...core.craft.garments.sections import Sections, sections_of, trunk_at
from ...core.craft.maps.finer import size_on_rings, sizes_on
from ...core.craft.maps.inputs import MapInputs
from ...core.geometry.level_lines import level_line
from ...core.geometry.motion import SkinnedMotion
from ...core.geometry.placing import moved
from ...core.geometry.skinning import joint_matrices
from ...core.geometry.topology import triangulated
from ...core.model.errors import ShotError
from ...core.model.garment import Source
from ...core.model.typed import Vectors
from ...core.model.units import from_mm
from .document import FlounceRecipe, RingsRecipe, ShotFile, SpacingRecord, TierRecord
from .maps import finer_of
from .members import AssembledMember

Members = Mapping[str, AssembledMember]
SPARE = 0.001  # m that cloth is laid off further than it has to keep


@dataclass(frozen=True, eq=False)
class Measured:
    """A figure as a skirt is cut for it, all m above y = 0: foot, the place that heights count from; girth, at
    the band.
    """

    cut: RingsCut
    courses: tuple[Course, ...]
    sections: Sections
    foot: float
    girth: float
    clear: float


def measured(recipe: RingsRecipe, cast: Members, thickness: float) -> Measured:
    """What a recipe of rings measures off its figure; thickness m of the cloth. `ShotError` where that cannot
    be had, or nothing can be cut to it.
    """
    member = _around(recipe.around, cast)
    axis, foot = _axis(recipe, member)
    waist = foot + from_mm(recipe.waist_mm)
    cut = RingsCut(
        waist, foot + from_mm(recipe.hem_mm), from_mm(recipe.band_mm), from_mm(recipe.ease_mm), recipe.fullness,
        recipe.flare, recipe.opening, from_mm(recipe.slit_mm), tuple(map(tier_of, recipe.tiers)), foot,
    )  # fmt: skip
    points, triangles = member.member.motion.rest(), member.member.cut.triangles
    lowest = max(float(points[:, 1].min()) + SPARE, cut.lowest - SPARE)
    sections = sections_of(points, triangles, axis, waist, lowest, foot)
    beneath = sections.heights >= waist - cut.band - 1e-9
    girth = float(sections.girths()[beneath].max())
    collider = member.member.collider
    clear = (0.0 if collider is None else max(0.0, float(collider.clearance.values.max()))) + thickness / 2
    return Measured(cut, cut.courses(girth), sections, foot, girth, clear + SPARE)


def tier_of(record: TierRecord) -> Tier:
    """A tier in metres."""
    return Tier(from_mm(record.depth_mm), record.gather, record.flare)


def rings_source(name: str, recipe: RingsRecipe, cast: Members, thickness: float, folder: Path) -> Source:
    """The skirt that a recipe of rings makes; folder: where the files of its strokes lie."""
    at = measured(recipe, cast, thickness)

    def hung(size: Size | None) -> FromRings:
        mesh = mesh_of(at.courses, from_mm(recipe.spacing.mm), at.cut.open_from(at.courses), size)
        places = pose_of(mesh, at.courses, at.sections, at.cut.waist, at.clear, from_mm(recipe.fold_mm))
        return source_of_rings(name, mesh, at.courses, places)

    return _finer(hung, recipe.spacing, at.courses, cast, folder)


def _finer(
    hung: Callable[[Size | None], FromRings], spacing: SpacingRecord, courses: Sequence[Course], cast: Members,
    folder: Path,
) -> FromRings:  # fmt: skip
    """Cloth of rings at its spacing, or finer where its map says, which is drawn on it at an even spacing."""
    base = hung(None)
    if spacing.finer is None:
        return base
    near = MapInputs({member: one.member for member, one in cast.items()}, {})
    sizes = sizes_on(base.surface, finer_of(spacing.finer, folder), from_mm(spacing.mm), near)
    check_count(
        float((base.mesh.cut_areas / (0.866 * sizes[base.mesh.triangles].mean(axis=1) ** 2)).sum()), spacing.mm
    )
    return hung(size_on_rings(base, courses, sizes))


def flounce_source(
    name: str,
    recipe: FlounceRecipe,
    shot: ShotFile,
    cast: Members,
    made: Mapping[str, Source],
    thickness: float,
    folder: Path,
) -> Source:
    """The tier that a recipe makes on another garment, which is made before it."""
    if recipe.on not in made:
        raise ShotError(
            f"it is sewn to '{recipe.on}', which is not made before it",
            remedy="Sew it to a garment that stands before it in dressing order",
        )
    surface = made[recipe.on].surface
    points, triangles = surface.vertices, triangulated(surface).triangles
    foot = garment_foot(recipe.on, shot, cast)
    height = foot + from_mm(recipe.at_mm)
    line = level_line(triangles, points[:, 1] - height)
    if line.count == 0:
        low, high = points[:, 1].min(), points[:, 1].max()
        raise ShotError(
            f"'{recipe.on}' has no cloth at a height of {recipe.at_mm:.0f} mm; it hangs from "
            f"{(high - foot) * 1e3:.0f} to {(low - foot) * 1e3:.0f} mm",
            remedy="Sew the tier on between these",
        )
    axis = line.of(points)[:, [0, 2]].mean(axis=0)
    sections = sections_of(points, triangles, axis, height, min(height - 0.05, float(points[:, 1].min())), foot)
    clear = thickness + SPARE
    sewn = float(sections.girths()[0]) + 2 * np.pi * clear
    tier = tier_of(recipe)
    if tier.gather < 1:
        raise ShotError(
            f"a gather of {tier.gather:g} is less cloth than what it is sewn to", remedy="Give 1 or more"
        )
    top = sewn * tier.gather
    courses = (Course("tier", top, top * tier.flare, tier.depth, sewn),)

    def hung(size: Size | None) -> FromRings:
        mesh = mesh_of(courses, from_mm(recipe.spacing.mm), size=size)
        places = pose_of(mesh, courses, sections, height, clear, from_mm(recipe.fold_mm))
        return source_of_rings(name, mesh, courses, places)

    return _finer(hung, recipe.spacing, courses, cast, folder)


def _around(name: str, cast: Members) -> AssembledMember:
    if name not in cast:
        raise ShotError(
            f"it is made round '{name}', which is not in this shot or cannot be read",
            remedy="Bring it in again, or make the garment round another member of the cast",
        )
    return cast[name]


def garment_foot(name: str, shot: ShotFile, cast: Members) -> float:
    """The height m that a garment's own heights count from."""
    record = next(one for one in shot.garments if one.name == name).recipe
    if isinstance(record, RingsRecipe):
        return _axis(record, _around(record.around, cast))[1]
    return garment_foot(record.on, shot, cast) if isinstance(record, FlounceRecipe) else 0.0


def _axis(recipe: RingsRecipe, member: AssembledMember) -> tuple[Vectors, float]:
    """Where the upright axis stands, x and z (2,) m, and the height m that heights count from."""
    rest = member.member.motion.rest()
    if recipe.joint is None:
        lowest = float(rest[:, 1].min())
        return trunk_at(rest, member.member.cut.triangles, lowest + from_mm(recipe.waist_mm)), lowest
    place = joint_place(member, recipe.joint)
    return place[[0, 2]], float(place[1])


def joint_place(member: AssembledMember, joint: str) -> Vectors:
    """Where a joint stands at rest, (3,) m; `ShotError` when the member has none of that name."""
    bare = member.bare
    names = bare.skeleton.names if isinstance(bare, SkinnedMotion) else ()
    if not isinstance(bare, SkinnedMotion) or joint not in names:
        raise ShotError(
            f"'{member.member.name}' has no joint '{joint}' to measure round",
            remedy=f"It has {', '.join(names)}" if names else "Measure round the whole figure instead",
        )
    at = joint_matrices(bare.skeleton, bare.skeleton.rest)[names.index(joint)]
    return np.asarray(moved(at[None, :3, 3], member.placement)[0])
