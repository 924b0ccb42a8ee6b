"""Whether a file is a sound Ogawa container, before the library that trusts it is let near it.

Layout (Alembic project, lib/Alembic/Ogawa, format version 1; from memory, checked against files of the
library): "Ogawa", 0xFF when closed, a version of two bytes, then the place of the root group. A group is its
number of children and the place of each; the top bit tells data from groups. Data is its length and its bytes.
"""

from __future__ import annotations

import mmap
import struct
from pathlib import Path

from ...core.model.errors import FileError

DATA = 1 << 63
DEPTH = 400
MOST_CHILDREN = 50_000_000  # in the whole file


def check_container(path: Path) -> None:
    """`FileError` when a place or a length lies outside the file, or groups go round in a circle."""
    with path.open("rb") as stream:
        size = path.stat().st_size
        if size < 32:
            raise _damaged(path, "it is cut short")
        with mmap.mmap(stream.fileno(), 0, access=mmap.ACCESS_READ) as data:
            if data[:5] != b"Ogawa" or data[5] != 0xFF:
                raise _damaged(path, "it does not begin as one, or was never closed")
            (root,) = struct.unpack_from("<Q", data, 8)
            _walk(path, data, size, root)


def _walk(path: Path, data: mmap.mmap, size: int, root: int) -> None:
    open_groups, asked, seen = [(root, 0)], 0, set()
    while open_groups:
        at, depth = open_groups.pop()
        if at == 0:
            continue  # an empty group
        if at in seen and depth > 0:
            continue
        seen.add(at)
        count = _length(path, data, size, at)
        asked += count
        if depth > DEPTH or asked > MOST_CHILDREN or at + 8 + 8 * count > size:
            raise _damaged(path, f"the group at {at} reaches past its end")
        for child in struct.unpack_from(f"<{count}Q", data, at + 8):
            if child & DATA:
                place = child & ~DATA
                if place and place + 8 + _length(path, data, size, place) > size:
                    raise _damaged(path, f"the data at {place} reaches past its end")
            else:
                open_groups.append((child, depth + 1))


def _length(path: Path, data: mmap.mmap, size: int, at: int) -> int:
    if at + 8 > size or at < 8:
        raise _damaged(path, f"it names the place {at} of {size}")
    return int(struct.unpack_from("<Q", data, at)[0])


def _damaged(path: Path, what: str) -> FileError:
    return FileError(
        f"this is not a sound Alembic file: {what}", where=str(path), remedy="Copy or write it again"
    )
