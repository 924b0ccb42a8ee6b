"""The launcher, used as an artist uses it: by its commands, looking at what it prints and writes."""

from __future__ import annotations

import json
import subprocess
from pathlib import Path

import numpy as np

from patient_needle.formats.pc2 import read_pc2

ROOT = Path(__file__).parents[2]
FLAG = ROOT / "demo" / "flag" / "shot.json"


def needle(*words: object) -> subprocess.CompletedProcess[str]:
    return subprocess.run(
        [str(ROOT / "needle"), *map(str, words)], capture_output=True, text=True, cwd=ROOT, check=False
    )


def test_help_lists_the_commands():
    done = needle("--help")
    assert done.returncode == 0
    assert all(word in done.stdout for word in ("sim", "bench", "doctor", "check", "test"))
    assert needle("sow").returncode == 2


def test_doctor_reports_the_machine():
    done = needle("doctor")
    assert done.returncode == 0
    assert all(word in done.stdout for word in ("python", "numba", "threading layer", "omp", "free disk"))


def test_sim_tells_progress_and_writes_what_it_says(tmp_path):
    done = needle("sim", FLAG, "--out", tmp_path / "out", "--frames", "1001:1006", "--format", "pc2")
    assert done.returncode == 0, done.stderr
    assert "s left" in done.stdout
    assert f"Report: {tmp_path / 'out' / 'report.json'}" in done.stdout
    cache = read_pc2(tmp_path / "out" / "signal flag.pc2")
    assert cache.frames.shape[0] == 6
    assert np.isfinite(np.array(cache.frames)).all()
    report = json.loads((tmp_path / "out" / "report.json").read_text())
    totals = report["garments"]["signal flag"]["totals"]
    assert (totals["delivered_frames"], totals["frames_in_the_body"]) == (6, 0)


def test_mistakes_are_one_line_and_exit_with_1(tmp_path):
    for words, says in (
        (("sim", tmp_path / "no.json", "--out", tmp_path / "out"), "no.json: the file cannot be read"),
        (("sim", FLAG, "--out", tmp_path / "out", "--frames", "1001-1006"), "Write it as 1001:1048"),
        (("sim", FLAG, "--out", tmp_path / "out", "--patience", "endless"), "Use one of first-look"),
        (("sim", FLAG, "--out", tmp_path / "out", "--format", "xyz"), "Use one of abc, pc2"),
        (("sim", FLAG, "--out", tmp_path / "out", "--frames", "1001:2000"), "but its animation from"),
    ):
        done = needle(*words)
        assert done.returncode == 1
        assert done.stderr.startswith("needle: ")
        assert says in done.stderr
        assert done.stderr.count("\n") == 1
    assert not (tmp_path / "out").exists()
