"""Readers of figures against what other libraries and closed forms make of the same files.

Sources: the OpenUSD library's own skinning (UsdSkel.BakeSkinning); the layout of MDD (common practice, no
published standard); the Khronos glTF 2.0 specification, sections 3.6.2 (sparse accessors) and 3.7.2 (morph
targets).
"""

from __future__ import annotations

import struct
import sys
from pathlib import Path

import numpy as np
import pytest
from numpy.testing import assert_allclose
from pxr import Gf, Usd, UsdGeom, UsdSkel, Vt

from patient_needle.core.geometry.motion import SkinnedMotion
from patient_needle.core.model.errors import FileError
from patient_needle.core.model.mesh import Mesh
from patient_needle.formats.alembic_cache import read_alembic
from patient_needle.formats.contents import FigureAsk
from patient_needle.formats.glb import list_glb, read_figure, read_glb
from patient_needle.formats.registry import (
    CacheTiming,
    list_contents,
    read_cache,
    write_cache,
    write_mesh,
)
from patient_needle.formats.registry import read_figure as read_any
from patient_needle.formats.shot_file.assemble import named_files
from patient_needle.formats.shot_file.document import CastRecord, ShapeRecord, parse_shot
from patient_needle.formats.shot_file.members import assemble_member

DEMO = Path(__file__).parents[2] / "demo"
LAMPLIGHTER = DEMO / "lamplighter" / "lamplighter.glb"


@pytest.fixture(scope="module")
def others(tmp_path_factory):
    """The lamplighter in centimetres, Z up, 30 frames a second, as Alembic and as USD."""
    sys.path.insert(0, str(DEMO))
    import other_files

    folder = tmp_path_factory.mktemp("others")
    other_files.main(folder)
    return folder


def test_usd_skinning_agrees_with_the_librarys_own(others):
    read = read_any(others / "lamplighter_cm.usdc", FigureAsk(rate=30))
    motion = SkinnedMotion(
        read.mesh.vertices, read.joints.skin, read.joints.skeleton, read.joints.poses, 1
    )  # fmt: skip
    stage = Usd.Stage.Open(str(others / "lamplighter_cm.usdc"))
    assert UsdSkel.BakeSkinning(stage.Traverse(), Gf.Interval(1, 149))
    body = UsdGeom.Mesh(stage.GetPrimAtPath("/lamplighter/body"))
    for frame in (1, 40, 77, 149):
        points = np.array(body.GetPointsAttr().Get(frame), float)
        whole = np.array(
            UsdGeom.Imageable(body.GetPrim()).ComputeLocalToWorldTransform(Usd.TimeCode(frame)), float
        )
        world = points @ whole[:3, :3] + whole[3, :3]
        # In centimetres; the library bakes in single precision.
        assert_allclose(motion.at(frame), world, atol=1e-4)


def cast(folder, rate, **fields):
    record = CastRecord(name="figure", kind="character", starts_at=1001, **fields)
    return assemble_member(record, folder, rate, (1001, 1100))


@pytest.mark.parametrize("file", ["lamplighter_cm.abc", "lamplighter_cm.usdc"])
def test_the_figure_in_centimetres_ends_where_the_one_in_metres_does(others, file):
    """After the offers are taken: centimetres, Z up, and 30 frames a second for the shot."""
    told = cast(LAMPLIGHTER.parent, 30.0, file=LAMPLIGHTER.name).member.motion
    read = cast(others, 30.0, file=file, unit="cm", up="z").member.motion
    for frame in (1001, 1042, 1093, 1149):
        assert_allclose(read.at(frame), told.at(frame), atol=1e-4)


