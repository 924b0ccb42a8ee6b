"""Files that appear whole or not at all, errors that name the file, and JSON that is bounded."""

from __future__ import annotations

import json
import math
import os
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from ..core.model.errors import FileError

MOST_BYTES = 16 << 20
MOST_OBJECTS = 200_000
MOST_LISTS = 1_500_000  # a long stroke has a list for each of its hits


@contextmanager
def replacing(path: Path) -> Iterator[Path]:
    """A path beside `path` to write to; it takes the place of `path` when the block ends without error."""
    part = path.with_name(f".{path.name}.part")
    try:
        yield part
        os.replace(part, path)
    except OSError as error:
        raise FileError(
            f"the file cannot be written ({error.strerror})",
            where=str(path),
            remedy="Check the folder, its permissions and the space left",
        ) from error
    finally:
        part.unlink(missing_ok=True)


def read_bytes(path: Path) -> bytes:
    """The file's bytes; `FileError` when it is missing or cannot be read."""
    try:
        return path.read_bytes()
    except OSError as error:
        raise FileError(
            f"the file cannot be read ({error.strerror})",
            where=str(path),
            remedy="Check the path in the shot file",
        ) from error


def beside_file(path: Path, name: str, within: Path | None = None) -> Path | None:
    """The file that `path` names, when it lies in the folder `within`, that of `path` if not given, or below.

    None for any other, and for one that is not there. What is brought in together stands in one folder, and
    nothing else is ever read.
    """
    try:
        folder = (within or path.parent).resolve()
        found = (path.parent.resolve() / name).resolve()
        return found if found.is_relative_to(folder) and found.is_file() else None
    except (OSError, ValueError):
        return None


def read_json(data: bytes, where: str) -> Any:
    """The value; `FileError` for what is no JSON, or larger or deeper than anything of ours can be."""
    if len(data) > MOST_BYTES:
        raise _refused(f"it has {len(data) / 1e6:.0f} MB, more than {MOST_BYTES / 1e6:.0f} MB", where)
    if data.count(b"{") > MOST_OBJECTS or data.count(b"[") > MOST_LISTS:
        raise _refused("it holds too many objects or lists", where)
    try:
        return json.loads(data)
    except RecursionError:
        raise _refused("it is nested too deeply", where) from None
    except ValueError as error:
        raise FileError(
            f"this is not JSON ({error})", where=where, remedy="Mend that line or export the shot again"
        ) from None


def _refused(why: str, where: str) -> FileError:
    return FileError(f"this JSON is refused: {why}", where=where, remedy="Export the shot again")


def finite(value: Any) -> Any:
    """The value with null for every number that JSON has no word for (RFC 8259, section 6)."""
    if isinstance(value, float):
        return value if math.isfinite(value) else None
    if isinstance(value, dict):
        return {key: finite(one) for key, one in value.items()}
    if isinstance(value, (list, tuple)):
        return [finite(one) for one in value]
    return value
