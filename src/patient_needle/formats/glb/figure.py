"""What a GLB holds, and one of its meshes with the skeleton that moves it."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np

from ...core.geometry.skinning import Skeleton, Skin, joint_matrices, skinned
from ...core.model.errors import FileError
from ...core.model.mesh import Mesh
from ...core.model.typed import Indices
from ..contents import Contents, Figure, FigureAsk, Moves, Piece, SkinnedSource, Stated, size_of, unique
from .accessors import Container
from .animation import chosen_animation
from .meshes import mesh_of, ordered, rest_pose
from .skin import shape_names, shapes_of, skin_of

STATED = Stated(metres=1.0, up="y")  # glTF 2.0, section 3.4


def list_glb(path: Path) -> Contents:
    """Every node that shows a mesh, by name."""
    container = Container(path)
    order, parents = ordered(container)
    place = {source: new for new, source in enumerate(order)}
    animation = chosen_animation(container, None, place)
    moved = _moved(container, place, parents)
    bare = _bare(container, order, parents)
    world = joint_matrices(bare, bare.rest)
    pieces = []
    for node, name in zip(*_shown(container), strict=True):
        mesh = mesh_of(container, container.document.nodes[node].mesh)
        skinned = container.document.nodes[node].skin is not None
        at = world[place[node]]
        points = mesh.vertices if skinned else mesh.vertices @ at[:3, :3].T + at[:3, 3]
        moves: Moves = "not at all"
        if animation is not None and (skinned or moved[place[node]]):
            moves = "by joints" if skinned else "as a whole"
        if animation is not None and moves != "by joints" and animation.moves(place[node]):
            moves = "by points"
        last = None if animation is None or moves == "not at all" else animation.end * animation.rate
        pieces.append(
            Piece(
                name, mesh.vertex_count, mesh.face_count, size_of(points), moves,
                None if last is None else 0.0, last,
                tuple(shape_names(container, container.document.nodes[node].mesh)),
            )
        )  # fmt: skip
    stated = STATED if animation is None else replace(STATED, rate=animation.rate)
    return Contents(stated, tuple(pieces), tuple(unique([a.name for a in container.document.animations])))


def read_figure(path: Path, ask: FigureAsk) -> Figure:
    """The mesh called `ask.mesh`, or the first skinned one, or the only one, under `ask.animation`.

    A mesh without a skin is moved by its node as by a single joint; without an animation a figure stands.
    """
    container = Container(path)
    order, parents = ordered(container)
    place = {source: new for new, source in enumerate(order)}
    node = _chosen_node(container, ask.mesh)
    skeleton, skin, notes = _bound(container, node, order, parents)
    mesh = mesh_of(container, container.document.nodes[node].mesh)
    shapes = shapes_of(container, container.document.nodes[node].mesh)
    animation = chosen_animation(container, ask.animation, place)
    if animation is None:
        joints = SkinnedSource(skin, skeleton, (skeleton.rest,))
        return Figure(mesh, STATED, joints=joints, shapes=shapes, notes=notes)
    poses = animation.poses(skeleton.rest, ask.rate or animation.rate)
    taken = animation.amounts(place[node], len(shapes), ask.rate or animation.rate)
    amounts = {} if taken is None else dict(zip(shapes, taken.T, strict=True))
    return Figure(
        mesh, replace(STATED, rate=animation.rate), SkinnedSource(skin, skeleton, poses), first=0.0,
        shapes=shapes, amounts=amounts, notes=notes,
    )  # fmt: skip


def _bare(container: Container, order: list[int], parents: Indices) -> Skeleton:
    """All nodes as joints, bound nowhere yet."""
    names = unique([container.document.nodes[i].name or f"node{i}" for i in order])
    inverse = np.tile(np.eye(4), (len(order), 1, 1))
    return Skeleton(tuple(names), parents, inverse, rest_pose(container, order), np.eye(4))


def _bound(
    container: Container, node: int, order: list[int], parents: Indices
) -> tuple[Skeleton, Skin, tuple[str, ...]]:
    """The skeleton bound to the mesh of `node`, and its skin."""
    document = container.document
    bare = _bare(container, order, parents)
    place = {source: new for new, source in enumerate(order)}
    source = document.nodes[node]
    if source.skin is None:
        count = mesh_of(container, source.mesh).vertex_count
        joint = np.full((count, 1), place[node], np.int32)
        return bare, Skin(joint, np.ones((count, 1))), ()
    if not 0 <= source.skin < len(document.skins):
        raise FileError(
            f"node '{source.name}' names skin {source.skin}, which does not exist", where=str(container.path)
        )
    skin = document.skins[source.skin]
    if any(j not in place for j in skin.joints):
        raise FileError("the skin names a joint that does not exist", where=str(container.path))
    joints = np.array([place[j] for j in skin.joints], np.int32)
    inverse = bare.inverse_bind.copy()
    if skin.inverseBindMatrices is not None:
        given = container.array(skin.inverseBindMatrices, "the skin's bind matrices")
        if given.shape != (len(joints), 16):
            raise FileError(
                f"the skin has {len(given)} bind matrices for {len(joints)} joints", where=str(container.path)
            )
        inverse[joints] = given.reshape(-1, 4, 4).transpose(0, 2, 1)
    weights, notes = skin_of(container, source.mesh, joints)
    return replace(bare, inverse_bind=inverse), weights, notes


def _shown(container: Container) -> tuple[list[int], list[str]]:
    """Nodes that show a mesh and their names, each once."""
    document = container.document
    nodes = [i for i, node in enumerate(document.nodes) if node.mesh is not None]
    if any(not 0 <= document.nodes[i].mesh < len(document.meshes) for i in nodes):
        raise FileError("a node names a mesh that does not exist", where=str(container.path))
    if not nodes:
        raise FileError("the file holds no mesh", where=str(container.path), remedy="Export the mesh with it")
    names = [document.meshes[document.nodes[i].mesh].name or document.nodes[i].name for i in nodes]
    return nodes, unique([name or "" for name in names])


def _chosen_node(container: Container, name: str | None) -> int:
    nodes, names = _shown(container)
    skinned = [i for i in nodes if container.document.nodes[i].skin is not None]
    if name is None and (skinned or len(nodes) == 1):
        return (skinned or nodes)[0]
    for node, known in zip(nodes, names, strict=True):
        if name is not None and name in (known, container.document.nodes[node].name):
            return node
    raise FileError(
        f"the file holds {len(nodes)} meshes" if name is None else f"no mesh is called '{name}'",
        where=str(container.path),
        remedy=f"Say which: {', '.join(names)}",
    )


def _moved(container: Container, place: dict[int, int], parents: Indices) -> np.ndarray:
    """Which joints an animation moves, themselves or through a parent, (j,) bool."""
    moved = np.zeros(len(place), bool)
    for animation in container.document.animations[:1]:
        for channel in animation.channels:
            if channel.target.node in place:
                moved[place[channel.target.node]] = True
    for joint, parent in enumerate(parents):
        moved[joint] |= parent >= 0 and moved[parent]
    return moved


def read_glb(path: Path) -> list[Mesh]:
    """Every mesh that is shown, where the file without its animation has it."""
    _, names = _shown(Container(path))
    return [_standing(read_figure(path, FigureAsk(mesh=name)), name) for name in names]


def _standing(figure: Figure, name: str) -> Mesh:
    joints = figure.joints
    assert joints is not None
    points = skinned(figure.mesh.vertices, joints.skin, joints.skeleton, joints.skeleton.rest)
    return replace(figure.mesh, name=name, vertices=points)