def test_a_cache_at_another_rate_keeps_its_time(others):
    """At 24 frames a second every fourth frame is one of the file's own 30; between them it stays near."""
    told = cast(LAMPLIGHTER.parent, 24.0, file=LAMPLIGHTER.name).member.motion
    read = cast(others, 24.0, file="lamplighter_cm.abc", unit="cm", up="z")
    assert "played in real time at 24" in read.notes[0]
    for frame in (1001, 1041, 1081):
        assert_allclose(read.member.motion.at(frame), told.at(frame), atol=1e-4)
    away = np.linalg.norm(read.member.motion.at(1038) - told.at(1038), axis=1)
    assert away.mean() < 2e-3
    frame_for_frame = cast(others, 24.0, file="lamplighter_cm.abc", unit="cm", up="z", timing="frame for frame")
    thirty = cast(LAMPLIGHTER.parent, 30.0, file=LAMPLIGHTER.name).member.motion
    assert_allclose(frame_for_frame.member.motion.at(1038), thirty.at(1038), atol=1e-4)


def test_motion_of_another_file_moves_the_character_as_its_own(others):
    """The USD's skeleton under the GLB's skin: joints are found by name."""
    told = cast(LAMPLIGHTER.parent, 30.0, file=LAMPLIGHTER.name).member.motion
    for name in ("lamplighter_cm.usdc",):
        (others / "lamplighter.glb").write_bytes(LAMPLIGHTER.read_bytes())
        read = cast(others, 30.0, file="lamplighter.glb", motion={"file": name})
        assert "joints found by name" in read.notes[0]
        # Both skeletons stand in metres below the node that turns the USD's.
        assert_allclose(read.member.motion.at(1077), told.at(1077), atol=1e-4)


def sheet() -> tuple[Mesh, list[np.ndarray]]:
    rng = np.random.default_rng(4)
    points = rng.normal(size=(7, 3)).astype(np.float32).astype(float)
    mesh = Mesh(
        "sheet", points, np.array([4, 3], np.int32), np.array([0, 1, 2, 3, 4, 5, 6], np.int32),
        groups={"left": np.array([0], np.int32)},
    )  # fmt: skip
    return mesh, [points + np.float32(k) for k in range(5)]


@pytest.mark.parametrize("ending", ["abc", "mdd", "pc2", "usd"])
def test_round_trips_keep_every_vertex_in_order_to_the_bit(tmp_path, ending):
    mesh, frames = sheet()
    before = [frame.copy() for frame in frames]
    path = tmp_path / f"a.{ending}"
    write_cache(path, mesh, iter(frames), CacheTiming(-30, 24))
    back = read_cache(path)
    assert np.asarray(back.frames, np.float32).tobytes() == np.array(frames, np.float32).tobytes()
    assert back.first_frame == pytest.approx(-30, abs=1e-3)
    if back.corners is not None:
        assert back.corners.tolist() == mesh.face_corners.tolist()
    assert all((a == b).all() for a, b in zip(before, frames, strict=True))


def test_mdd_by_its_layout(tmp_path):
    mesh, frames = sheet()
    write_cache(tmp_path / "a.mdd", mesh, iter(frames), CacheTiming(24, 24))
    data = (tmp_path / "a.mdd").read_bytes()
    assert struct.unpack(">ii", data[:8]) == (5, 7)
    assert_allclose(np.frombuffer(data[8:28], ">f4"), 1 + np.arange(5) / 24, rtol=1e-6)
    assert_allclose(np.frombuffer(data[28:], ">f4").reshape(5, 7, 3), np.array(frames), rtol=1e-6)


def test_usd_points_by_the_library(tmp_path):
    mesh, frames = sheet()
    write_cache(tmp_path / "a.usd", mesh, iter(frames), CacheTiming(1001, 30))
    stage = Usd.Stage.Open(str(tmp_path / "a.usd"))
    prim = UsdGeom.Mesh(stage.GetDefaultPrim())
    assert UsdGeom.GetStageMetersPerUnit(stage) == 1.0
    assert (stage.GetTimeCodesPerSecond(), stage.GetStartTimeCode(), stage.GetEndTimeCode()) == (30, 1001, 1005)
    assert_allclose(np.array(prim.GetPointsAttr().Get(1003)), frames[2], rtol=1e-6)
    (subset,) = UsdGeom.Subset.GetAllGeomSubsets(UsdGeom.Imageable(prim))
    assert (subset.GetPrim().GetName(), list(subset.GetIndicesAttr().Get())) == ("left", [0])


