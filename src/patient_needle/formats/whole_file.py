"""Files that appear whole or not at all, and errors that name the file."""

from __future__ import annotations

import os
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from ..core.model.errors import FileError


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
