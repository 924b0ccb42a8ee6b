"""Whether docs/benchmarks.md was measured with the engine as it is now."""

from __future__ import annotations

import re
from pathlib import Path

from patient_needle.bootstrap.engine_source import engine_hash

MEASURED = Path(__file__).resolve().parent.parent / "docs" / "benchmarks.md"


def note() -> str:
    """What is to be said about the committed measurements; empty when they are of this engine."""
    found = re.search(r"Engine source ([0-9a-f]{16})", MEASURED.read_text()) if MEASURED.exists() else None
    if found is None:
        return "docs/benchmarks.md names no engine: ./needle bench measures this one"
    if engine_hash().startswith(found[1]):
        return ""
    return "docs/benchmarks.md was measured with another engine: ./needle bench measures this one"


if __name__ == "__main__":
    print(note() or "docs/benchmarks.md is of this engine")
