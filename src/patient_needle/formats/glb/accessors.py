"""A glTF file and typed access to its numbers."""

from __future__ import annotations

import base64
import binascii
import json
import struct
from pathlib import Path
from typing import Any
from urllib.parse import unquote

import numpy as np
from numpy.typing import NDArray

from ...core.model.errors import FileError
from ..files import beside_file, read_bytes

COMPONENTS = {5120: "<i1", 5121: "<u1", 5122: "<i2", 5123: "<u2", 5125: "<u4", 5126: "<f4"}
WIDTHS = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT4": 16}
MOST_EMPTY = 10_000_000  # values that an accessor may ask for without giving any


class Described:
    """One object of the file's description; what it does not have is None."""

    def __init__(self, held: dict[str, Any]) -> None:
        self._held = held

    def __getattr__(self, key: str) -> Any:
        found = self._held.get(key)
        return str(found) if key == "name" and found is not None else found


class _Document:
    """The whole description: its lists, empty where the file has none."""

    def __init__(self, described: Any) -> None:
        if not isinstance(described, Described):
            raise ValueError("it is not a JSON object")
        for name in ("accessors", "animations", "buffers", "bufferViews", "meshes", "nodes", "skins"):
            found = getattr(described, name) or []
            if not isinstance(found, list) or not all(isinstance(one, Described) for one in found):
                raise ValueError(f"'{name}' is not a list of objects")
            setattr(self, name, found)

    accessors: list[Any]
    animations: list[Any]
    buffers: list[Any]
    bufferViews: list[Any]  # noqa: N815 - the format's own word
    meshes: list[Any]
    nodes: list[Any]
    skins: list[Any]


def _chunks(data: bytes) -> tuple[bytes, bytes]:
    """The description and the numbers of a GLB (glTF 2.0, section 4.4)."""
    found: dict[bytes, bytes] = {}
    at = 12
    while at + 8 <= len(data):
        size, kind = struct.unpack_from("<I4s", data, at)
        found.setdefault(kind, data[at + 8 : at + 8 + size])
        at += 8 + size
    if b"JSON" not in found:
        raise ValueError("it has no description")
    return found[b"JSON"], found.get(b"BIN\0", b"")


class Container:
    """One opened file, binary or text."""

    def __init__(self, path: Path) -> None:
        self.path = path
        data = read_bytes(path)
        binary = path.suffix.lower() != ".gltf"
        if binary and data[:4] != b"glTF":
            raise FileError(
                "this is not a GLB file: it does not begin as one",
                where=str(path),
                remedy="Export it as glTF 2.0 binary (.glb)",
            )
        if binary and (len(data) < 12 or int.from_bytes(data[8:12], "little") > len(data)):
            raise FileError("the file is cut short", where=str(path), remedy="Copy or export it again")
        self.size = len(data)
        try:
            described, self._binary = _chunks(data) if binary else (data, b"")
            self.document = _Document(json.loads(described, object_hook=Described))
        except (ValueError, struct.error, RecursionError) as error:
            raise FileError(
                f"the description of the file cannot be read ({error})",
                where=str(path),
                remedy="Export it again",
            ) from error
        if not binary:
            self._binary = self._buffer_beside()

    def _buffer_beside(self) -> bytes:
        """The one buffer of a text file: within it, or a file beside it."""
        buffers = self.document.buffers or []
        if len(buffers) != 1 or not buffers[0].uri:
            raise FileError(
                f"the file names {len(buffers)} buffers", where=str(self.path), remedy="Export it as .glb"
            )
        uri = buffers[0].uri
        if uri.startswith("data:"):
            try:
                return base64.b64decode(uri.partition(",")[2], validate=True)
            except binascii.Error:
                raise FileError("the buffer within it is damaged", where=str(self.path)) from None
        beside = beside_file(self.path, unquote(uri))
        if beside is None:
            raise FileError(
                f"its numbers stand in '{uri[:80]}', which is not beside it",
                where=str(self.path),
                remedy="Export it as .glb, which is one file",
            )
        return read_bytes(beside)

    def array(self, index: int, what: str) -> NDArray[np.generic]:
        """Accessor `index` as (count, width), normalised integers as float; `FileError` names `what`."""
        accessors = self.document.accessors
        if index is None or not 0 <= index < len(accessors):
            raise FileError(f"{what} names accessor {index}, which does not exist", where=str(self.path))
        accessor = accessors[index]
        if accessor.componentType not in COMPONENTS or accessor.type not in WIDTHS or not accessor.count > 0:
            raise FileError(
                f"{what} is of a kind that does not exist", where=str(self.path), remedy="Export it again"
            )
        kind, width = np.dtype(COMPONENTS[accessor.componentType]), WIDTHS[accessor.type]
        if accessor.bufferView is None:
            if accessor.count * width > MOST_EMPTY:
                raise FileError(f"{what} claims {accessor.count} values and gives none", where=str(self.path))
            raw = np.zeros((accessor.count, width), kind)
        else:
            raw = self._viewed(
                accessor.bufferView, accessor.byteOffset or 0, (accessor.count, width), kind, what
            )
        if accessor.sparse is not None:
            self._replace(raw, accessor.sparse, what)
        if accessor.normalized and kind.kind in "iu":
            return np.maximum(raw / np.iinfo(kind).max, -1.0)
        return raw

    def _replace(self, raw: NDArray[np.generic], sparse: Any, what: str) -> None:
        """Put the values of a sparse accessor in their places."""
        code = sparse.indices.componentType
        if code not in (5121, 5123, 5125) or not 0 < sparse.count <= len(raw):
            raise FileError(f"{what} is sparse in a way that makes no sense", where=str(self.path))
        shape, kind = (sparse.count, 1), np.dtype(COMPONENTS[code])
        at = self._viewed(sparse.indices.bufferView, sparse.indices.byteOffset or 0, shape, kind, what).ravel()
        if at.max() >= len(raw):
            raise FileError(f"{what} replaces value {at.max()} of {len(raw)}", where=str(self.path))
        shape = (sparse.count, raw.shape[1])
        raw[at] = self._viewed(sparse.values.bufferView, sparse.values.byteOffset or 0, shape, raw.dtype, what)

    def _viewed(
        self, index: int, offset: int, shape: tuple[int, int], kind: np.dtype[Any], what: str
    ) -> NDArray[np.generic]:
        """(count, width) numbers of a buffer view, copied; `FileError` where they run out of the file."""
        views = self.document.bufferViews
        if not 0 <= index < len(views):
            raise FileError(f"{what} names buffer view {index}, which does not exist", where=str(self.path))
        start = (views[index].byteOffset or 0) + offset
        stride = views[index].byteStride or kind.itemsize * shape[1]
        needed = start + stride * (shape[0] - 1) + kind.itemsize * shape[1]
        if start < 0 or stride < kind.itemsize * shape[1] or needed > len(self._binary):
            raise FileError(
                f"{what} runs past the end of the file", where=str(self.path), remedy="Export it again"
            )
        return np.ndarray(shape, kind, self._binary, start, (stride, kind.itemsize)).copy()
