"""Setting up: one clear line for each thing that cannot be got."""

from __future__ import annotations

import subprocess
import sys

import pytest

from setup import commands, licences, machine


def test_old_python_is_named(monkeypatch):
    monkeypatch.setattr(sys, "version_info", (3, 9, 2))
    monkeypatch.setattr(sys, "version", "3.9.2 (main)")
    with pytest.raises(machine.Missing, match=r"Python 3\.11 or newer is needed, this is 3\.9\.2"):
        machine.check_python()


def test_no_apt_and_no_root_are_named(monkeypatch):
    monkeypatch.setattr(machine.shutil, "which", lambda _: None)
    with pytest.raises(machine.Missing, match="libgomp1 must be installed, and there is no apt-get"):
        machine.apt_install("libgomp1")
    monkeypatch.setattr(machine.shutil, "which", lambda name: f"/usr/bin/{name}")
    monkeypatch.setattr(machine.os, "geteuid", lambda: 1000)
    with pytest.raises(machine.Missing, match="sudo apt-get install libgomp1"):
        machine.apt_install("libgomp1")


@pytest.mark.parametrize(
    ("version", "says"),
    [("v18.19.0", "Node 20 or newer is needed, this is v18.19.0"), (None, "with npm is needed")],
)
def test_missing_and_old_node_are_named(monkeypatch, version, says):
    monkeypatch.setattr(machine.shutil, "which", lambda name: f"/usr/bin/{name}" if version else None)
    monkeypatch.setattr(
        machine.subprocess, "run", lambda *_, **__: subprocess.CompletedProcess([], 0, f"{version}\n", "")
    )
    with pytest.raises(machine.Missing, match=says):
        machine.check_node()


def test_new_node_passes(monkeypatch):
    monkeypatch.setattr(machine.shutil, "which", lambda name: f"/usr/bin/{name}")
    monkeypatch.setattr(
        machine.subprocess, "run", lambda *_, **__: subprocess.CompletedProcess([], 0, "v22.3.0\n", "")
    )
    machine.check_node()


def test_a_missing_thing_is_one_line_and_exit_1(monkeypatch, capsys):
    def missing():
        raise machine.Missing("Node 20 or newer with npm is needed: install it and start again")

    monkeypatch.setattr(machine, "check_python", missing)
    assert commands.run(["check"]) == 1
    assert (
        capsys.readouterr().err == "needle: Node 20 or newer with npm is needed: install it and start again\n"
    )


def test_done_is_remembered_per_source(monkeypatch, tmp_path):
    monkeypatch.setattr(machine, "DATA", tmp_path)
    monkeypatch.setattr(machine, "ROOT", tmp_path)
    (tmp_path / "lock").write_text("one")
    first = machine._stamp("python", "lock")
    first.touch()
    assert machine._stamp("python", "lock").exists()
    (tmp_path / "lock").write_text("two")
    assert not machine._stamp("python", "lock").exists()


class Distribution:
    def __init__(self, name, **fields):
        self.metadata = {"Name": name, **fields}
        self.metadata = type("M", (dict,), {"get_all": lambda self, key, default: default})(self.metadata)


@pytest.mark.parametrize(
    ("licence", "allowed"),
    [("MIT", True), ("Apache-2.0", True), ("GPL-3.0-only", False), ("Proprietary", False)],
)
def test_licences_are_held_to_the_list(monkeypatch, licence, allowed):
    found = [Distribution("thing", **{"License-Expression": licence})]
    monkeypatch.setattr(licences.metadata, "distributions", lambda: found)
    assert (licences.python_packages() == []) is allowed
