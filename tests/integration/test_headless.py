"""A shot file in, caches and a report out: the whole path without the launcher."""

from __future__ import annotations

import io
import json
import shutil
from pathlib import Path

import numba
import numpy as np
import pytest

from patient_needle.bootstrap.headless import Request, simulate_shot
from patient_needle.core.model.errors import (
    CastError,
    FileError,
    NeedleError,
    ResumeError,
    ShotError,
    StartError,
)
from patient_needle.formats.alembic_cache import read_alembic
from patient_needle.formats.checkpoint.state import read_checkpoint, write_checkpoint
from patient_needle.formats.obj import write_obj
from patient_needle.formats.pc2 import read_pc2, write_pc2
from patient_needle.formats.registry import CacheTiming, read_cache
from patient_needle.formats.shot_file.assemble import assemble
from patient_needle.formats.shot_file.document import read_shot_file
from tests.houses import beside
from tests.sheets import polygons

FLAG = Path(__file__).parents[2] / "demo" / "flag"


@pytest.fixture
def shot(tmp_path) -> Path:
    """The flag shot, short, in a folder of its own."""
    folder = tmp_path / "flag"
    shutil.copytree(FLAG, folder)
    change(folder / "shot.json", lambda d: d.update(frames=[1001, 1008], run_in={"settle": 2, "move": 0}))
    return folder / "shot.json"


def change(path: Path, how) -> None:
    data = json.loads(path.read_text())
    how(data)
    path.write_text(json.dumps(data))


def run(shot: Path, out: Path, told=lambda progress: None, **options) -> Path:
    simulate_shot(Request(shot, out, **options), told)
    return out


def points(out: Path) -> np.ndarray:
    return np.array(read_pc2(out / "signal flag.pc2").frames)


def stop_after(frames: int):
    def told(progress):
        if progress.done == frames:
            raise KeyboardInterrupt

    return told


def test_a_run_writes_its_cache_and_an_honest_report(shot, tmp_path):
    seen = []
    out = run(shot, tmp_path / "out", seen.append)
    cache = read_pc2(out / "signal flag.pc2")
    assert cache.frames.shape == (8, 677, 3)
    assert cache.first_frame == 1001
    report = json.loads((out / "report.json").read_text())
    frames = report["garments"]["signal flag"]["frames"]
    assert [f["frame"] for f in frames] == list(range(1000, 1009))
    assert [f["delivered"] for f in frames] == [False] + [True] * 8
    assert all(f["intersections"]["in_the_body"] == 0 for f in frames)
    assert all(f["stretch"]["p99"] < 0.05 and f["substeps"] >= 4 for f in frames)
    assert set(frames[0]["milliseconds"]) == {"search", "solve", "filter", "friction"}
    assert report["garments"]["signal flag"]["totals"]["delivered_frames"] == 8
    assert {"numpy", "numba", "patient-needle"} <= set(report["versions"])
    assert [p.done for p in seen] == list(range(1, 10))
    assert not (out / ".work").exists()


def test_the_flag_falls_and_its_head_stays(shot, tmp_path):
    moved = points(run(shot, tmp_path / "out"))
    held = json.loads(shot.read_text())["garments"][0]["holds"][0]["choose"]["vertices"]
    assert np.ptp(moved[:, held, 1]) < 0.003
    lowest = moved[:, :, 1].argmin(axis=1)
    travel = np.linalg.norm(moved[-1] - moved[0], axis=1)
    assert travel[lowest[-1]] > 0.02


def test_stop_and_resume_give_the_same_bits(shot, tmp_path):
    whole = run(shot, tmp_path / "whole")
    with pytest.raises(KeyboardInterrupt):
        run(shot, tmp_path / "cut", stop_after(5))
    assert np.array_equal(points(tmp_path / "cut"), points(whole)[:4])
    run(shot, tmp_path / "cut", resume=True)
    assert np.array_equal(points(tmp_path / "cut"), points(whole))
    strip = lambda out: [  # noqa: E731
        {k: v for k, v in f.items() if k != "milliseconds"}
        for f in json.loads((out / "report.json").read_text())["garments"]["signal flag"]["frames"]
    ]
    assert strip(tmp_path / "cut") == strip(whole)


def begins(shot: Path, first: int) -> None:
    """The flag's first frame is `first`, its yard's too."""

    def moved(document):
        document.update(frames=[first, first + 5])
        for member in document["cast"]:
            member["starts_at"] = first

    change(shot, moved)


