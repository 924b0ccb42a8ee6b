"""A GLB container and typed access to its numbers."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pygltflib
from numpy.typing import NDArray

from ...core.model.errors import FileError
from ..whole_file import read_bytes

COMPONENTS = {5120: "<i1", 5121: "<u1", 5122: "<i2", 5123: "<u2", 5125: "<u4", 5126: "<f4"}
WIDTHS = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT4": 16}


class Container:
    """One opened GLB."""

    def __init__(self, path: Path) -> None:
        self.path = path
        data = read_bytes(path)
        if data[:4] != b"glTF":
            raise FileError(
                "this is not a GLB file: it does not begin as one",
                where=str(path),
                remedy="Export it as glTF 2.0 binary (.glb)",
            )
        if len(data) < 12 or int.from_bytes(data[8:12], "little") > len(data):
            raise FileError("the file is cut short", where=str(path), remedy="Copy or export it again")
        try:
            self.document = pygltflib.GLTF2.load_from_bytes(data)
            self._binary = self.document.binary_blob() or b""
        except Exception as error:  # the parser raises many kinds for a damaged header
            raise FileError(
                f"the GLB's description cannot be read ({error})", where=str(path), remedy="Export it again"
            ) from error

    def array(self, index: int, what: str) -> NDArray[np.generic]:
        """Accessor `index` as (count, width), normalised integers as float; `FileError` names `what`."""
        document = self.document
        if not 0 <= index < len(document.accessors):
            raise FileError(f"{what} names accessor {index}, which does not exist", where=str(self.path))
        accessor = document.accessors[index]
        if accessor.sparse is not None:
            raise FileError(
                f"{what} is stored sparsely, which is not read",
                where=str(self.path),
                remedy="Export without sparse accessors",
            )
        kind, width = np.dtype(COMPONENTS[accessor.componentType]), WIDTHS[accessor.type]
        if accessor.bufferView is None:
            return np.zeros((accessor.count, width), kind)
        view = document.bufferViews[accessor.bufferView]
        start = (view.byteOffset or 0) + (accessor.byteOffset or 0)
        stride = view.byteStride or kind.itemsize * width
        needed = start + stride * (accessor.count - 1) + kind.itemsize * width
        if needed > len(self._binary):
            raise FileError(
                f"{what} runs past the end of the file", where=str(self.path), remedy="Export it again"
            )
        raw = np.ndarray((accessor.count, width), kind, self._binary, start, (stride, kind.itemsize)).copy()
        if accessor.normalized and kind.kind in "iu":
            return np.maximum(raw / np.iinfo(kind).max, -1.0)
        return raw