def test_usd_transforms_units_and_left_handed_faces(tmp_path):
    stage = Usd.Stage.CreateNew(str(tmp_path / "a.usda"))
    UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.z)
    UsdGeom.SetStageMetersPerUnit(stage, 0.01)
    stage.SetTimeCodesPerSecond(25)
    top = UsdGeom.Xform.Define(stage, "/top")
    move = top.AddTranslateOp()
    move.Set(Gf.Vec3d(1, 0, 0), 1)
    move.Set(Gf.Vec3d(3, 0, 0), 3)
    for name in ("one", "two"):
        mesh = UsdGeom.Mesh.Define(stage, f"/top/{name}/shape")
        mesh.CreatePointsAttr(Vt.Vec3fArray([(0, 0, 0), (1, 0, 0), (0, 1, 0)]))
        mesh.CreateFaceVertexCountsAttr([3])
        mesh.CreateFaceVertexIndicesAttr([0, 1, 2])
        mesh.CreateOrientationAttr(UsdGeom.Tokens.leftHanded)
    stage.GetRootLayer().Save()
    found = list_contents(tmp_path / "a.usda")
    assert [piece.name for piece in found.pieces] == ["shape", "shape 2"]
    assert (found.stated.metres, found.stated.up, found.stated.rate) == (0.01, "z", 25)
    assert {(p.moves, p.first, p.last) for p in found.pieces} == {("as a whole", 1.0, 3.0)}
    read = read_any(tmp_path / "a.usda", FigureAsk(mesh="shape 2"))
    assert_allclose(read.frames[:, 0, 0], [1, 2, 3])
    assert read.mesh.face_corners.tolist() == [2, 1, 0]


def test_alembic_transforms_add_up(tmp_path):
    import gc

    import imath
    from alembic3d import Abc, AbcCoreAbstract, AbcGeom

    archive = Abc.OArchive(str(tmp_path / "a.abc"), True)
    sampling = archive.addTimeSampling(AbcCoreAbstract.TimeSampling(1 / 30, 1.0))
    outer = AbcGeom.OXform(archive.getTop(), "outer")
    outer.getSchema().setTimeSampling(sampling)
    for k in range(3):
        sample = AbcGeom.XformSample()
        sample.setTranslation(imath.V3d(10.0 * k, 0, 0))
        outer.getSchema().set(sample)
    inner = AbcGeom.OXform(outer, "inner")
    sample = AbcGeom.XformSample()
    sample.setScale(imath.V3d(2.0, 3.0, 4.0))
    inner.getSchema().set(sample)
    shape = AbcGeom.OPolyMesh(inner, "shape")
    points = imath.V3fArrayFromBuffer(np.eye(3, dtype=np.float32))
    shape.getSchema().set(
        AbcGeom.OPolyMeshSchemaSample(
            points, imath.IntArrayFromBuffer(np.array([0, 1, 2], np.int32)),
            imath.IntArrayFromBuffer(np.array([3], np.int32)),
        )
    )  # fmt: skip
    del shape, inner, outer, archive
    gc.collect()
    read = read_alembic(tmp_path / "a.abc")
    told = np.diag([2.0, 3, 4])[None] + 10 * np.arange(3)[:, None, None] * [1.0, 0, 0]
    assert_allclose(read.frames, told, atol=1e-6)
    (piece,) = list_contents(tmp_path / "a.abc").pieces
    assert (piece.name, piece.moves) == ("inner", "as a whole")
    assert (piece.first, piece.last) == pytest.approx((30.0, 32.0))


