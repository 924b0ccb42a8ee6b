"""The core computes and does nothing else."""

from __future__ import annotations

import ast
from pathlib import Path

import pytest

SOURCE = Path(__file__).parents[2] / "src" / "patient_needle"
CORE = sorted((SOURCE / "core").rglob("*.py"))
FORBIDDEN = {"open", "print", "input", "__import__", "eval", "exec"}


@pytest.mark.parametrize("path", CORE, ids=lambda p: str(p.relative_to(SOURCE)))
def test_core_does_no_input_or_output(path):
    calls = [n.func for n in ast.walk(ast.parse(path.read_text())) if isinstance(n, ast.Call)]
    assert not FORBIDDEN & {f.id for f in calls if isinstance(f, ast.Name)}
    assert not {"import_module", "read_text", "read_bytes", "write_text"} & {
        f.attr for f in calls if isinstance(f, ast.Attribute)
    }


def test_only_bootstrap_reads_the_environment():
    for path in SOURCE.rglob("*.py"):
        if "bootstrap" not in path.parts:
            assert "os.environ" not in path.read_text(), path


def test_every_folder_is_a_package():
    folders = {path.parent for path in SOURCE.rglob("*.py")}
    assert all((folder / "__init__.py").exists() for folder in folders)
