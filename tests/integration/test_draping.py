"""./needle drape: cloth over things comes to rest, stops early, and is written as meshes for others."""

from __future__ import annotations

import io
import json
from pathlib import Path

import numpy as np
import pytest

from patient_needle.bootstrap.draping import DrapeRequest, drape_shot
from patient_needle.core.craft.drape.live import Fitting
from patient_needle.core.craft.run.outfit_run import OutfitRun
from patient_needle.core.model.errors import ShotError
from patient_needle.formats.fitting.written import read_fitting
from patient_needle.formats.obj import write_obj
from patient_needle.formats.shot_file.assemble import assemble
from patient_needle.formats.shot_file.document import read_shot_file
from patient_needle.session.commands import command_of
from patient_needle.session.live import Live
from patient_needle.session.serving import run_of
from tests.fitted import crossings
from tests.sheets import box, halved_squares, polygons

WOOL = {
    "name": "blanket wool", "stretch_warp": 600.0, "stretch_weft": 500.0, "shear": 60.0, "bend_warp": 2e-5,
    "bend_weft": 2e-5, "areal_density": 0.45, "thickness_mm": 1.5, "friction": 0.4, "stretch_damping": 0.02,
    "bend_damping": 0.1,
}  # fmt: skip


def capsule(radius: float, length: float, rings: int = 10, around: int = 20):
    """A closed capsule that stands on y = 0: points and faces."""
    points, faces = [[0.0, 0.0, 0.0]], []
    for half, low in ((-1, radius), (1, radius + length)):
        for k in range(1, rings + 1) if half < 0 else range(rings, 0, -1):
            turn = np.pi / 2 * k / rings
            r, y = radius * np.sin(turn), low + half * radius * np.cos(turn)
            points += [[r * np.sin(a), y, r * np.cos(a)] for a in np.arange(around) / around * 2 * np.pi]
    points.append([0.0, 2 * radius + length, 0.0])
    rows = (len(points) - 2) // around
    for k in range(around):
        after = (k + 1) % around
        faces.append([0, 1 + after, 1 + k])
        for row in range(rows - 1):
            a, b = 1 + row * around, 1 + (row + 1) * around
            faces += [[a + k, a + after, b + after], [a + k, b + after, b + k]]
        last = 1 + (rows - 1) * around
        faces.append([last + k, last + after, len(points) - 1])
    return np.array(points), faces


def shot_of(folder: Path, cloth: np.ndarray, triangles, thing, faces, *, holds=(), run_in=(0, 20)) -> Path:
    """A cloth of a heavy fabric over a set piece, as a shot file."""
    write_obj(folder / "cloth.obj", polygons("cloth", cloth, triangles.tolist()))
    write_obj(folder / "thing.obj", polygons("thing", thing, faces))
    document = {
        "format": "patient-needle-shot", "version": 2, "name": "heavy cloth", "frame_rate": 30,
        "frames": [-12, 20], "run_in": {"settle": run_in[0], "move": run_in[1]},
        "forces": {"air_drag": 0.5},
        "cast": [{"name": "thing", "kind": "set piece", "file": "thing.obj"}],
        "fabrics": [WOOL],
        "garments": [{"name": "毛布", "fabric": "blanket wool", "recipe": {"kind": "file", "file": "cloth.obj"},
                      "holds": list(holds)}],
    }  # fmt: skip
    (folder / "shot.json").write_text(json.dumps(document, ensure_ascii=False))
    return folder / "shot.json"


def level_sheet(side: float, spacing: float, height: float):
    points, triangles = halved_squares(side, side, spacing)
    return np.stack(
        [points[:, 0] - side / 2, np.full(len(points), height), side / 2 - points[:, 1]], 1
    ), triangles


