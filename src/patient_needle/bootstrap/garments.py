"""A garment of a shot file made by its recipe, written as a mesh: no server and no database."""

from __future__ import annotations

from pathlib import Path

from ..core.model.errors import ShotError
from ..core.model.mesh import Mesh
from ..core.model.units import metres_per
from ..formats.registry import write_model
from ..formats.shot_file.assemble import making_alone
from ..formats.shot_file.document import GarmentRecord, ShotFile, SpacingRecord, read_shot_file

FINEST, COARSEST = 0.5, 1000.0  # mm


def write_garment(shot: Path, name: str, out: Path, spacing: float | None, unit: str) -> Mesh:
    """Make the garment `name` of a shot file, at `spacing` mm if given, and write it in a unit, Y up.

    The same recipe gives the same file. `ShotError` for a garment that is not there or cannot be made, or a
    spacing out of range; `FileError` for a name that is no model file's.
    """
    document = read_shot_file(shot)
    if spacing is not None:
        if not FINEST <= spacing <= COARSEST:
            raise ShotError(
                f"a spacing of {spacing:g} mm", where="--spacing",
                remedy=f"Give {FINEST:g} to {COARSEST:g} mm",
            )  # fmt: skip
        document = _respaced(document, name, spacing)
    metres = metres_per(unit, where="--unit")
    mesh = making_alone(document, shot.parent, name).surface
    write_model(out, mesh.with_vertices(mesh.vertices / metres), metres, "y")
    return mesh


def _respaced(shot: ShotFile, name: str, spacing: float) -> ShotFile:
    def changed(garment: GarmentRecord) -> GarmentRecord:
        if garment.name != name:
            return garment
        at = (garment.recipe.spacing or SpacingRecord()).model_copy(
            update={"draft_mm": spacing, "use": "draft"}
        )
        return garment.model_copy(update={"recipe": garment.recipe.model_copy(update={"spacing": at})})

    return shot.model_copy(update={"garments": [changed(one) for one in shot.garments]})