def test_glb_shapes_sparse_values_and_matrices(tmp_path):
    """A triangle under a node placed by a matrix, one shape, whose one offset is stored sparsely."""
    import pygltflib as g

    points = np.array([(0, 0, 0), (1, 0, 0), (0, 1, 0)], "<f4").tobytes()
    sparse = struct.pack("<H", 2) + b"\0\0" + struct.pack("<3f", 0, 0, 5)
    document = g.GLTF2(
        scenes=[g.Scene(nodes=[0])],
        nodes=[g.Node(name="tri", mesh=0, matrix=[0, 2, 0, 0, -2, 0, 0, 0, 0, 0, 2, 0, 7, 0, 0, 1])],
        meshes=[
            g.Mesh(
                name="tri", extras={"targetNames": ["lifted"]},
                primitives=[g.Primitive(attributes=g.Attributes(POSITION=0), targets=[{"POSITION": 1}])],
            )
        ],
        accessors=[
            g.Accessor(bufferView=0, componentType=5126, count=3, type="VEC3"),
            g.Accessor(
                componentType=5126, count=3, type="VEC3",
                sparse=g.Sparse(
                    count=1, indices=g.AccessorSparseIndices(bufferView=1, componentType=5123),
                    values=g.AccessorSparseValues(bufferView=2),
                ),
            ),
        ],
        bufferViews=[
            g.BufferView(buffer=0, byteOffset=0, byteLength=36),
            g.BufferView(buffer=0, byteOffset=36, byteLength=2),
            g.BufferView(buffer=0, byteOffset=40, byteLength=12),
        ],
        buffers=[g.Buffer(byteLength=52)],
    )  # fmt: skip
    document.set_binary_blob(points + sparse)
    document.save_binary(str(tmp_path / "tri.glb"))
    read = read_figure(tmp_path / "tri.glb", FigureAsk())
    assert_allclose(read.shapes["lifted"], [[0, 0, 0], [0, 0, 0], [0, 0, 5]])
    (piece,) = list_glb(tmp_path / "tri.glb").pieces
    assert (piece.moves, piece.shapes) == ("not at all", ("lifted",))
    (mesh,) = read_glb(tmp_path / "tri.glb")
    assert_allclose(mesh.vertices, [[7, 0, 0], [7, 2, 0], [5, 0, 0]], atol=1e-12)


def test_glb_shapes_that_the_animation_takes_on(tmp_path):
    """Two shapes, keyed at 0, 0.5 and 1 s; straight between keys (glTF 2.0, appendix C)."""
    import pygltflib as g

    points = np.array([(0, 0, 0), (1, 0, 0), (0, 1, 0)], "<f4")
    up, out = np.zeros((3, 3), "<f4"), np.zeros((3, 3), "<f4")
    up[2] = (0, 0, 5)
    out[1] = (3, 0, 0)
    times = np.array([0, 0.5, 1], "<f4")
    weights = np.array([[0, 0.5], [1, 0.5], [0, 0.5]], "<f4")
    parts = [points, up, out, times, weights]
    offsets = np.concatenate([[0], np.cumsum([part.nbytes for part in parts])])
    kinds = [("VEC3", 3), ("VEC3", 3), ("VEC3", 3), ("SCALAR", 3), ("SCALAR", 6)]
    document = g.GLTF2(
        scenes=[g.Scene(nodes=[0])],
        nodes=[g.Node(name="tri", mesh=0)],
        meshes=[
            g.Mesh(
                name="tri", extras={"targetNames": ["up", "out"]},
                primitives=[
                    g.Primitive(attributes=g.Attributes(POSITION=0), targets=[{"POSITION": 1}, {"POSITION": 2}])
                ],
            )
        ],
        animations=[
            g.Animation(
                channels=[
                    g.AnimationChannel(sampler=0, target=g.AnimationChannelTarget(node=0, path="weights"))
                ],
                samplers=[g.AnimationSampler(input=3, output=4, interpolation="LINEAR")],
            )
        ],
        accessors=[
            g.Accessor(bufferView=k, componentType=5126, count=count, type=kind)
            for k, (kind, count) in enumerate(kinds)
        ],
        bufferViews=[
            g.BufferView(buffer=0, byteOffset=int(offsets[k]), byteLength=part.nbytes)
            for k, part in enumerate(parts)
        ],
        buffers=[g.Buffer(byteLength=int(offsets[-1]))],
    )  # fmt: skip
    document.set_binary_blob(b"".join(part.tobytes() for part in parts))
    document.save_binary(str(tmp_path / "tri.glb"))
    (piece,) = list_glb(tmp_path / "tri.glb").pieces
    assert piece.moves == "by points"
    record = CastRecord(name="tri", kind="prop", file="tri.glb", starts_at=10, collider=None)
    motion = assemble_member(record, tmp_path, 24.0, (10, 34)).member.motion
    assert_allclose(motion.at(16), points + 0.5 * up + 0.5 * out, atol=1e-6)
    assert_allclose(motion.at(22), points + up + 0.5 * out, atol=1e-6)
    assert_allclose(motion.rest(), points)
    keyed = record.model_copy(update={"shapes": [ShapeRecord(name="mine", shape="up", amount=0.25)]})
    motion = assemble_member(keyed, tmp_path, 24.0, (10, 34)).member.motion
    assert_allclose(motion.at(22), points + 0.25 * up + 0.5 * out, atol=1e-6)


