"""Swatches between the shot file's records and the core."""

from __future__ import annotations

from dataclasses import fields

from ...core.model.errors import NeedleError
from ...core.model.fabric import Fabric, LoadCurve
from ...core.model.units import from_mm, to_mm
from .document import FabricRecord, ShotFile


def fabrics_of(shot: ShotFile) -> dict[str, Fabric]:
    """The shot's swatches by name."""
    return {record.name: _fabric(record) for record in shot.fabrics}


def _fabric(record: FabricRecord) -> Fabric:
    values = record.model_dump()
    values["thickness"] = from_mm(values.pop("thickness_mm"))
    try:
        for name in ("load_warp", "load_weft", "load_shear"):
            if values[name] is not None:
                values[name] = LoadCurve(tuple(values[name]["strains"]), tuple(values[name]["forces"]))
    except NeedleError as error:
        raise error.at(f"fabric '{record.name}'") from None
    return Fabric(**values)


def record_of(fabric: Fabric) -> FabricRecord:
    """A swatch as the shot file writes it."""
    values = {item.name: getattr(fabric, item.name) for item in fields(fabric)}
    values["thickness_mm"] = round(to_mm(values.pop("thickness")), 6)
    for name in ("load_warp", "load_weft", "load_shear"):
        if values[name] is not None:
            values[name] = {"strains": list(values[name].strains), "forces": list(values[name].forces)}
    return FabricRecord.model_validate(values)
