"""The engine's identity: a hash of the source that a simulation runs through, and of nothing else."""

from __future__ import annotations

import ast
import hashlib
from collections.abc import Iterator
from functools import cache
from pathlib import Path

CORE = Path(__file__).parent.parent / "core"
ENTRY = CORE / "craft" / "run" / "outfit_run.py"


@cache
def engine_hash() -> str:
    """SHA-256 of the modules of the core that a run imports, the same for the same code, as 64 hex digits.

    What the core only offers to benches, such as reading or delivery checks, does not change it.
    """
    digest = hashlib.sha256()
    for path in engine_files():
        digest.update(path.relative_to(CORE).as_posix().encode() + b"\0" + path.read_bytes())
    return digest.hexdigest()


def engine_files() -> list[Path]:
    """The files that a run imports, directly or through others, sorted."""
    found: set[Path] = set()
    waiting = [ENTRY]
    while waiting:
        path = waiting.pop()
        if path not in found:
            found.add(path)
            waiting.extend(_imported(path))
    return sorted(found)


def _imported(path: Path) -> Iterator[Path]:
    """Modules of the core that a module names in a relative import, which is the core's only kind."""
    for node in ast.walk(ast.parse(path.read_bytes())):
        if isinstance(node, ast.ImportFrom) and node.level > 0:
            folder = path.parents[node.level - 1].joinpath(*(node.module or "").split("."))
            for one in (folder.with_suffix(".py"), *(folder / f"{name.name}.py" for name in node.names)):
                if one.exists() and one.is_relative_to(CORE):
                    yield one
