"""Maps to files and back: grey pictures over UVs, PLY properties, USD primvars, also by other libraries."""

from __future__ import annotations

import json
import shutil
from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from pxr import Usd, UsdGeom

from patient_needle.core.craft.garments.surface import GarmentSurface
from patient_needle.core.craft.maps.pictures import laid_on, picture_of
from patient_needle.core.model.errors import FileError, NeedleError, ShotError
from patient_needle.core.model.mesh import Mesh
from patient_needle.formats.obj import read_obj
from patient_needle.formats.png import read_picture, write_picture
from patient_needle.formats.registry import list_contents, read_values, write_values
from patient_needle.formats.shot_file.assemble import assemble, named_files
from patient_needle.formats.shot_file.differences import differences
from patient_needle.formats.shot_file.document import parse_shot
from patient_needle.formats.shot_file.parcel import read_folder

FLAG = Path(__file__).parents[3] / "demo" / "flag"
(MESH,) = read_obj(FLAG / "signal_flag.obj")
GROUND = GarmentSurface.of(MESH)
VALUES = 0.5 + 0.5 * np.sin(12 * MESH.vertices[:, 0]) * np.cos(9 * MESH.vertices[:, 1])


def with_uvs(uvs: np.ndarray) -> GarmentSurface:
    return GarmentSurface.of(
        Mesh(MESH.name, MESH.vertices, MESH.face_sizes, MESH.face_corners, uvs, MESH.uv_corners)
    )