def test_a_range_below_zero_is_written_whole_and_goes_on_to_the_same_bytes(shot, tmp_path):
    first = -12
    expected = points(run(shot, tmp_path / "usual", frames=(1001, 1006)))
    begins(shot, first)
    out = run(shot, tmp_path / "out")
    cache = read_pc2(out / "signal flag.pc2")
    assert cache.first_frame == first
    assert np.array_equal(cache.frames, expected)
    with pytest.raises(KeyboardInterrupt):
        run(shot, tmp_path / "cut", stop_after(3))
    part = read_pc2(tmp_path / "cut" / "signal flag.pc2")
    assert (part.first_frame, len(part.frames)) == (first, 2)
    run(shot, tmp_path / "cut", resume=True)
    whole = (out / "signal flag.pc2").read_bytes()
    assert (tmp_path / "cut" / "signal flag.pc2").read_bytes() == whole


@pytest.mark.parametrize("ending", ["mdd", "abc", "usd"])
def test_every_format_says_its_negative_first_frame(shot, tmp_path, ending):
    begins(shot, -2)
    cache = read_cache(run(shot, tmp_path / "out", cache_format=ending) / f"signal flag.{ending}")
    assert cache.first_frame == pytest.approx(-2)
    assert len(cache.frames) == 6


def test_a_cache_that_is_not_what_was_planned_ends_the_run_in_words(shot, tmp_path, monkeypatch):
    def dropping(path, mesh, frames, timing):
        write_pc2(path, mesh, list(frames)[1:], timing)

    monkeypatch.setattr("patient_needle.session.folder.write_cache", dropping)
    with pytest.raises(FileError, match=r"holds 7 frames .* 1001 to 1008 of 677 vertices were planned"):
        run(shot, tmp_path / "out")
    monkeypatch.undo()
    run(shot, tmp_path / "out", resume=True)
    assert len(points(tmp_path / "out")) == 8


def named(shot: Path, name: str) -> None:
    change(shot, lambda document: document["garments"][0].update(name=name))


@pytest.mark.parametrize("name", ["..", ".", "a/b", "a\nb", " "])
def test_a_name_that_is_a_path_is_refused_and_the_folder_stays(shot, tmp_path, name):
    out = tmp_path / "out"
    out.mkdir()
    (out / "kept").write_text("kept")
    named(shot, name)
    with pytest.raises(ShotError, match=r"garments.0.name.*needs a letter"):
        run(shot, out)
    assert [path.name for path in out.iterdir()] == ["kept"]


def test_names_of_any_script_and_length_become_caches(shot, tmp_path):
    family = 11 * "👩‍👩‍👧‍👦"  # 77 signs, 275 bytes
    named(shot, family)
    out = run(shot, tmp_path / "out")
    (cache,) = out.glob("*.pc2")
    assert cache.name.startswith("👩‍👩‍👧‍👦")
    assert list(json.loads((out / "report.json").read_text())["garments"]) == [family]


def doubled(shot: Path) -> Path:
    """A second flag 12 mm beside the first, on the same yard."""
    (shot.parent / "second.obj").write_bytes(beside((shot.parent / "signal_flag.obj").read_bytes()))

    def add(document):
        (first,) = document["garments"]
        document["garments"].append(
            first | {"name": "second flag", "recipe": first["recipe"] | {"file": "second.obj"}}
        )

    change(shot, add)
    return shot


def test_two_garments_keep_off_each_other_and_resume_to_the_same_bits(shot, tmp_path):
    doubled(shot)
    whole = run(shot, tmp_path / "whole")
    with pytest.raises(KeyboardInterrupt):
        run(shot, tmp_path / "stopped", stop_after(3))
    stopped = run(shot, tmp_path / "stopped", resume=True)
    for name in ("signal flag.pc2", "second flag.pc2"):
        assert (whole / name).read_bytes() == (stopped / name).read_bytes()
    report = json.loads((whole / "report.json").read_text())
    for garment in report["garments"].values():
        assert garment["totals"]["frames_through_another"] == 0
        assert garment["totals"]["frames_through_itself"] == 0


