"""Hits of a stroke in a file of their own: a NumPy array file, so that a shot's document stays small.

Layout: the NPY format, version 1.0 (NumPy Enhancement Proposal 1), float64 (h, 7). One row is one hit: x y z in
m of the garment as made, the way the cloth faces there, and the pressure from 0 to 1.
"""

from __future__ import annotations

import io
from collections.abc import Sequence
from hashlib import sha256
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pydantic import TypeAdapter, ValidationError

from ...core.model.errors import FileError
from .document import MOST_HITS, Hits

COLUMNS = 7
HEADER = 128  # bytes that the format takes before the numbers of such an array
_hits: TypeAdapter[Any] = TypeAdapter(Hits)


def hits_bytes(hits: Sequence[Sequence[float]]) -> bytes:
    """The file of hits (h, 7)."""
    stream = io.BytesIO()
    np.save(stream, np.asarray(hits, "<f8").reshape(-1, COLUMNS), allow_pickle=False)
    return stream.getvalue()


def hits_sha(hits: Sequence[Sequence[float]]) -> str:
    """SHA-256 of their file, whether it was ever written or not."""
    return sha256(hits_bytes(hits)).hexdigest()


def read_hits(path: Path) -> NDArray[np.float64]:
    """Hits (h, 7) float64; `FileError` for anything but an array of 1 to 20,000 of them within their ranges."""
    try:
        if path.stat().st_size > HEADER + MOST_HITS * COLUMNS * 8:
            raise _refused(path, f"it is too large for {MOST_HITS:,} hits")
        with path.open("rb") as stream:
            # The header alone, before anything of the size that it claims is allocated.
            if np.lib.format.read_magic(stream) != (1, 0):
                raise _refused(path, "it is no NumPy array file of version 1.0")
            shape, by_columns, dtype = np.lib.format.read_array_header_1_0(stream)
            numbers = stream.read()
    except OSError as error:
        raise _refused(path, f"it cannot be read ({error.strerror or error})") from None
    except (ValueError, EOFError):
        raise _refused(path, "it is no NumPy array file") from None
    if dtype != np.dtype("<f8") or shape[1:] != (COLUMNS,) or by_columns:
        raise _refused(path, "it is no array of float64, 7 to a hit")
    if len(numbers) != shape[0] * COLUMNS * 8:
        raise _refused(path, "it has more or fewer numbers than it says")
    found = np.frombuffer(numbers, "<f8").reshape(shape)
    try:
        _hits.validate_python(found.tolist())
    except ValidationError as error:
        first = error.errors()[0]
        place = ", ".join(str(at) for at in first["loc"])
        raise _refused(path, f"{first['msg']} at [{place}]") from None
    return found


def moved_out(document: dict[str, Any]) -> dict[str, bytes]:
    """Move the hits of every stroke of a document out into files, in place; returns the files by name.

    The same hits always get the same name. The document is of the present version.
    """
    files = {}
    for garment in document["garments"]:
        finer = (garment["recipe"].get("spacing") or {}).get("finer")
        for step in (step for one in [*garment["maps"], *([finer] if finer else [])] for step in one["steps"]):
            if step["kind"] == "stroke" and step.get("hits"):
                data = hits_bytes(step["hits"])
                step["file"] = f"stroke-{sha256(data).hexdigest()[:20]}.npy"
                step["hits"] = None
                files[step["file"]] = data
    return files


def _refused(path: Path, what: str) -> FileError:
    return FileError(what, where=f"the stroke '{path.name}'", remedy="Draw the stroke again, or take it out")
