"""A skinned, animated character from a GLB. Every node is a joint, so that parents above the skin count."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from ...core.geometry.rotations import normalised, slerp
from ...core.geometry.skinning import Pose, Skeleton, Skin
from ...core.model.errors import CastError, FileError
from ...core.model.mesh import Mesh
from ...core.model.tolerances import DEFAULT
from .accessors import Container
from .reader import mesh_of


@dataclass(frozen=True, eq=False)
class GlbCharacter:
    """mesh, skin and skeleton in file units; `poses` one per frame of the animation, at `frame_rate`."""

    mesh: Mesh
    skin: Skin
    skeleton: Skeleton
    poses: tuple[Pose, ...]


def read_character(
    path: Path, frame_rate: float, *, mesh: str | None = None, animation: str | None = None
) -> GlbCharacter:
    """The skinned mesh called `mesh` (or the first) under `animation` (or the first).

    `CastError` when the file has no skin or no animation.
    """
    container = Container(path)
    document = container.document
    order, parents = _order(container)
    node = _skinned_node(container, mesh)
    skin_source = document.skins[document.nodes[node].skin]
    place = {source: new for new, source in enumerate(order)}
    inverse = np.tile(np.eye(4), (len(order), 1, 1))
    joints = np.array([place[j] for j in skin_source.joints])
    if skin_source.inverseBindMatrices is not None:
        given = container.array(skin_source.inverseBindMatrices, "the skin's bind matrices")
        inverse[joints] = given.reshape(-1, 4, 4).transpose(0, 2, 1)
    rest = _rest_pose(container, order)
    skeleton = Skeleton(
        tuple(document.nodes[i].name or f"node{i}" for i in order), parents, inverse, rest, np.eye(4)
    )
    body = mesh_of(container, document.nodes[node].mesh)
    skin = _skin(container, document.nodes[node].mesh, joints)
    return GlbCharacter(body, skin, skeleton, _poses(container, animation, rest, place, frame_rate))


def _order(container: Container) -> tuple[list[int], np.ndarray]:
    """Node indices with parents before children, and each one's parent in that order."""
    nodes = container.document.nodes
    parent = {child: i for i, node in enumerate(nodes) for child in node.children or []}
    order: list[int] = []
    waiting = [i for i in range(len(nodes)) if i not in parent]
    while waiting:
        here = waiting.pop(0)
        order.append(here)
        waiting = list(nodes[here].children or []) + waiting
    if len(order) != len(nodes):
        raise FileError("the nodes are their own ancestors", where=str(container.path))
    place = {source: new for new, source in enumerate(order)}
    return order, np.array([place[parent[i]] if i in parent else -1 for i in order], np.int32)


def _skinned_node(container: Container, name: str | None) -> int:
    document = container.document
    found = [i for i, n in enumerate(document.nodes) if n.mesh is not None and n.skin is not None]
    if not found:
        raise CastError(
            "the file has no skinned mesh",
            where=str(container.path),
            remedy="Export the character with its skin, or cast it as a set piece",
        )
    if name is None:
        return found[0]
    for index in found:
        if name in (document.nodes[index].name, document.meshes[document.nodes[index].mesh].name):
            return index
    held = ", ".join(document.meshes[document.nodes[i].mesh].name or "unnamed" for i in found)
    raise CastError(
        f"no skinned mesh is called '{name}'", where=str(container.path), remedy=f"It holds: {held}"
    )


def _rest_pose(container: Container, order: list[int]) -> Pose:
    nodes = [container.document.nodes[i] for i in order]
    if any(n.matrix is not None and n.translation is None and n.rotation is None for n in nodes):
        matrix = [n for n in nodes if n.matrix is not None]
        if any(not np.allclose(n.matrix, np.eye(4).ravel()) for n in matrix):
            raise FileError(
                "a node is placed by a matrix, which cannot be animated",
                where=f"{container.path}, node '{matrix[0].name}'",
                remedy="Export translation, rotation and scale",
            )
    return Pose(
        np.array([n.translation or (0, 0, 0) for n in nodes], float),
        normalised(np.array([n.rotation or (0, 0, 0, 1) for n in nodes], float)),
        np.array([n.scale or (1, 1, 1) for n in nodes], float),
    )


