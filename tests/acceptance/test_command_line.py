"""The launcher, used as an artist uses it: by its commands, looking at what it prints and writes."""

from __future__ import annotations

import json
import signal
import subprocess
import time
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


def test_ctrl_c_leaves_a_valid_cache_and_resume_finishes_it(tmp_path):
    out = tmp_path / "out"
    words = [str(ROOT / "needle"), "sim", str(FLAG), "--out", str(out), "--frames", "1001:1012"]
    whole = tmp_path / "whole"
    assert needle("sim", FLAG, "--out", whole, "--frames", "1001:1012").returncode == 0
    # A shell that started the tests in the background has told them to ignore Ctrl-C; the artist's has not.
    running = subprocess.Popen(
        words, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True, cwd=ROOT,
        preexec_fn=lambda: signal.signal(signal.SIGINT, signal.SIG_DFL),
    )  # fmt: skip
    finished = out / ".work" / "0000" / "00000002.npy"
    deadline = time.monotonic() + 120
    while not finished.exists() and running.poll() is None and time.monotonic() < deadline:
        time.sleep(0.005)
    running.send_signal(signal.SIGINT)
    _, said = running.communicate(timeout=60)
    assert running.returncode == 130, said
    assert "--resume" in said
    part, complete = (np.array(read_pc2(folder / "signal flag.pc2").frames) for folder in (out, whole))
    assert 3 <= len(part) < 12
    assert np.array_equal(part, complete[: len(part)])
    assert needle(*words[1:], "--resume").returncode == 0
    assert np.array_equal(np.array(read_pc2(out / "signal flag.pc2").frames), complete)


def test_mistakes_are_one_line_and_exit_with_1(tmp_path):
    for words, says in (
        (("sim", tmp_path / "no.json", "--out", tmp_path / "out"), "no.json: the file cannot be read"),
        (("sim", FLAG, "--out", tmp_path / "out", "--frames", "1001-1006"), "Write it as 1001:1048"),
        (("sim", FLAG, "--out", tmp_path / "out", "--patience", "endless"), "Use one of first-look"),
        (("sim", FLAG, "--out", tmp_path / "out", "--format", "xyz"), "Use one of abc, mdd, pc2, usd"),
        (("sim", FLAG, "--out", tmp_path / "out", "--frames", "1001:2000"), "but its animation from"),
    ):
        done = needle(*words)
        assert done.returncode == 1
        assert done.stderr.startswith("needle: ")
        assert says in done.stderr
        assert done.stderr.count("\n") == 1
    assert not (tmp_path / "out").exists()
