"""Committed measurements say which engine they are of."""

from __future__ import annotations

import pytest

from patient_needle.bootstrap.engine_source import engine_hash
from setup import measured

NOW = f"Engine source {engine_hash()[:16]}."
BEFORE = "Engine source 0123456789abcdef."


@pytest.mark.parametrize(
    ("text", "says"),
    [
        (f"<!-- hang -->\n{NOW}\n<!-- swing -->\n{NOW}", ""),
        (f"<!-- hang -->\n{NOW}\n<!-- swing -->\n{BEFORE}", "bench swing"),
        (f"<!-- hang -->\n{BEFORE}\n<!-- swing -->\nnothing", "bench hang swing"),
        ("Nothing of the kind.", "no measurements"),
    ],
)
def test_measurements_of_another_engine_are_noted(tmp_path, monkeypatch, text, says):
    kept = tmp_path / "benchmarks.md"
    kept.write_text(text)
    monkeypatch.setattr(measured, "MEASURED", kept)
    assert says in measured.note()
    assert bool(says) == bool(measured.note())
