"""Whether docs/benchmarks.md was measured with the engine as it is now."""

from __future__ import annotations

import re
from pathlib import Path

from patient_needle.bootstrap.engine_source import engine_hash

MEASURED = Path(__file__).resolve().parent.parent / "docs" / "benchmarks.md"


def note() -> str:
    """A note on the committed measurements; empty when all are of this engine."""
    text = MEASURED.read_text() if MEASURED.exists() else ""
    parts = re.split(r"^<!-- (\w+) -->$", text, flags=re.M)
    engines = {
        name: found[1] if (found := re.search(r"Engine source ([0-9a-f]{16})", part)) else ""
        for name, part in zip(parts[1::2], parts[2::2], strict=True)
    }
    if not engines:
        return "docs/benchmarks.md holds no measurements: ./needle bench makes them"
    late = [name for name, engine in engines.items() if not (engine and engine_hash().startswith(engine))]
    if not late:
        return ""
    return f"docs/benchmarks.md: of another engine are {', '.join(late)}; ./needle bench {' '.join(late)}"


if __name__ == "__main__":
    print(note() or "docs/benchmarks.md is of this engine")
