"""How a garment was made, in figures: what was measured and cut, and the lines that the stage shows of it."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import TYPE_CHECKING, Any

import numpy as np

from ..core.craft.garments.respacing import vertices_at
from ..core.craft.garments.rings import FromRings
from ..core.craft.garments.sections import WAYS, Sections
from ..core.craft.garments.sources import isometry_error
from ..core.craft.garments.surface import triangles_in
from ..core.craft.sewing.source import FromPieces
from ..core.model.errors import NeedleError
from ..core.model.typed import Points
from ..core.model.units import from_mm, to_mm
from ..formats.shot_file.document import FileRecipe, FlounceRecipe, RingsRecipe, SewnRecipe
from ..formats.shot_file.making import garment_foot, measured
from .pieces import pieces_read

if TYPE_CHECKING:
    from .open_shot import OpenGarment, OpenShot

OFF = 0.006  # m that a tape lies off what it measures
EVERY = 5  # of a section's directions, the corners of a tape
ON_RING = 96  # corners of a line along a hem, at most
FOLD_EDGES = 8  # edges that a fold needs, so that it is round


@dataclass(frozen=True)
class Tape:
    """A closed line round a garment: what it is, its height m, the girth inside and the cloth there, mm, None
    for what is not measured; points: its corners, m.
    """

    name: str
    height: float
    girth_mm: float | None
    cloth_mm: float | None
    points: list[list[float]]


def making_read(opened: OpenShot, name: str) -> dict[str, Any]:
    """How a garment was made: its courses, tapes, notes, how many vertices its two spacings give, the isometry
    error of its UVs, and the height m that its own heights count from.
    """
    record = next(one for one in opened.shot.garments if one.name == name)
    recipe, garment = record.recipe, opened.garments[name].garment
    source = garment.source
    out: dict[str, Any] = {
        "courses": [], "tapes": [], "notes": [], "draft_vertices": None, "fine_vertices": None,
        "isometry": None, "foot": 0.0, "grams": _grams(opened.garments[name]), "sewn": None,
    }  # fmt: skip
    if recipe.spacing is not None:
        areas = [float(opened.garments[name].metric.areas.sum())]
        out["draft_vertices"] = vertices_at(areas, from_mm(recipe.spacing.draft_mm))
        out["fine_vertices"] = vertices_at(areas, from_mm(recipe.spacing.fine_mm))
    if isinstance(recipe, SewnRecipe):
        assert isinstance(source, FromPieces)
        return out | pieces_read(recipe, source)
    if isinstance(recipe, FileRecipe):
        found = isometry_error(garment.mesh, opened.garments[name].cut)
        out["isometry"] = None if found is None else list(found)
        return out
    assert isinstance(source, FromRings)
    out["courses"] = [
        {"name": one.name, "top_mm": to_mm(one.top), "hem_mm": to_mm(one.hem), "depth_mm": to_mm(one.depth),
         "gather": one.gather}
        for one in source.courses
    ]  # fmt: skip
    out["notes"] = _notes(recipe, source)
    tapes = [_hem(source, k) for k, one in enumerate(source.courses) if one.name != "waistband"]
    if isinstance(recipe, FlounceRecipe):
        out["foot"] = garment_foot(recipe.on, opened.shot, opened.sources)
        tapes = [_ring(source, 0, 0.0, "seam", source.courses[0].sewn), *tapes]
    if isinstance(recipe, RingsRecipe):
        try:
            at = measured(recipe, opened.sources, garment.fabric.thickness)
        except NeedleError:
            return out  # its fault is told; what stands there was cut by another recipe
        out["foot"] = at.foot
        tapes = [*_figure_tapes(recipe, at.sections, source, at.cut.waist), *tapes]
    out["tapes"] = [asdict(tape) for tape in tapes]
    return out


def _grams(piece: OpenGarment) -> float:
    """What its cloth weighs, each part of its own fabric; maps of weight apart."""
    garment, areas = piece.garment, piece.metric.areas
    density = np.full(len(areas), garment.fabric.areal_density)
    for patch in garment.patches:
        density[triangles_in(garment.mesh, piece.cut, patch.group)] = patch.fabric.areal_density
    return float(1e3 * areas @ density)


def _notes(recipe: RingsRecipe | FlounceRecipe, source: FromRings) -> list[str]:
    gathered = [one for one in source.courses if one.gather > 1]
    finest = recipe.fold_mm / FOLD_EDGES
    if not gathered or recipe.spacing.mm <= finest:
        return []
    return [
        f"A fold of {recipe.fold_mm:g} mm of cloth wants a spacing of {finest:g} mm or less to be round; at "
        f"{recipe.spacing.mm:g} mm the gathers come out coarse"
    ]


def _figure_tapes(recipe: RingsRecipe, sections: Sections, source: FromRings, waist: float) -> list[Tape]:
    """Round the waist, and round the widest place under the skirt."""
    girths = sections.girths()
    beneath = sections.heights >= waist - from_mm(recipe.band_mm) - 1e-9
    girth = float(girths[beneath].max())
    out = [Tape("waist", waist, to_mm(girth), to_mm(source.courses[0].sewn), _round(sections, waist))]
    skirt = next(one for one in source.courses if one.name == "skirt")
    below = np.flatnonzero((sections.heights < waist) & (sections.heights > waist - skirt.depth))
    if len(below):
        widest = int(below[np.argmax(girths[below])])
        if girths[widest] > 1.03 * girth and below[0] < widest < below[-1]:
            height = float(sections.heights[widest])
            depth = waist - from_mm(recipe.band_mm) - height
            cloth = float(skirt.round_at(np.array(max(0.0, depth))))
            out.append(
                Tape("hip", height, to_mm(float(girths[widest])), to_mm(cloth), _round(sections, height))
            )
    return out


def _round(sections: Sections, height: float) -> list[list[float]]:
    reach = sections.at(height) + OFF
    turn = 2 * np.pi / len(WAYS)
    along = (np.roll(reach, -1) - reach * np.cos(turn)) / np.sin(turn)
    flat = reach[:, None] * WAYS + along[:, None] * np.stack([WAYS[:, 1], -WAYS[:, 0]], axis=1)
    flat = flat[::EVERY] + sections.middle
    points = np.stack([flat[:, 0], np.full(len(flat), height), flat[:, 1]], axis=1)
    return _rounded(points)


def _hem(source: FromRings, index: int) -> Tape:
    """Along the lower edge of a course, as it is placed."""
    course = source.courses[index]
    name = "hem" if course.name in ("skirt", "tier") else f"{course.name} hem"
    return _ring(source, index, course.depth, name, course.hem)


def _ring(source: FromRings, index: int, depth: float, name: str, cloth: float) -> Tape:
    mesh = source.mesh
    on = np.flatnonzero((mesh.course == index) & (np.abs(mesh.depth - depth) < 1e-9))
    on = on[np.argsort(mesh.fraction[on], kind="stable")]
    points = source.surface.vertices[on]
    few = np.unique(np.linspace(0, len(points) - 1, min(ON_RING, len(points))).round().astype(int))
    return Tape(name, float(points[:, 1].mean()), None, to_mm(cloth), _rounded(points[few]))


def _rounded(points: Points) -> list[list[float]]:
    return [[round(float(value), 4) for value in place] for place in points]
