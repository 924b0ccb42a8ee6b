"""What a file names is read only when it was brought in with it, however it is named."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from pxr import Sdf, Usd, UsdGeom, UsdUtils

from patient_needle.core.model.errors import FileError, NeedleError
from patient_needle.formats.contents import FigureAsk
from patient_needle.formats.files import beside_file
from patient_needle.formats.glb import list_glb
from patient_needle.formats.usd.closed import Closed
from patient_needle.formats.usd.reader import list_usd, read_figure

MESH = "int[] faceVertexCounts = [3]\n int[] faceVertexIndices = [0, 1, 2]\n"
MESH += " point3f[] points = [(0, 0, 0), (1, 0, 0), (0, 1, 0)]\n"
HERE = f'def Mesh "here" {{\n {MESH}}}\n'


@pytest.fixture
def folders(tmp_path) -> tuple[Path, Path]:
    """A folder of things brought in, and one of other people's with a mesh called `secret`."""
    mine, theirs = tmp_path / "mine", tmp_path / "theirs"
    mine.mkdir()
    theirs.mkdir()
    (theirs / "theirs.usda").write_text(
        f'#usda 1.0\n(defaultPrim = "secret")\ndef Mesh "secret" {{\n {MESH}}}\n'
    )
    return mine, theirs


def usda(path: Path, head: str, body: str) -> Path:
    path.write_text(f"#usda 1.0\n(\n{head}\n)\n{body}\n{HERE}")
    return path


ARCS = {
    "a reference": ("", 'def "x" (references = @{}@) {{}}'),
    "one of several references": ("", 'def "x" (prepend references = [@{}@</secret>, </here>]) {{}}'),
    "a payload": ("", 'def "x" (payload = @{}@) {{}}'),
    "a sublayer": ("subLayers = [@{}@]", ""),
    "a variant": (
        "",
        'def "x" (\n variants = {{\n string v = "a"\n }}\n prepend variantSets = "v"\n) '
        '{{\n variantSet "v" = {{\n "a" (references = @{}@) {{\n }}\n }}\n }}',
    ),
    "clips": (
        "",
        'def "x" (clips = {{ dictionary default = {{\n asset[] assetPaths = [@{}@]\n'
        ' asset manifestAssetPath = @{}@\n string primPath = "/secret"\n double2[] active = [(0, 0)]\n'
        " double2[] times = [(0, 0)]\n }} }}) {{}}",
    ),
}


@pytest.mark.parametrize("arc", ARCS)
@pytest.mark.parametrize("way", ["absolute", "up", "link", "file address"])
def test_usd_reads_no_other_file_of_the_machine(folders, arc, way):
    mine, theirs = folders
    (mine / "link.usda").symlink_to(theirs / "theirs.usda")
    name = {
        "absolute": str(theirs / "theirs.usda"), "up": "../theirs/theirs.usda", "link": "./link.usda",
        "file address": f"file://{theirs}/theirs.usda",
    }[way]  # fmt: skip
    head, body = ARCS[arc]
    path = usda(mine / "main.usda", head.format(name, name), body.format(name, name))
    found = list_usd(path)
    assert {piece.name for piece in found.pieces} <= {"here", "x"}
    assert found.notes
    assert "not read" in found.notes[0]
    stage = Usd.Stage.Open(Closed(path).layer)
    layers = {Path(layer.realPath).name for layer in stage.GetUsedLayers()}
    assert layers <= {"", "main.usda"}


def test_a_name_worked_out_when_composed_is_refused(folders):
    mine, theirs = folders
    head = f'expressionVariables = {{ string F = "{theirs}/theirs.usda" }}'
    path = usda(mine / "main.usda", head, 'def "x" (references = @`"${F}"`@) {}')
    assert [piece.name for piece in list_usd(path).pieces] == ["here"]


def test_what_was_brought_in_beside_it_is_followed_as_far_as_it_stays_there(folders):
    mine, theirs = folders
    (mine / "parts").mkdir()
    usda(mine / "parts" / "inner.usda", "", f'def "y" (references = @{theirs}/theirs.usda@) {{}}')
    usda(mine / "parts" / "beside.usda", "subLayers = [@./inner.usda@]", "")
    path = usda(mine / "main.usda", "", 'def "x" (references = @parts/beside.usda@</here>) {}')
    found = list_usd(path)
    assert len(found.pieces) == 2
    assert "theirs.usda" in found.notes[0]
    assert read_figure(path, FigureAsk("here")).notes == found.notes


def test_files_that_name_each_other_in_a_circle_end(folders):
    mine, _ = folders
    usda(mine / "a.usda", "subLayers = [@./b.usda@]", "")
    usda(mine / "b.usda", "subLayers = [@./a.usda@]", "")
    assert Closed(mine / "a.usda").layer is not None


def test_a_package_is_read_and_reaches_nothing_outside(folders):
    mine, _ = folders
    usda(mine / "inner.usda", "", "")
    path = usda(mine / "main.usda", "", 'def "x" (references = @./inner.usda@</here>) {}')
    assert UsdUtils.CreateNewUsdzPackage(Sdf.AssetPath(str(path)), str(mine / "p.usdz"))
    assert len(list_usd(mine / "p.usdz").pieces) == 2


def test_a_file_of_nothing_but_references_says_which(folders):
    mine, _ = folders
    path = mine / "main.usda"
    path.write_text('#usda 1.0\ndef "x" (references = @/studio/hair.usd@) {}\n')
    with pytest.raises(FileError, match=r"no mesh was found.*'/studio/hair.usd', which was not brought in"):
        list_usd(path)


def test_a_plain_file_is_not_copied(folders):
    mine, _ = folders
    stage = Usd.Stage.CreateNew(str(mine / "plain.usdc"))
    UsdGeom.Mesh.Define(stage, "/m")
    stage.GetRootLayer().Save()
    assert Closed(mine / "plain.usdc").layer.realPath == str(mine / "plain.usdc")


@pytest.mark.parametrize(
    "uri", ["../theirs/b.bin", "/etc/passwd", "%2e%2e/theirs/b.bin", "http://127.0.0.1/b.bin", "a\0b"]
)
def test_gltf_reads_no_buffer_from_elsewhere(folders, uri):
    mine, theirs = folders
    (theirs / "b.bin").write_bytes(bytes(36))
    (mine / "m.gltf").write_text(
        json.dumps({"asset": {"version": "2.0"}, "buffers": [{"uri": uri, "byteLength": 36}]})
    )
    with pytest.raises(NeedleError, match="not beside it"):
        list_glb(mine / "m.gltf")


def test_only_what_lies_in_the_folder_or_below_is_beside(folders):
    mine, theirs = folders
    (mine / "a").mkdir()
    (mine / "a" / "b").write_bytes(b"")
    (mine / "out").symlink_to(theirs)
    here = mine / "main.usda"
    assert beside_file(here, "a/b") == (mine / "a" / "b").resolve()
    assert beside_file(here, "a/../a/b") is not None
    for name in (
        "out/theirs.usda",
        "../theirs/theirs.usda",
        str(theirs / "theirs.usda"),
        "a",
        "none",
        "\0",
        "x" * 5000,
    ):
        assert beside_file(here, name) is None
