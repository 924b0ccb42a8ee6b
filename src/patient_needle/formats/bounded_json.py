"""JSON from outside: bounded before it is taken apart, and written so that every reader can read it."""

from __future__ import annotations

import json
import math
from typing import Any

from ..core.model.errors import FileError

MOST_BYTES = 16 << 20
MOST_OBJECTS = 200_000
MOST_LISTS = 1_500_000  # a long stroke has a list for each of its hits


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