def held_in_many_ways(shot: Path) -> Path:
    """A head rope that tightens, a row that sticks late and slides, a handle that lets go, elastic."""

    def hold(document):
        rope = document["garments"][0]["holds"][0]
        late, gone = ({"frames": [1002, 1003], "values": values} for values in ([0, 1], [1, 0]))
        up = {"frames": [999, 1003], "values": [1.4, 1.45]}
        document["garments"][0]["holds"] = [
            rope | {"grip": {"frames": [999, 1008], "values": [0.6, 1.0]}},
            {
                "name": "late", "choose": {"border": "highest", "row": 3}, "on": late, "grip": 0.8,
                "how": {"kind": "sticks", "to": "yard", "reach_mm": 400, "slides": 0.3},
            },
            {"name": "hand", "choose": {"vertices": [200, 201]}, "on": gone,
                "how": {"kind": "handle", "place": [0.3, up, 0]}},
            {"name": "band", "choose": rope["choose"], "how": {"kind": "elastic", "factor": 0.9, "tension": 5}},
        ]  # fmt: skip

    change(shot, hold)
    return shot


def test_holds_that_begin_and_end_resume_to_the_same_bits(shot, tmp_path):
    held_in_many_ways(shot)
    whole = run(shot, tmp_path / "whole")
    with pytest.raises(KeyboardInterrupt):
        run(shot, tmp_path / "stopped", stop_after(6))
    assert np.array_equal(points(run(shot, tmp_path / "stopped", resume=True)), points(whole))
    assert np.isfinite(points(whole)).all()


def test_garments_apart_move_as_if_alone(shot, tmp_path):
    alone = run(shot, tmp_path / "alone")
    doubled(shot)
    change(shot, lambda d: d.update(together=False))
    apart = run(shot, tmp_path / "apart")
    assert (alone / "signal flag.pc2").read_bytes() == (apart / "signal flag.pc2").read_bytes()


@pytest.mark.skipif(numba.config.NUMBA_NUM_THREADS < 2, reason="one core")
def test_one_and_two_threads_give_the_same_bits(shot, tmp_path):
    try:
        numba.set_num_threads(1)
        one = points(run(shot, tmp_path / "one"))
        numba.set_num_threads(2)
        two = points(run(shot, tmp_path / "two"))
        held_in_many_ways(shot)
        held_on_two = points(run(shot, tmp_path / "held on two"))
        numba.set_num_threads(1)
        held_on_one = points(run(shot, tmp_path / "held on one"))
    finally:
        numba.set_num_threads(numba.config.NUMBA_NUM_THREADS)
    assert np.array_equal(one, two)
    assert np.array_equal(held_on_one, held_on_two)
    assert not np.array_equal(held_on_one, one)


def test_alembic_holds_the_same_positions(shot, tmp_path):
    pc2 = points(run(shot, tmp_path / "a"))
    run(shot, tmp_path / "b", cache_format="abc")
    cache = read_alembic(tmp_path / "b" / "signal flag.abc")
    assert np.array_equal(cache.frames, pc2)
    assert cache.times * 24 == pytest.approx(np.arange(1001, 1009))


def test_frames_and_patience_can_be_given(shot, tmp_path):
    out = run(shot, tmp_path / "out", frames=(1003, 1004), patience="working")
    cache = read_pc2(out / "signal flag.pc2")
    assert (len(cache.frames), cache.first_frame) == (2, 1003)
    report = json.loads((out / "report.json").read_text())
    assert report["patience"] == "working"
    assert report["garments"]["signal flag"]["frames"][0]["substeps"] >= 8


def baked_yard(shot: Path, drop: int = 0) -> None:
    """Replace the skinned yard by a rest mesh and a cache of it, in centimetres."""
    plan = assemble(read_shot_file(shot), shot.parent)
    yard = plan.member("yard")
    folder = shot.parent
    write_obj(folder / "yard.obj", yard.mesh.with_vertices(yard.motion.rest() * 100))
    frames = [yard.motion.at(f) * 100 for f in range(1001, 1020)]
    cut = polygons("yard", frames[0][drop:], [(0, 1, 2)])
    write_pc2(folder / "yard.pc2", cut, [f[drop:] for f in frames], CacheTiming(1001, 24))

    def recast(data):
        data["cast"][0].update(file="yard.obj", cache="yard.pc2", unit="cm")

    change(shot, recast)