class TestPictures:
    def test_a_gradient_of_the_picture_is_one_of_the_cloth(self):
        """Truth: u itself at each vertex. A pixel's value is that of its middle."""
        middle = np.broadcast_to((np.arange(256) + 0.5) / 256, (256, 256))
        upwards = middle.T[::-1]
        u, v = _uv_of_vertices().T
        inside = (u > 1 / 512) & (v > 1 / 512)
        assert laid_on(middle, GROUND)[inside] == pytest.approx(u[inside], abs=1e-9)
        assert laid_on(upwards, GROUND)[inside] == pytest.approx(v[inside], abs=1e-9)

    def test_out_and_in_again(self, tmp_path):
        write_picture(tmp_path / "map.png", picture_of(VALUES, GROUND, 1024))
        with Image.open(tmp_path / "map.png") as other:
            assert other.mode == "I;16"
            assert other.size == (1024, 1024)
        picture, white = read_picture(tmp_path / "map.png")
        found = laid_on(picture, GROUND, white)
        assert np.abs(found - VALUES).max() < 0.01

    def test_uvs_that_overlap_or_leave_the_picture(self):
        with pytest.raises(ShotError, match="outside the picture"):
            laid_on(np.zeros((4, 4)), with_uvs(MESH.uvs * 2))
        folded = MESH.uvs * [1, 1]
        folded[:, 0] = np.abs(folded[:, 0] - 0.28)
        with pytest.raises(ShotError, match="overlap") as raised:
            picture_of(VALUES, with_uvs(folded), 64)
        assert "PLY or USD" in raised.value.remedy
        with pytest.raises(ShotError, match="no UVs"):
            laid_on(
                np.zeros((4, 4)),
                GarmentSurface.of(Mesh("bare", MESH.vertices, MESH.face_sizes, MESH.face_corners)),
            )

    @pytest.mark.parametrize(("mode", "says"), [("RGB", "R G B"), ("LA", "L A"), ("P", "P")])
    def test_only_grey_ones(self, tmp_path, mode, says):
        Image.new(mode, (8, 8)).save(tmp_path / "colour.png")
        with pytest.raises(FileError, match=f"not grey, it has the channels {says}"):
            read_picture(tmp_path / "colour.png")

    def test_eight_bits_will_do_and_damage_is_said(self, tmp_path):
        Image.fromarray(np.full((4, 6), 51, np.uint8)).save(tmp_path / "eight.png")
        picture, white = read_picture(tmp_path / "eight.png")
        assert picture / white == pytest.approx(0.2)
        assert list_contents(tmp_path / "eight.png").picture == (6, 4)
        data = (tmp_path / "eight.png").read_bytes()
        for cut in (0, 7, 20, len(data) // 2):
            (tmp_path / "cut.png").write_bytes(data[:cut])
            with pytest.raises(FileError):
                read_picture(tmp_path / "cut.png")
        with pytest.raises(FileError, match="cannot be read"):
            read_picture(tmp_path / "none.png")


def _uv_of_vertices() -> np.ndarray:
    out = np.zeros((MESH.vertex_count, 2))
    out[MESH.face_corners] = MESH.uvs[MESH.uv_corners]
    return out


class TestMeshesWithValues:
    @pytest.mark.parametrize("ending", [".ply", ".usda", ".usdc", ".usd"])
    def test_out_and_in_again(self, tmp_path, ending):
        path = tmp_path / f"flag{ending}"
        write_values(path, MESH, "stiff hem", VALUES)
        found = read_values(path)
        assert found.name == "stiff_hem"
        assert found.values == pytest.approx(VALUES, abs=1e-7)
        (short,) = list_contents(path).values
        assert (short.name, short.count) == ("stiff_hem", MESH.vertex_count)
        with pytest.raises(FileError, match=r"0 properties .* called 'soft'") as raised:
            read_values(path, "soft")
        assert "stiff_hem" in raised.value.remedy

    def test_the_ply_is_laid_out_as_its_author_says(self, tmp_path):
        """G. Turk, The PLY polygon file format, 1994: a header in words, then vertices and faces in rows."""
        write_values(tmp_path / "flag.ply", MESH, "hem", VALUES)
        head, body = (tmp_path / "flag.ply").read_bytes().split(b"end_header\n", 1)
        words = [line.split() for line in head.decode().splitlines() if not line.startswith("comment")]
        assert words[:2] == [["ply"], ["format", "binary_little_endian", "1.0"]]
        assert words[2] == ["element", "vertex", str(MESH.vertex_count)]
        assert words[3:7] == [["property", "float", name] for name in ("x", "y", "z", "hem")]
        rows = np.frombuffer(body, "<f4", 4 * MESH.vertex_count).reshape(-1, 4)
        assert rows[:, :3] == pytest.approx(MESH.vertices, abs=1e-6)
        assert rows[:, 3] == pytest.approx(VALUES, abs=1e-7)

    def test_as_the_usd_library_has_it(self, tmp_path):
        write_values(tmp_path / "flag.usda", MESH, "hem", VALUES)
        stage = Usd.Stage.Open(str(tmp_path / "flag.usda"))
        primvar = UsdGeom.PrimvarsAPI(stage.GetDefaultPrim()).GetPrimvar("hem")
        assert primvar.GetInterpolation() == UsdGeom.Tokens.vertex
        assert np.array(primvar.Get()) == pytest.approx(VALUES, abs=1e-7)
        assert UsdGeom.GetStageMetersPerUnit(stage) == 1.0

    def test_ascii_ply_of_another_hand(self, tmp_path):
        (tmp_path / "other.ply").write_text(
            "ply\nformat ascii 1.0\ncomment by hand\nelement vertex 3\nproperty float x\nproperty float y\n"
            "property float z\nproperty uchar hold\nproperty double bend\nelement face 1\n"
            "property list uchar int vertex_indices\nend_header\n"
            "0 0 0 255 0.5\n1 0 0 0 0.25\n0 1 0 51 1\n3 0 1 2\n"
        )
        assert read_values(tmp_path / "other.ply", "hold").values == pytest.approx([1, 0, 0.2])
        assert read_values(tmp_path / "other.ply", "bend").values == pytest.approx([0.5, 0.25, 1])
        with pytest.raises(FileError, match="2 properties") as raised:
            read_values(tmp_path / "other.ply")
        assert "hold, bend" in raised.value.remedy

    def test_damaged_ply(self, tmp_path):
        write_values(tmp_path / "flag.ply", MESH, "hem", VALUES)
        data = (tmp_path / "flag.ply").read_bytes()
        for cut in (0, 3, 40, 200, len(data) // 2, len(data) - 3):
            (tmp_path / "cut.ply").write_bytes(data[:cut])
            with pytest.raises(FileError):
                read_values(tmp_path / "cut.ply")


class TestInAShot:
    def shot(self, folder, *steps):
        shutil.copytree(FLAG, folder, dirs_exist_ok=True)
        document = json.loads((FLAG / "shot.json").read_text())
        document["garments"][0]["maps"] = [{"name": "hem", "role": "weight", "steps": list(steps)}]
        (folder / "shot.json").write_text(json.dumps(document))
        return document

    def test_a_file_is_read_and_goes_along(self, tmp_path):
        write_values(tmp_path / "hem.ply", MESH, "hem", VALUES)
        document = self.shot(tmp_path, {"kind": "from_file", "file": "hem.ply"})
        shot = parse_shot(document, "flag")
        (step,) = assemble(shot, tmp_path).garments[0].maps[0].steps
        assert step.values == pytest.approx(VALUES, abs=1e-7)
        assert tmp_path / "hem.ply" in named_files(shot, tmp_path)
        assert "hem.ply" in read_folder(tmp_path / "shot.json")[1]

    def test_another_file_of_the_same_name_is_another_map(self, tmp_path):
        document = self.shot(tmp_path, {"kind": "from_file", "file": "hem.ply"})
        same = differences(document, document, {"hem.ply": "a"}, {"hem.ply": "a"})
        other = differences(document, document, {"hem.ply": "a"}, {"hem.ply": "b"})
        assert same == []
        assert other == ["signal flag, map hem: drawn otherwise, 1 steps, now 1"]

    def test_what_is_wrong_names_map_and_step(self, tmp_path):
        Image.new("RGB", (8, 8)).save(tmp_path / "colour.png")
        document = self.shot(tmp_path, {"kind": "from_file", "file": "colour.png"})
        with pytest.raises(NeedleError, match="not grey") as raised:
            assemble(parse_shot(document, "flag"), tmp_path)
        assert "map 'hem', step 1" in str(raised.value)