def test_a_cloak_over_a_capsule_settles_and_stops_early(tmp_path):
    sheet, triangles = level_sheet(0.7, 0.07, 0.62)
    shot = shot_of(tmp_path, sheet, triangles, *capsule(0.12, 0.36))
    told = []
    report = drape_shot(
        DrapeRequest(shot, "first fall", tmp_path / "out", until=2.0, seconds=30.0),
        lambda *one: told.append(one),
    )
    assert report["at_rest"]
    assert report["steps"] < 30 * 48
    assert report["intersections"] == {"in_the_body": 0, "through_itself": 0, "through_another": 0}
    assert told[-1][0] <= report["steps"]
    lines = (tmp_path / "out" / report["meshes"][0]).read_text().splitlines()
    points = np.array([line.split()[1:4] for line in lines if line.startswith("v ")], float)
    assert points.shape == sheet.shape
    # It lies over the top, and hangs by its own length at the corners.
    top, rim = points[:, 1].max(), points[:, 1].min()
    assert 0.6 < top < 0.61
    assert rim < 0.45
    # What was written goes on where it was: nothing moves further than was said to be left.
    run = OutfitRun(*(lambda plan: (plan, run_of(plan)))(assemble(read_shot_file(shot), tmp_path)))
    data = (tmp_path / "out" / "first fall.fitting").read_bytes()
    live = Live.resumed(run, read_fitting(io.BytesIO(data), "first fall", run.colliders.triangles))
    before = live.fitting.state.positions.copy()
    for _ in range(24):
        live.step()
    assert np.linalg.norm(live.fitting.state.positions - before, axis=1).max() < 0.004


def test_a_blanket_is_laid_by_its_corner_along_an_arc_and_let_go(tmp_path):
    """A keyed handle leads a corner over the bed and lets go; the rest follows by itself."""
    sheet, triangles = level_sheet(0.8, 0.05, 0.56)
    corner = int(np.argmin(sheet[:, 0] + sheet[:, 2]))
    here = sheet[corner]
    frames = [-32, -22, -12]
    across = {"frames": frames, "values": [here[0], here[0] + 0.2, here[0] + 0.4]}
    up = {"frames": frames, "values": [here[1], here[1] + 0.3, here[1] + 0.25]}
    arc = {"kind": "handle", "place": [across, up, float(here[2])]}
    on = {"frames": [-11, -10], "values": [1, 0]}
    hold = {"name": "by hand", "choose": {"vertices": [corner]}, "how": arc, "on": on}
    points, faces = box((-0.3, 0.0, -0.3), (0.3, 0.5, 0.3))
    shot = shot_of(tmp_path, sheet, triangles, points, faces.tolist(), holds=[hold])
    plan = assemble(read_shot_file(shot), tmp_path)
    run = OutfitRun(plan, run_of(plan))
    live = Live(Fitting(run, run.start()))
    live.do(command_of(json.dumps({"do": "walk", "to": -12}).encode()))
    highest = 0.0
    while live.fitting.stance.walks:
        live.step()
        highest = max(highest, float(live.fitting.state.positions[corner, 1]))
    assert highest == pytest.approx(here[1] + 0.3, abs=0.03)
    assert live.fitting.state.positions[corner] == pytest.approx(here + [0.4, 0.25, 0.0], abs=0.01)
    live.do(command_of(json.dumps({"do": "walk", "to": -8}).encode()))
    live.do(command_of(json.dumps({"do": "to rest", "until_mm": 3, "seconds": 12}).encode()))
    while live.moves:
        live.step()
    assert live.fitting.state.positions[corner, 1] < here[1] + 0.05  # it was let go and fell
    assert crossings(live.fitting) == 0
    assert live.fitting.state.positions[:, 1].max() < 0.68  # but for the fold that its turning over left


@pytest.mark.parametrize("begin", ["nothing", "first fall"])
def test_a_fitting_that_the_shot_does_not_keep_is_refused_before_anything_is_written(tmp_path, begin):
    sheet, triangles = level_sheet(0.4, 0.1, 0.62)
    shot = shot_of(tmp_path, sheet, triangles, *capsule(0.12, 0.36))
    with pytest.raises(ShotError, match=f"keeps no fitting '{begin}'"):
        drape_shot(DrapeRequest(shot, "second", tmp_path / "out", begin=begin), lambda *_: None)
    assert not (tmp_path / "out").exists()
