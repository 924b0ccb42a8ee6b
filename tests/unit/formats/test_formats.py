"""OBJ, PC2, GLB and the shot file: round trips, and one clear error for each kind of damage."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from patient_needle.core.craft.holds.dressing import dress
from patient_needle.core.model.errors import CastError, FileError, MeshError, NeedleError, ShotError
from patient_needle.core.model.mesh import Mesh
from patient_needle.formats.contents import FigureAsk
from patient_needle.formats.glb import read_figure, read_glb
from patient_needle.formats.obj import read_obj, write_obj
from patient_needle.formats.pc2 import read_pc2, write_pc2
from patient_needle.formats.registry import CacheTiming, read_meshes, write_cache
from patient_needle.formats.shot_file.assemble import assemble
from patient_needle.formats.shot_file.document import read_shot_file, shot_file_schema

DEMO = Path(__file__).parents[3] / "demo"
FLAG = DEMO / "flag" / "shot.json"


@st.composite
def meshes(draw):
    points = draw(arrays(np.float64, (draw(st.integers(3, 12)), 3), elements=st.floats(-100, 100, width=32)))
    corner = st.integers(0, len(points) - 1)
    faces = draw(st.lists(st.lists(corner, min_size=3, max_size=6), min_size=1, max_size=8))
    corners = np.array([c for f in faces for c in f], np.int32)
    uvs = draw(st.booleans())
    return Mesh(
        "thing",
        points,
        np.array([len(f) for f in faces], np.int32),
        corners,
        np.round(points[:, :2], 3) if uvs else np.zeros((0, 2)),
        corners if uvs else np.zeros(0, np.int32),
        {"front": np.array([0], np.int32)},
    )


@settings(max_examples=40, deadline=None)
@given(mesh=meshes())
def test_obj_round_trip_keeps_order_uvs_and_groups(mesh, tmp_path_factory):
    path = tmp_path_factory.mktemp("obj") / "thing.obj"
    write_obj(path, mesh)
    (back,) = read_obj(path)
    assert back.vertices == pytest.approx(mesh.vertices, rel=1e-8, abs=1e-12)
    assert back.face_sizes.tolist() == mesh.face_sizes.tolist()
    assert back.face_corners.tolist() == mesh.face_corners.tolist()
    assert back.uv_corners.tolist() == mesh.uv_corners.tolist()
    assert back.groups["front"].tolist() == [0]


def obj(tmp_path, text: str) -> Path:
    path = tmp_path / "coat.obj"
    path.write_text(text)
    return path


def test_obj_reads_negative_indices_and_ignores_what_it_need_not_know(tmp_path):
    text = (
        "mtllib a.mtl\nv 0 0 0\nv 1 0 0 # right\nv 0 1 0\nvn 0 0 1\ng back collar\ns 1\nf -3//1 -2//1 -1//1\n"
    )
    (mesh,) = read_obj(obj(tmp_path, text))
    assert mesh.face(0).tolist() == [0, 1, 2]
    assert set(mesh.groups) == {"back", "collar"}


TRIANGLE = "v 0 0 0\nv 1 0 0\nv 0 1 0\n"


@pytest.mark.parametrize(
    ("text", "says"),
    [
        (TRIANGLE + "f 1 2 9\n", "names vertex 8 of 3"),
        (TRIANGLE + "f 1 2\n", "line 4.*three corners"),
        ("v 0 0 nan\nv 1 0 0\nv 0 1 0\nf 1 2 3\n", "not a number"),
        ("v 0 zero 0\n", "line 1"),
        ("hello there\n", "line 1.*'hello' is not a known statement"),
        ("# nothing\n", "no vertices"),
        (TRIANGLE, "no faces"),
        ("\0\1\2", "binary data"),
    ],
)
def test_damaged_obj_is_refused_by_place(tmp_path, text, says):
    with pytest.raises((FileError, MeshError), match=rf"(?s)coat\.obj.*{says}"):
        read_obj(obj(tmp_path, text))


def test_missing_and_unknown_files(tmp_path):
    with pytest.raises(FileError, match="cannot be read"):
        read_obj(tmp_path / "nothing.obj")
    with pytest.raises(FileError, match=r"'\.xyz' is not known"):
        read_meshes(tmp_path / "a.xyz")


def square() -> Mesh:
    points = np.array([(0, 0, 0), (1, 0, 0), (1, 1, 0), (0, 1, 0)], float)
    return Mesh("square", points, np.array([4], np.int32), np.arange(4, dtype=np.int32))


def test_pc2_round_trip(tmp_path):
    frames = [square().vertices + k for k in range(5)]
    write_cache(tmp_path / "a.pc2", square(), iter(frames), CacheTiming(-30, 24))
    back = read_pc2(tmp_path / "a.pc2")
    assert (back.first_frame, back.sample_step) == (-30, 1)
    assert np.array(back.frames) == pytest.approx(np.array(frames))


def test_pc2_of_another_count_leaves_nothing_behind(tmp_path):
    with pytest.raises(FileError, match="3 points, the mesh 4"):
        write_pc2(tmp_path / "a.pc2", square(), [np.zeros((3, 3))], CacheTiming(1, 24))
    assert list(tmp_path.iterdir()) == []


def test_damaged_pc2(tmp_path):
    path = tmp_path / "a.pc2"
    write_pc2(path, square(), [square().vertices] * 3, CacheTiming(1, 24))
    whole = path.read_bytes()
    path.write_bytes(whole[:-20])
    with pytest.raises(FileError, match="says 3 frames but ends in frame 3"):
        read_pc2(path)
    path.write_bytes(b"POINTCACHE3\0" + whole[12:])
    with pytest.raises(FileError, match="not a PC2 cache"):
        read_pc2(path)


def glb_with(tmp_path, change) -> Path:
    import pygltflib

    document = pygltflib.GLTF2.load(str(DEMO / "flag" / "yard.glb"))
    change(document)
    path = tmp_path / "yard.glb"
    document.save_binary(str(path))
    return path


def test_demo_character_reads(tmp_path):
    read = read_figure(DEMO / "lamplighter" / "lamplighter.glb", FigureAsk(rate=24))
    assert len(read.joints.poses) == 120
    assert np.ptp(read.mesh.vertices[:, 1]) == pytest.approx(1.72, abs=0.01)
    assert read.joints.skin.weights.sum(1) == pytest.approx(1)
    (mesh,) = read_glb(DEMO / "flag" / "yard.glb")
    assert mesh.name == "yard"


@pytest.mark.parametrize(
    ("change", "says"),
    [
        (lambda d: setattr(d.nodes[-1], "mesh", None), "holds no mesh"),
        (lambda d: setattr(d.nodes[-1], "skin", 7), "names skin 7"),
        (lambda d: setattr(d.nodes[0], "children", [0]), "own ancestors"),
        (lambda d: setattr(d.meshes[0].primitives[0].attributes, "JOINTS_0", None), "has no weights"),
        (lambda d: setattr(d.accessors[0], "count", 10**6), "runs past the end"),
        (lambda d: setattr(d.meshes[0].primitives[0], "mode", 1), "not made of triangles"),
    ],
)
def test_glb_without_what_a_character_needs(tmp_path, change, says):
    path = glb_with(tmp_path, change)
    with pytest.raises((CastError, FileError), match=rf"yard\.glb.*{says}|{says}"):
        read_figure(path, FigureAsk(rate=24))


def test_glb_that_is_none(tmp_path):
    path = tmp_path / "body.glb"
    path.write_bytes(b"PK\3\4 not a glb at all")
    with pytest.raises(FileError, match="not a GLB"):
        read_figure(path, FigureAsk(rate=24))
    path.write_bytes((DEMO / "flag" / "yard.glb").read_bytes()[:200])
    with pytest.raises(FileError, match="cut short"):
        read_figure(path, FigureAsk(rate=24))


def shot(tmp_path, change) -> Path:
    data = json.loads(FLAG.read_text())
    change(data)
    path = tmp_path / "shot.json"
    path.write_text(json.dumps(data))
    return path


def test_demo_shots_are_valid_by_the_published_schema():
    import jsonschema

    schema = shot_file_schema()
    for path in (FLAG, *(DEMO / "lamplighter" / f"{name}.json" for name in ("shot", "gust", "layers"))):
        jsonschema.validate(json.loads(path.read_text()), schema)
        read_shot_file(path)


@pytest.mark.parametrize(
    ("change", "says"),
    [
        (lambda d: d.update(version=3), "version 3"),
        (lambda d: d.update(format="other"), "not a shot file"),
        (lambda d: d.update(wind=3), "'wind' is not a known key"),
        (lambda d: d["forces"].update(air_drag=-1), r"'forces.air_drag' cannot be -1"),
        (lambda d: d.pop("frames"), "'frames' is missing"),
        (lambda d: d["cast"].append(d["cast"][0]), "two cast members are called 'yard'"),
        (lambda d: d["cast"][0]["collider"].update(frikshun=1), "frikshun' is not a known key"),
    ],
)
def test_wrong_shot_files_name_key_and_remedy(tmp_path, change, says):
    with pytest.raises(NeedleError, match=rf"shot\.json: .*{says}"):
        read_shot_file(shot(tmp_path, change))


GUST = {"name": "gust", "strength": {"frames": [1001, 1010], "values": [0, 5]}, "turbulence": 0.2}


@pytest.mark.parametrize(
    ("change", "says"),
    [
        (lambda d: d["forces"].update(winds=[{**GUST, "strength": -1}]), "wind 'gust'.*below zero"),
        (lambda d: d.update(time_stretch=0), "time_stretch goes from 0 to 0.*between 0.05 and 50"),
        (lambda d: d.update(least_substeps={"frames": [1, 2], "values": [1, 99]}), "least_substeps.*1 to 99"),
        (
            lambda d: d["fabrics"][0].update(load_warp={"strains": [0.02, 0.01], "forces": [1, 2]}),
            "fabric 'bunting'.*does not rise",
        ),
        (lambda d: d["fabrics"][0].update(strain_limit=0), "strain_limit is 0.*above zero"),
        (
            lambda d: d["garments"][0].update(filling={"by": "volume", "amount": 0}),
            "the volume of 'signal flag'",
        ),
    ],
)
def test_forces_and_swatches_that_make_no_sense_are_named(tmp_path, change, says):
    path = shot(tmp_path, change)
    for file in FLAG.parent.iterdir():
        if file.suffix != ".json":
            (tmp_path / file.name).write_bytes(file.read_bytes())
    with pytest.raises(NeedleError, match=says):
        assemble(read_shot_file(path), tmp_path)


def test_an_open_garment_cannot_be_filled(tmp_path):
    change = lambda d: d["garments"][0].update(filling={"by": "pressure", "amount": 100})  # noqa: E731
    plan = assemble(read_shot_file(shot(tmp_path, change)), FLAG.parent)
    with pytest.raises(ShotError, match=r"signal flag.*open borders"):
        dress(plan, plan.garments[0])


def test_a_gust_is_read_with_its_keys(tmp_path):
    change = lambda d: d["forces"].update(air_density=1.2, winds=[GUST])  # noqa: E731
    plan = assemble(read_shot_file(shot(tmp_path, change)), FLAG.parent)
    (wind,) = plan.winds
    assert (plan.air_density, wind.turbulence, wind.eddy) == (1.2, 0.2, 0.8)
    assert wind.strength.values.tolist() == [0, 5]


def test_shot_file_that_is_not_json(tmp_path):
    path = tmp_path / "shot.json"
    path.write_text("{,}")
    with pytest.raises(FileError, match="not JSON"):
        read_shot_file(path)
    with pytest.raises(FileError, match="cannot be read"):
        read_shot_file(tmp_path / "none.json")
    assert issubclass(ShotError, NeedleError)
