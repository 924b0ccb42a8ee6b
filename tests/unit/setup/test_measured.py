"""Committed measurements say which engine they are of."""

from __future__ import annotations

import pytest

from benchmarks.document import put_in
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


def test_a_part_is_put_in_its_place_and_the_others_are_kept():
    order, versions = ("hang", "swing", "pass"), {"numpy": "2.0"}
    document = put_in("", "swing", "## Swing\n\n3.9 times", order, versions)
    document = put_in(document, "hang", "## Hang\n\n1/8", order, versions)
    document = put_in(document, "swing", "## Swing\n\n4.0 times", order, versions)
    assert "numpy 2.0" in document
    assert document.index("## Hang") < document.index("4.0 times")
    assert "3.9 times" not in document
    assert put_in(document, "pass", "1.4", ("hang", "pass"), versions).count("<!--") == 2
    assert put_in(document, "hang", "## Hang\n\n1/8", order, versions) == document