def _skin(container: Container, mesh_index: int, joints: np.ndarray) -> Skin:
    source = container.document.meshes[mesh_index]
    all_joints, all_weights = [], []
    for primitive in source.primitives:
        if primitive.attributes.JOINTS_0 is None or primitive.attributes.WEIGHTS_0 is None:
            raise CastError(
                "the skinned mesh has no weights",
                where=f"{container.path}, mesh '{source.name}'",
                remedy="Export it with skin weights",
            )
        all_joints.append(container.array(primitive.attributes.JOINTS_0, "the skin's joints"))
        all_weights.append(container.array(primitive.attributes.WEIGHTS_0, "the skin's weights"))
    index, weights = np.concatenate(all_joints), np.concatenate(all_weights).astype(float)
    if index.max(initial=0) >= len(joints):
        raise FileError(
            f"a vertex is bound to joint {int(index.max())} of {len(joints)}", where=str(container.path)
        )
    total = weights.sum(axis=1)
    bad = np.flatnonzero(~(np.abs(total - 1) <= DEFAULT.weight_sum * 20))
    if len(bad):
        raise CastError(
            f"the skin weights of {len(bad)} vertices do not add up to 1",
            where=f"{container.path}, vertex {bad[0]}",
            remedy="Normalise the weights and export again",
        )
    return Skin(joints[index].astype(np.int32), weights / total[:, None])


def _poses(
    container: Container, name: str | None, rest: Pose, place: dict[int, int], frame_rate: float
) -> tuple[Pose, ...]:
    found = container.document.animations
    chosen = [a for a in found if name is None or a.name == name]
    if not chosen:
        held = ", ".join(a.name or "unnamed" for a in found) or "none"
        raise CastError(
            "the file has no animation" if not found else f"no animation is called '{name}'",
            where=str(container.path),
            remedy="Export the animation with the character" if not found else f"It holds: {held}",
        )
    tracks = [_Track(container, chosen[0], channel, place) for channel in chosen[0].channels]
    tracks = [track for track in tracks if track.path in ("translation", "rotation", "scale")]
    end = max(track.times[-1] for track in tracks)
    count = int(np.floor(end * frame_rate + 1e-4)) + 1
    return tuple(_pose_at(rest, tracks, frame / frame_rate) for frame in range(count))


def _pose_at(rest: Pose, tracks: list[_Track], seconds: float) -> Pose:
    values = {
        "translation": rest.translation.copy(),
        "rotation": rest.rotation.copy(),
        "scale": rest.scale.copy(),
    }
    for track in tracks:
        values[track.path][track.joint] = track.at(seconds)
    return Pose(values["translation"], values["rotation"], values["scale"])


class _Track:
    """One animated property of one node."""

    def __init__(self, container: Container, animation: Any, channel: Any, place: dict[int, int]) -> None:
        sampler = animation.samplers[channel.sampler]
        self.path = channel.target.path
        self.joint = place[channel.target.node]
        self.times = container.array(sampler.input, "an animation's times").ravel().astype(float)
        self.values = container.array(sampler.output, "an animation's values").astype(float)
        self.way = sampler.interpolation or "LINEAR"
        if len(self.times) == 0 or np.any(np.diff(self.times) <= 0):
            raise CastError(
                "an animation's keys are not in order of time",
                where=f"{container.path}, node '{container.document.nodes[channel.target.node].name}'",
                remedy="Export the animation again",
            )

    def at(self, seconds: float) -> np.ndarray:
        """The value at a time, held before the first and after the last key (glTF 2.0, appendix C)."""
        t = float(np.clip(seconds, self.times[0], self.times[-1]))
        last = len(self.times) - 1
        i = int(np.clip(np.searchsorted(self.times, t, side="right") - 1, 0, max(last - 1, 0)))
        if self.way == "CUBICSPLINE":
            return self._cubic(i, min(i + 1, last), t)
        if last == 0:
            return self.values[0]
        span = self.times[i + 1] - self.times[i]
        share = 0.0 if self.way == "STEP" and t < self.times[i + 1] else (t - self.times[i]) / span
        if abs(share - round(share)) < 1e-4:
            return self.values[i + round(share)]
        if self.path == "rotation":
            return slerp(self.values[i : i + 1], self.values[i + 1 : i + 2], share)[0]
        return (1 - share) * self.values[i] + share * self.values[i + 1]

    def _cubic(self, i: int, j: int, t: float) -> np.ndarray:
        points = self.values.reshape(len(self.times), 3, -1)
        if i == j:
            return points[i, 1]
        span = self.times[j] - self.times[i]
        s = (t - self.times[i]) / span
        out = (
            (2 * s**3 - 3 * s**2 + 1) * points[i, 1]
            + span * (s**3 - 2 * s**2 + s) * points[i, 2]
            + (-2 * s**3 + 3 * s**2) * points[j, 1]
            + span * (s**3 - s**2) * points[j, 0]
        )
        return normalised(out[None])[0] if self.path == "rotation" else out
