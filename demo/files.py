"""Writing the demo's files: GLB with skin and animation, OBJ."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import numpy as np
import pygltflib as gltf


@dataclass(frozen=True, eq=False)
class Character:
    """What a skinned, animated GLB holds.

    vertices (n, 3) m, triangles (m, 3), weights (n, j); names and parents of j joints at places (j, 3) m;
    rotations (f, j, 4) x y z w and translations (f, 3) of the root, one per frame at `rate`.
    """

    name: str
    vertices: np.ndarray
    triangles: np.ndarray
    weights: np.ndarray
    names: list[str]
    parents: np.ndarray
    places: np.ndarray
    rotations: np.ndarray
    translations: np.ndarray
    rate: float


class _Blob:
    """Accessors that fill one binary chunk."""

    def __init__(self, document: gltf.GLTF2) -> None:
        self._document = document
        self.data = bytearray()

    def add(self, array: np.ndarray, kind: str, component: int, target: int | None = None) -> int:
        self.data += b"\0" * (-len(self.data) % 4)
        view = gltf.BufferView(buffer=0, byteOffset=len(self.data), byteLength=array.nbytes, target=target)
        self.data += np.ascontiguousarray(array).tobytes()
        self._document.bufferViews.append(view)
        flat = array.reshape(len(array), -1) if array.ndim > 1 else array.reshape(-1, 1)
        accessor = gltf.Accessor(
            bufferView=len(self._document.bufferViews) - 1,
            componentType=component,
            count=len(array),
            type=kind,
        )
        if kind in ("VEC3", "SCALAR") and component == gltf.FLOAT:
            accessor.min, accessor.max = flat.min(0).tolist(), flat.max(0).tolist()
        self._document.accessors.append(accessor)
        return len(self._document.accessors) - 1


def write_glb(path: Path, character: Character) -> None:
    """glTF 2.0 binary: one skinned mesh, one skeleton, one animation sampled per frame."""
    document = gltf.GLTF2(asset=gltf.Asset(version="2.0", generator="Patient Needle demo"))
    blob = _Blob(document)
    spare = np.zeros((len(character.vertices), max(0, 4 - character.weights.shape[1])))
    padded = np.concatenate([character.weights, spare], 1)
    order = np.argsort(-padded, 1)[:, :4]
    weights = np.take_along_axis(padded, order, 1)
    order = np.where(weights > 0, order, 0)
    attributes = gltf.Attributes(
        POSITION=blob.add(character.vertices.astype("<f4"), "VEC3", gltf.FLOAT, gltf.ARRAY_BUFFER),
        JOINTS_0=blob.add(order.astype("<u1"), "VEC4", gltf.UNSIGNED_BYTE, gltf.ARRAY_BUFFER),
        WEIGHTS_0=blob.add(
            (weights / weights.sum(1, keepdims=True)).astype("<f4"), "VEC4", gltf.FLOAT, gltf.ARRAY_BUFFER
        ),
    )
    indices = blob.add(
        character.triangles.astype("<u4").ravel(), "SCALAR", gltf.UNSIGNED_INT, gltf.ELEMENT_ARRAY_BUFFER
    )
    document.meshes.append(
        gltf.Mesh(
            name=character.name,
            primitives=[gltf.Primitive(attributes=attributes, indices=indices)],
        )
    )
    count = len(character.names)
    inverse = np.tile(np.eye(4), (count, 1, 1))
    inverse[:, :3, 3] = -character.places
    document.skins.append(
        gltf.Skin(
            joints=list(range(count)),
            inverseBindMatrices=blob.add(inverse.transpose(0, 2, 1).astype("<f4"), "MAT4", gltf.FLOAT),
        )
    )
    for joint, (name, parent) in enumerate(zip(character.names, character.parents, strict=True)):
        offset = character.places[joint] - (character.places[parent] if parent >= 0 else 0)
        children = np.flatnonzero(np.asarray(character.parents) == joint).tolist()
        document.nodes.append(gltf.Node(name=name, translation=offset.tolist(), children=children))
    document.nodes.append(gltf.Node(name=character.name, mesh=0, skin=0))
    document.scenes.append(gltf.Scene(nodes=[0, count]))
    document.scene = 0
    document.animations.append(_animation(blob, character))
    document.buffers.append(gltf.Buffer(byteLength=len(blob.data)))
    document.set_binary_blob(bytes(blob.data))
    path.parent.mkdir(parents=True, exist_ok=True)
    document.save_binary(str(path))


def _animation(blob: _Blob, character: Character) -> gltf.Animation:
    times = np.arange(len(character.rotations)) / character.rate
    clock = blob.add(times.astype("<f4"), "SCALAR", gltf.FLOAT)
    moves = [(0, "translation", character.translations, "VEC3")]
    moves += [(j, "rotation", character.rotations[:, j], "VEC4") for j in range(len(character.names))]
    animation = gltf.Animation(name="performance")
    for joint, path, values, kind in moves:
        animation.samplers.append(
            gltf.AnimationSampler(input=clock, output=blob.add(values.astype("<f4"), kind, gltf.FLOAT))
        )
        animation.channels.append(
            gltf.AnimationChannel(
                sampler=len(animation.samplers) - 1,
                target=gltf.AnimationChannelTarget(node=joint, path=path),
            )
        )
    return animation


def write_obj(
    path: Path,
    name: str,
    vertices: np.ndarray,
    groups: dict[str, list[list[int]]],
    uvs: np.ndarray | None = None,
) -> None:
    """Wavefront OBJ: faces by group; uvs (n, 2), one per vertex."""
    path.parent.mkdir(parents=True, exist_ok=True)
    lines = ["# Patient Needle demo, CC0, metres, Y up", f"o {name}"]
    lines += [f"v {x:.6f} {y:.6f} {z:.6f}" for x, y, z in vertices]
    if uvs is not None:
        lines += [f"vt {u:.6f} {v:.6f}" for u, v in uvs]
    for group, faces in groups.items():
        lines.append(f"g {group}")
        for face in faces:
            corners = (f"{i + 1}/{i + 1}" if uvs is not None else f"{i + 1}" for i in face)
            lines.append("f " + " ".join(corners))
    path.write_text("\n".join(lines) + "\n", encoding="ascii")


def joint_rotations(turns: np.ndarray, parents: np.ndarray) -> np.ndarray:
    """Local quaternions (f, j, 4) from world rotations (f, j, 3, 3), each near the one before it."""
    from scipy.spatial.transform import Rotation

    frames, joints = turns.shape[:2]
    out = np.zeros((frames, joints, 4))
    for joint, parent in enumerate(parents):
        local = turns[:, joint] if parent < 0 else (turns[:, parent].transpose(0, 2, 1) @ turns[:, joint])
        out[:, joint] = Rotation.from_matrix(local).as_quat()
    for frame in range(1, frames):
        flipped = (out[frame] * out[frame - 1]).sum(1) < 0
        out[frame, flipped] *= -1
    return out
