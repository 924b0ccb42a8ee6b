"""A USD file that reaches no other file but those brought in with it.

Composition opens whatever a layer names, by references, payloads, sublayers or value clips, wherever it lies on
the machine. So the layers are gone through before anything is composed.
"""

from __future__ import annotations

from pathlib import Path
from typing import Any

from pxr import Sdf, Tf

from ...core.model.errors import FileError
from ..files import beside_file

MOST_LAYERS = 100
EDITS = ("explicitItems", "addedItems", "prependedItems", "appendedItems", "deletedItems", "orderedItems")


class Closed:
    """The layer of a file, with nothing in it that leads out of the file's own folder.

    layer: to compose; notes: what it names that is not read, in words.
    """

    def __init__(self, path: Path) -> None:
        self._path = path
        self._known: dict[str, Any] = {}
        self.notes: list[str] = []
        self.layer = self._closed(Sdf.Layer.FindOrOpen(str(path)))

    def _closed(self, layer: Any) -> Any:
        """The layer itself where it names nothing, else a copy whose names lead to closed layers only."""
        if layer.identifier in self._known:
            return self._known[layer.identifier]
        if len(self._known) >= MOST_LAYERS:
            raise FileError(
                f"it is put together of more than {MOST_LAYERS} files", where=str(self._path),
                remedy="Export it as one flattened file",
            )  # fmt: skip
        self._known[layer.identifier] = layer
        if not layer.subLayerPaths and not any(_leads_out(spec) for spec in _specs(layer)):
            return layer
        copy = Sdf.Layer.CreateAnonymous(".usda")
        self._known[layer.identifier] = copy  # a layer that names itself in a circle meets its copy
        copy.TransferContent(layer)
        copy.subLayerPaths = [there for name in layer.subLayerPaths if (there := self._followed(layer, name))]
        for spec in _specs(copy):
            self._close(spec, layer)
        return copy

    def _close(self, spec: Any, layer: Any) -> None:
        if spec.HasInfo("clips"):
            spec.ClearInfo("clips")
            self._say(f"'{spec.name}' takes values from other files (value clips), which are not read")
        for arcs in (spec.referenceList, spec.payloadList):
            arcs.ModifyItemEdits(lambda arc: self._arc(layer, arc))

    def _arc(self, layer: Any, arc: Any) -> Any:
        if not arc.assetPath:
            return arc  # within the layer
        there = self._followed(layer, arc.assetPath)
        if there is None:
            return None
        if isinstance(arc, Sdf.Reference):
            return Sdf.Reference(there, arc.primPath, arc.layerOffset, arc.customData)
        return Sdf.Payload(there, arc.primPath, arc.layerOffset)

    def _followed(self, layer: Any, name: str) -> str | None:
        """What to name in place of `name`: a closed layer's identifier; None when it is not to be read."""
        try:
            found = self._named(layer, name)
            if found is not None:
                return str(self._closed(found).identifier)
            self._say(f"it names '{_end_of(name)}', which was not brought in with it and is not read")
        except Tf.ErrorException as error:
            self._say(f"it names '{name[:80]}', which cannot be read ({str(error).splitlines()[-1][:80]})")
        return None

    def _named(self, layer: Any, name: str) -> Any:
        if "`" in name or ":SDF_FORMAT_ARGS:" in name:
            return None  # worked out, or handed on, only when it is composed
        package = str(self._path)
        if layer.identifier.startswith(package) and self._path.suffix.lower() == ".usdz":
            inner = str(layer.ComputeAbsolutePath(name))
            return Sdf.Layer.FindOrOpen(inner) if inner.startswith(f"{package}[") else None
        here = Path(layer.realPath)
        beside = beside_file(here, name, within=self._path.parent)
        return None if beside is None else Sdf.Layer.FindOrOpen(str(beside))

    def _say(self, note: str) -> None:
        if note not in self.notes:
            self.notes.append(note)


def _specs(layer: Any) -> list[Any]:
    """Every description of a prim in a layer, those within variants too."""
    paths: list[Any] = []
    layer.Traverse(Sdf.Path.absoluteRootPath, paths.append)
    wanted = (path for path in paths if path.IsPrimPath() or path.IsPrimVariantSelectionPath())
    return [spec for path in wanted if (spec := layer.GetPrimAtPath(path)) is not None]


def _leads_out(spec: Any) -> bool:
    """Whether a prim names a file."""
    if spec.HasInfo("clips"):
        return True
    named = [arc.assetPath for arcs in (spec.referenceList, spec.payloadList) for arc in _every(arcs)]
    return any(named)


def _every(arcs: Any) -> list[Any]:
    return [arc for kept in EDITS for arc in getattr(arcs, kept)]


def _end_of(name: str) -> str:
    """The end of a long name, where a path says which file it is."""
    return name if len(name) <= 80 else f"…{name[-79:]}"
