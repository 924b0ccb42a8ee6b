"""The engine's identity covers what a run loads, no more and no less."""

from __future__ import annotations

import subprocess
import sys

from patient_needle.bootstrap.engine_source import CORE, engine_files, engine_hash

LOADED = """
import sys
import patient_needle.core.craft.run.outfit_run
print("\\n".join(m.__file__ for n, m in sys.modules.items() if n.startswith("patient_needle.core.")))
"""


def test_the_files_are_those_that_python_loads_for_a_run():
    asked = subprocess.run([sys.executable, "-c", LOADED], capture_output=True, text=True, check=True)
    loaded = {path for path in asked.stdout.split() if not path.endswith("__init__.py")}
    assert {str(path) for path in engine_files()} == loaded


def test_what_only_benches_use_is_left_out():
    names = {path.relative_to(CORE).as_posix() for path in engine_files()}
    assert "solver/step.py" in names
    assert "craft/delivery.py" not in names
    assert len(engine_hash()) == 64
