"""The same metres from metres, centimetres or millimetres are the same bits."""

from __future__ import annotations

import numpy as np
import pytest
from numpy.testing import assert_allclose, assert_array_equal

from patient_needle.core.craft.inspect.frame import inspected
from patient_needle.core.craft.run.outfit_run import OutfitRun
from patient_needle.core.geometry.placing import in_metres
from patient_needle.core.model.mesh import Mesh
from patient_needle.formats.contents import FigureAsk
from patient_needle.formats.registry import read_figure, write_model
from patient_needle.formats.shot_file.assemble import assemble
from patient_needle.formats.shot_file.document import parse_shot
from tests.figures import FOLDER

FABRIC = {
    "name": "plain", "stretch_warp": 800, "stretch_weft": 800, "shear": 200, "bend_warp": 3e-5,
    "bend_weft": 3e-5, "areal_density": 0.15, "thickness_mm": 0.5, "friction": 0.3,
}  # fmt: skip
SHIFTS = {"m": 0, "cm": 2, "mm": 3}


def decimal(value: float, unit: str) -> str:
    """A length of whole nanometres, in m, as a file in a unit writes it."""
    nano = round(value * 1e9)
    sign, digits = "-" * (nano < 0), str(abs(nano)).rjust(10, "0")
    point = len(digits) - 9 + SHIFTS[unit]
    return f"{sign}{digits[:point].lstrip('0') or '0'}.{digits[point:] or '0'}"


def cloth() -> tuple[np.ndarray, list[tuple[int, ...]]]:
    """A small sheet in places of whole nanometres."""
    random, side = np.random.default_rng(7), 9
    u, v = np.meshgrid(np.arange(side), np.arange(side), indexing="ij")
    points = np.stack([0.02 * u, 1.2 + 0.001 * u, 0.02 * v], -1).reshape(-1, 3)
    points = np.round(points + 1e-3 * random.random(points.shape), 9)
    faces = [
        (side * i + j, side * i + j + 1, side * i + j + side + 1, side * i + j + side)
        for i in range(side - 1)
        for j in range(side - 1)
    ]
    return points, faces


def as_obj(points, faces, unit) -> str:
    lines = [f"v {' '.join(decimal(value, unit) for value in point)}" for point in points]
    return "\n".join(lines + [f"f {' '.join(str(corner + 1) for corner in face)}" for face in faces]) + "\n"


def as_usda(points, faces, unit) -> str:
    rows = ", ".join(f"({', '.join(decimal(value, unit) for value in point)})" for point in points)
    counts, corners = ", ".join("4" for _ in faces), ", ".join(str(c) for face in faces for c in face)
    metres = {"m": 1, "cm": 0.01, "mm": 0.001}[unit]
    return (
        f'#usda 1.0\n(\n    metersPerUnit = {metres}\n    upAxis = "Y"\n)\n\ndef Mesh "sheet"\n{{\n'
        f"    int[] faceVertexCounts = [{counts}]\n    int[] faceVertexIndices = [{corners}]\n"
        f"    point3f[] points = [{rows}]\n}}\n"
    )


def plan(folder, ending, unit):
    points, faces = cloth()
    name = f"sheet_{unit}.{ending}"
    (folder / name).write_text({"obj": as_obj, "usda": as_usda}[ending](points, faces, unit))
    data = {
        "format": "patient-needle-shot", "version": 2, "name": "t", "frames": [1, 24],
        "run_in": {"settle": 0, "move": 0}, "fabrics": [FABRIC],
        "garments": [
            {"name": "sheet", "recipe": {"kind": "file", "file": name, "unit": unit}, "fabric": "plain"}
        ],
    }  # fmt: skip
    return assemble(parse_shot(data, "t"), folder), points


@pytest.mark.parametrize("ending", ["obj", "usda"])
def test_a_sheet_is_the_same_bits_in_every_unit_after_24_frames(tmp_path, ending):
    ends = []
    for unit in ("m", "cm", "mm"):
        shot, points = plan(tmp_path, ending, unit)
        assert_array_equal(shot.garments[0].mesh.vertices, points)  # each the double its decimal stands for
        run = OutfitRun(shot, shot.runs[0])
        for (result,) in inspected(run, run.start(), shot.first_simulated, 24):
            last = result.positions
        ends.append(last)
    assert_array_equal(ends[0], ends[1])
    assert_array_equal(ends[0], ends[2])


def test_a_binary_file_in_another_unit_differs_by_less_than_120_nm(tmp_path):
    """What single precision cannot tell: between 1 and 2 m its steps are 120 nm in metres, and others in cm."""
    points, faces = cloth()
    sizes, corners = np.full(len(faces), 4, np.int32), np.array(faces, np.int32).ravel()
    read = []
    for unit, metres in (("m", 1.0), ("cm", 0.01)):
        write_model(tmp_path / f"{unit}.usdc", Mesh("sheet", points / metres, sizes, corners), metres, "y")
        figure = read_figure(tmp_path / f"{unit}.usdc", FigureAsk())
        assert not figure.decimal
        read.append(figure.mesh.vertices * metres)
    apart = np.abs(read[0] - read[1]).max()
    assert 1e-9 < apart < 120e-9


def test_the_grid_takes_nothing_from_what_is_finer_than_cloth():
    points = np.random.default_rng(1).normal(size=(100, 3))
    assert_allclose(in_metres(points, 1.0), points, atol=0.51e-9)
    assert_array_equal(in_metres(in_metres(points, 1.0), 1.0), in_metres(points, 1.0))


def test_text_usd_of_other_points_is_read_as_the_library_reads_it(tmp_path):
    """Where the text writes them in a way that is not known, points stay in single precision."""
    path = tmp_path / "a.usda"
    points, faces = cloth()
    path.write_text(as_usda(points, faces, "m").replace("point3f[] points", "point3f[]  points"))
    assert_allclose(read_figure(path, FigureAsk()).mesh.vertices, points, atol=1e-7)
    assert read_figure(path, FigureAsk()).decimal
    assert not read_figure(FOLDER / "lamplighter.glb", FigureAsk(rate=24.0)).decimal