def test_obj_agrees_with_libigl(tmp_path):
    """Vertices and faces of the demo's garment, read by libigl."""
    import igl

    path = DEMO / "lamplighter" / "apron_skirt.obj"
    mesh = read_any(path, FigureAsk()).mesh
    triangles = mesh.face_sizes == 3
    points, faces = igl.read_triangle_mesh(str(path))
    assert_allclose(mesh.vertices, points, atol=1e-12)
    starts = np.concatenate([[0], np.cumsum(mesh.face_sizes)])[:-1]
    ours = np.stack([mesh.face_corners[starts[triangles] + k] for k in range(3)], axis=1)
    theirs = {tuple(face) for face in np.asarray(faces).tolist()}
    assert {tuple(face) for face in ours.tolist()} <= theirs


def numbered(folder, numbers, change=None):
    mesh, _ = sheet()
    for number in numbers:
        moved = mesh.with_vertices(mesh.vertices + 0.1 * number)
        if change is not None and number == change[0]:
            moved = change[1]
        write_mesh(folder / f"walk.{number:04d}.obj", moved)


def test_numbered_obj_files_are_a_cache_headless_too(tmp_path):
    numbered(tmp_path, range(9, 13))
    content = read_cache(tmp_path / "walk.0009.obj")
    assert (content.first_frame, len(content.frames)) == (9, 4)
    assert_allclose(content.frames[3] - content.frames[0], 0.3, atol=1e-6)
    record = CastRecord(name="it", kind="prop", file="walk.0009.obj", cache="walk.0009.obj", starts_at=1001)
    assert assemble_member(record, tmp_path, 24.0, (1001, 1004)).member.motion.span() == (1001, 1004)
    data = {"format": "patient-needle-shot", "version": 1, "name": "t", "frames": [1001, 1004]}
    shot = parse_shot({**data, "fabrics": [], "garments": [], "cast": [record.model_dump()]}, "t")
    names = [path.name for path in named_files(shot, tmp_path)]
    assert names == [f"walk.{k:04d}.obj" for k in range(9, 13)]


@pytest.mark.parametrize(
    ("numbers", "change", "says"),
    [
        ((1, 2, 4), None, "1 of the files 1 to 4 are missing, the first of them 3"),
        ((1, 2), (2, "other"), "walk.0002.obj.*keeps one topology"),
    ],
)
def test_numbered_files_with_a_gap_or_another_topology_are_named(tmp_path, numbers, change, says):
    mesh, _ = sheet()
    other = Mesh("other", mesh.vertices, np.array([3], np.int32), np.array([0, 1, 2], np.int32))
    numbered(tmp_path, numbers, None if change is None else (change[0], other))
    with pytest.raises(FileError, match=rf"(?s){says}"):
        read_cache(tmp_path / "walk.0001.obj")


def test_caches_whose_topology_changes_are_named(tmp_path):
    stage = Usd.Stage.CreateNew(str(tmp_path / "a.usda"))
    mesh = UsdGeom.Mesh.Define(stage, "/shape")
    for time, count in ((1, 4), (2, 3)):
        mesh.CreatePointsAttr().Set(Vt.Vec3fArray([(k, k * k, 0) for k in range(count)]), time)
    mesh.CreateFaceVertexCountsAttr([3])
    mesh.CreateFaceVertexIndicesAttr([0, 1, 2])
    stage.GetRootLayer().Save()
    with pytest.raises(FileError, match="3 points at 2, at first 4"):
        read_any(tmp_path / "a.usda", FigureAsk())
