"""Skin weights and named shapes of a GLB's mesh."""

from __future__ import annotations

import numpy as np

from ...core.geometry.skinning import Skin
from ...core.model.errors import CastError, FileError
from ...core.model.typed import Indices, Points
from ..contents import balanced
from .accessors import Container, Described


def skin_of(container: Container, mesh: int, joints: Indices) -> tuple[Skin, tuple[str, ...]]:
    """The skin of mesh `mesh`, and what was mended in it. joints: place of each of the skin's joints.

    Weights that do not add up to 1 are scaled until they do; `CastError` for a vertex without any.
    """
    source = container.document.meshes[mesh]
    all_joints, all_weights = [], []
    for primitive in source.primitives:
        sets = [(primitive.attributes.JOINTS_0, primitive.attributes.WEIGHTS_0)]
        more = primitive.attributes.JOINTS_1, primitive.attributes.WEIGHTS_1
        sets += [more] if None not in more else []
        if None in sets[0]:
            raise CastError(
                "the skinned mesh has no weights",
                where=f"{container.path}, mesh '{source.name}'",
                remedy="Export it with skin weights",
            )
        all_joints.append(np.hstack([container.array(j, "the skin's joints") for j, _ in sets]))
        all_weights.append(np.hstack([container.array(w, "the skin's weights").astype(float) for _, w in sets]))
    index, weights = _level(all_joints).astype(np.int64), _level(all_weights)
    if index.shape != weights.shape or index.max(initial=0) >= len(joints):
        raise FileError(
            f"a vertex is bound to joint {int(index.max(initial=0))} of {len(joints)}",
            where=str(container.path),
            remedy="Export it again",
        )
    weights, notes = balanced(weights, f"{container.path}, mesh '{source.name}'")
    return Skin(joints[index].astype(np.int32), weights), notes


def _level(parts: list[np.ndarray]) -> np.ndarray:
    """Parts of unlike width under each other, filled up with zeros."""
    width = max(part.shape[1] for part in parts)
    return np.concatenate([np.pad(part, ((0, 0), (0, width - part.shape[1]))) for part in parts])


def shape_names(container: Container, mesh: int) -> list[str]:
    """Names of a mesh's shapes, as many as each of its primitives has."""
    source = container.document.meshes[mesh]
    count = min((len(p.targets or []) for p in source.primitives), default=0)
    given = source.extras.targetNames if isinstance(source.extras, Described) else None
    names = [str(name) for name in given] if isinstance(given, list) else []
    return [names[k] if k < len(names) else f"shape {k + 1}" for k in range(count)]


def shapes_of(container: Container, mesh: int) -> dict[str, Points]:
    """Offsets (n, 3) of a mesh's shapes by name."""
    source = container.document.meshes[mesh]
    out = {}
    for number, name in enumerate(shape_names(container, mesh)):
        parts = []
        for primitive in source.primitives:
            target = primitive.targets[number]
            accessor = target.POSITION
            vertices = container.document.accessors[primitive.attributes.POSITION].count
            offsets = np.zeros((vertices, 3))
            if accessor is not None:
                given = container.array(accessor, f"shape '{name}'").astype(float)
                if given.shape != offsets.shape:
                    raise FileError(
                        f"shape '{name}' has {len(given)} points for {vertices} vertices",
                        where=str(container.path),
                        remedy="Export it again",
                    )
                offsets = given
            parts.append(offsets)
        out[name] = np.concatenate(parts)
    return out
