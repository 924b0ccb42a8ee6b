"""Values of vertices in USD: primvars of one number to a vertex."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pxr import UsdGeom

from ..registry import VertexValues
from .stage import OpenStage, Shown, opened

NUMBERS = ("float[]", "double[]", "half[]")


def read_values(path: Path) -> list[VertexValues]:
    """Every primvar of one number to a vertex, of every mesh of the file, at its first time."""
    return values_on(opened(path))


def values_on(file: OpenStage) -> list[VertexValues]:
    """The same of an opened file."""
    return [found for one in file.shown for found in _of_mesh(one, file.first)]


def _of_mesh(one: Shown, time: float) -> list[VertexValues]:
    out = []
    count = len(one.mesh.GetPointsAttr().Get(time) or [])
    for primvar in UsdGeom.PrimvarsAPI(one.prim).GetPrimvars():
        if str(primvar.GetTypeName()) not in NUMBERS or primvar.GetElementSize() != 1:
            continue
        to_each = primvar.GetInterpolation() in (UsdGeom.Tokens.vertex, UsdGeom.Tokens.varying)
        values: NDArray[Any] = np.array(primvar.ComputeFlattened(time), float)
        if to_each and len(values):
            out.append(VertexValues(one.name, str(primvar.GetPrimvarName()), count, values))
    return out