def test_a_cached_prop_moves_the_cloth_like_the_skinned_one(shot, tmp_path):
    skinned = points(run(shot, tmp_path / "skinned"))
    baked_yard(shot)
    cached = points(run(shot, tmp_path / "cached"))
    held = json.loads(shot.read_text())["garments"][0]["holds"][0]["choose"]["vertices"]
    assert cached[:, held] == pytest.approx(skinned[:, held], abs=5e-4)
    # The free end flutters on its own once the two ways of interpolating differ by rounding.
    assert np.abs(cached - skinned).mean() < 5e-3


def test_a_cache_of_another_count_is_refused(shot, tmp_path):
    baked_yard(shot, drop=1)
    with pytest.raises(CastError, match=r"yard\.pc2, mesh 'yard': the cache has 37 points, its mesh 38"):
        run(shot, tmp_path / "out")


def test_resume_refuses_other_inputs(shot, tmp_path):
    with pytest.raises(ResumeError, match="no stopped run"):
        run(shot, tmp_path / "out", resume=True)
    with pytest.raises(KeyboardInterrupt):
        run(shot, tmp_path / "out", stop_after(3))
    change(shot, lambda d: d["fabrics"][0].update(areal_density=0.3))
    with pytest.raises(ResumeError, match="other inputs"):
        run(shot, tmp_path / "out", resume=True)


def nan_vertex(folder: Path) -> None:
    path = folder / "signal_flag.obj"
    lines = path.read_text().splitlines()
    first = next(i for i, line in enumerate(lines) if line.startswith("v "))
    lines[first + 3] = "v nan 0 0"
    path.write_text("\n".join(lines))


@pytest.mark.parametrize(
    ("damage", "says"),
    [
        (lambda f: change(f / "shot.json", lambda d: d.update(frames=[1001, 1200])), "runs from 1001 to 1200"),
        (lambda f: change(f / "shot.json", lambda d: d.update(frames=[1005, 1001])), "is empty"),
        (lambda f: (f / "yard.glb").write_bytes(b"BLEND"), r"yard\.glb: this is not a GLB"),
        (nan_vertex, r"signal_flag\.obj.*vertex 3: 1 vertices have a position that is not a number"),
        (lambda f: (f / "mast.obj").unlink(), r"mast\.obj: the file cannot be read"),
        (lambda f: change(f / "shot.json", lambda d: d["garments"][0].update(fabric="silk")), "swatch book"),
        (
            lambda f: change(f / "shot.json", lambda d: d["garments"][0]["recipe"].update(unit="cm")),
            "signal flag",
        ),
    ],
)
def test_bad_input_is_one_clear_error_and_writes_nothing(shot, tmp_path, damage, says):
    damage(shot.parent)
    with pytest.raises(NeedleError, match=rf"(?s){says}") as caught:
        run(shot, tmp_path / "out")
    assert "\n" not in caught.value.line()
    assert not (tmp_path / "out").exists()


def test_a_garment_inside_the_body_is_named_by_place(shot, tmp_path):
    def into_the_mast(data):
        data["garments"][0]["holds"] = []
        data["run_in"] = {"settle": 0, "move": 0}

    change(shot, into_the_mast)
    path = shot.parent / "signal_flag.obj"
    moved = []
    for line in path.read_text().splitlines():
        words = line.split()
        if line.startswith("v "):
            line = f"v {float(words[1]) - 0.3} {words[2]} {words[3]}"
        moved.append(line)
    path.write_text("\n".join(moved))
    with pytest.raises(
        StartError, match=r"garment 'signal flag', vertex \d+ at \(.*\) m: \d+ vertices start inside"
    ):
        run(shot, tmp_path / "out")


def test_saved_state_is_whole(shot, tmp_path):
    last = []
    run(shot, tmp_path / "out", lambda p: last.append(p.result))
    stream = io.BytesIO()
    write_checkpoint(stream, last[-1].state, last[-1].frame)
    stream.seek(0)
    back, frame = read_checkpoint(stream)
    assert frame == 1008
    for name in ("positions", "velocities", "positions_before", "velocities_before", "pushed", "released"):
        assert np.array_equal(getattr(back, name), getattr(last[-1].state, name)), name
    assert np.array_equal(back.anchors.coordinates, last[-1].state.anchors.coordinates)
    assert back.last_step == last[-1].state.last_step
    for name in ("triangle", "place", "offset", "drift"):
        assert np.array_equal(getattr(back.taken, name), getattr(last[-1].state.taken, name)), name
