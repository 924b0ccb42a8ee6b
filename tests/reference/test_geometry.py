"""Distances, intersections and skinning against independent computations."""

from __future__ import annotations

import json
import struct
from pathlib import Path

import igl
import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from patient_needle.core.contact.intersections import crossing_pairs
from patient_needle.core.geometry.closed import inside
from patient_needle.core.geometry.motion import SkinnedMotion
from patient_needle.core.geometry.tree import build_tree, closest_points, refit
from patient_needle.formats.contents import FigureAsk
from patient_needle.formats.glb import read_figure

FIGURE = Path(__file__).parents[2] / "demo" / "lamplighter" / "lamplighter.glb"


def figure() -> SkinnedMotion:
    read = read_figure(FIGURE, FigureAsk(rate=24))
    return SkinnedMotion(read.mesh.vertices, read.joints.skin, read.joints.skeleton, read.joints.poses, 1001)


def test_closest_points_agree_with_libigl():
    """libigl's AABB tree (Jacobson et al.), to 1e-9 m, on the figure in motion; the tree built at rest."""
    body = figure()
    triangles = read_figure(FIGURE, FigureAsk(rate=24)).mesh.face_corners.reshape(-1, 3)
    tree = build_tree(body.rest(), triangles)
    moved = body.at(1083)
    refit(tree, moved)
    rng = np.random.default_rng(1)
    queries = moved[rng.integers(0, len(moved), 800)] + rng.normal(size=(800, 3)) * 0.05
    _, _, distance = closest_points(tree, moved, queries)
    squared = igl.point_mesh_squared_distance(queries, moved, triangles.astype(np.int64))[0]
    assert distance == pytest.approx(np.sqrt(squared), abs=1e-9)
    near = distance < 0.02
    triangle, _, bounded = closest_points(tree, moved, queries, 0.02)
    assert (triangle >= 0).tolist() == near.tolist()
    assert bounded[near] == pytest.approx(distance[near], abs=1e-12)


def segments_cross_triangles(a, b, corners):
    """Moller-Trumbore (1997) in plain NumPy: which segments (k, 3) cross which triangles (m, 3, 3)."""
    direction = (b - a)[:, None]
    e1, e2 = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    h = np.cross(direction, e2[None])
    det = (e1[None] * h).sum(-1)
    s = a[:, None] - corners[None, :, 0]
    u = (s * h).sum(-1) / det
    q = np.cross(s, e1[None])
    v = (direction * q).sum(-1) / det
    t = (e2[None] * q).sum(-1) / det
    return (u >= 0) & (v >= 0) & (u + v <= 1) & (t >= 0) & (t <= 1)


def test_crossing_pairs_agree_with_segments_against_triangles():
    """Two triangles in general position cross when an edge of one passes through the other."""
    rng = np.random.default_rng(4)
    points = rng.uniform(size=(180, 3))
    a, b = np.arange(90).reshape(-1, 3), np.arange(90, 180).reshape(-1, 3)
    expected = set()
    for one, other, swap in ((a, b, False), (b, a, True)):
        for k in range(3):
            hits = segments_cross_triangles(points[one[:, k]], points[one[:, (k + 1) % 3]], points[other])
            for i, j in np.argwhere(hits):
                expected.add((int(j), int(i)) if swap else (int(i), int(j)))
    ours = {tuple(p) for p in crossing_pairs(points, a, points, b).tolist()}
    assert ours == expected
    assert len(ours) > 20


def sphere(around: int = 24, down: int = 12) -> tuple[np.ndarray, np.ndarray]:
    """A unit sphere of triangles, normals outwards."""
    turn, fall = np.arange(around) / around * 2 * np.pi, np.arange(1, down) / down * np.pi
    rings = np.sin(fall)[:, None, None] * np.stack([np.cos(turn), 0 * turn, np.sin(turn)], 1)
    rings[..., 1] += np.cos(fall)[:, None]
    points = np.concatenate([rings.reshape(-1, 3), [[0, 1, 0], [0, -1, 0]]])
    top, bottom, last = len(points) - 2, len(points) - 1, (down - 2) * around
    faces = []
    for i in range(around):
        k = (i + 1) % around
        faces += [(top, k, i), (bottom, last + i, last + k)]
        for r in range(0, last, around):
            faces += [(r + i, r + k, r + around + i), (r + k, r + around + k, r + around + i)]
    return points, np.array(faces)


def test_inside_agrees_with_a_sphere():
    """Closed form: a point is inside a sphere when it is nearer to the centre than the radius."""
    points, triangles = sphere()
    queries = np.random.default_rng(5).uniform(-1.3, 1.3, (400, 3))
    radius = np.linalg.norm(queries, axis=1)
    clear = np.abs(radius - 0.98) > 0.04
    found = inside(points, triangles, queries)
    assert found[clear].tolist() == (radius < 1)[clear].tolist()
    # A few places are answered by exact sums, those on the surface as many are: outside.
    assert (
        np.concatenate([inside(points, triangles, some) for some in np.split(queries, 80)]).tolist()
        == found.tolist()
    )
    assert not inside(points, triangles, points[:5]).any()


def by_hand(path: Path, frame: int) -> np.ndarray:
    """Skinned positions straight from the GLB's bytes (glTF 2.0, 3.7.3), no code of ours or of its reader's."""
    data = path.read_bytes()
    length = struct.unpack("<I", data[12:16])[0]
    doc, blob = json.loads(data[20 : 20 + length]), data[28 + length :]

    def read(index):
        accessor = doc["accessors"][index]
        view = doc["bufferViews"][accessor["bufferView"]]
        kind = {5126: "<f4", 5121: "<u1", 5125: "<u4"}[accessor["componentType"]]
        width = {"SCALAR": 1, "VEC3": 3, "VEC4": 4, "MAT4": 16}[accessor["type"]]
        start = view.get("byteOffset", 0)
        return np.frombuffer(blob, kind, accessor["count"] * width, start).reshape(-1, width)

    nodes, skin = doc["nodes"], doc["skins"][0]
    turn, move = {}, {}
    for channel in doc["animations"][0]["channels"]:
        sampler = doc["animations"][0]["samplers"][channel["sampler"]]
        table = turn if channel["target"]["path"] == "rotation" else move
        table[channel["target"]["node"]] = read(sampler["output"])[frame]
    world = {}

    def place(index, above):
        local = np.eye(4)
        if index in turn:
            local[:3, :3] = Rotation.from_quat(turn[index]).as_matrix()
        local[:3, 3] = move.get(index, nodes[index].get("translation", (0, 0, 0)))
        world[index] = above @ local
        for child in nodes[index].get("children", []):
            place(child, world[index])

    for root in doc["scenes"][0]["nodes"]:
        place(root, np.eye(4))
    inverse = read(skin["inverseBindMatrices"]).reshape(-1, 4, 4).transpose(0, 2, 1)
    blend = np.stack([world[j] @ inverse[k] for k, j in enumerate(skin["joints"])])
    attributes = doc["meshes"][0]["primitives"][0]["attributes"]
    points, joints, weights = (read(attributes[k]) for k in ("POSITION", "JOINTS_0", "WEIGHTS_0"))
    flat = np.column_stack([points, np.ones(len(points))])
    return np.einsum("nk,nkij,nj->ni", weights, blend[joints], flat)[:, :3]


@pytest.mark.parametrize("frame", [0, 41, 119])
def test_skinning_agrees_with_the_specification_worked_by_hand(frame):
    assert figure().at(1001 + frame) == pytest.approx(by_hand(FIGURE, frame), abs=2e-6)
