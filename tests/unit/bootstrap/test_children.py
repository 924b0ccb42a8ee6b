"""Processes that are kept: one that hangs is started again, and a killed one leaves nothing behind."""

from __future__ import annotations

import os
import sys
import time

import pytest

from patient_needle.bootstrap import children
from patient_needle.bootstrap.children import Child, Keeper
from patient_needle.bootstrap.settings import as_environment, settings
from tests.houses import until


@pytest.fixture
def keeper():
    said: list[str] = []
    made = Keeper(said.append)
    made.said = said
    yield made
    made.leaving = True
    made.stop()


def child(tmp_path, **options) -> Child:
    sleeping = [sys.executable, "-c", "import time; time.sleep(600)"]
    return Child("sleeper", sleeping, os.environ, tmp_path / "log", **options)


def test_a_process_that_answers_no_more_is_ended_and_started_again(tmp_path, keeper, monkeypatch):
    monkeypatch.setattr(children, "HUNG", 0.4)
    monkeypatch.setattr(children, "ASKED_EVERY", 0.05)
    answering = [True]
    kept = keeper.start(child(tmp_path, answers=lambda: answering[0]))
    first = kept.process.pid
    deadline = time.monotonic() + 1.0
    while time.monotonic() < deadline:
        keeper.look()
        time.sleep(0.05)
    assert kept.process.pid == first
    answering[0] = False
    until(lambda: keeper.look() or (kept.process.pid != first and not kept.ended()), 20)
    assert any("has not answered" in line for line in keeper.said)


def test_passing_files_of_a_killed_process_are_gone_when_it_starts_again(tmp_path, keeper):
    scratch = tmp_path / "passing"
    kept = keeper.start(child(tmp_path, scratch=scratch))
    (scratch / "needle-desk-x").mkdir()
    (scratch / "needle-desk-x" / "body.glb").write_bytes(b"")
    kept.kill()
    until(lambda: keeper.look() or not kept.ended(), 20)
    assert list(scratch.iterdir()) == []


def test_sockets_are_found_whatever_folder_a_process_has_for_passing_files(monkeypatch, tmp_path):
    here = settings()
    monkeypatch.setenv("TMPDIR", str(tmp_path))
    for name, value in as_environment(here).items():
        monkeypatch.setenv(name, value)
    assert settings().desk_socket == here.desk_socket
