"""Names as formats allow them: letters of any script, digits and underscores, no digit first."""

from __future__ import annotations

import unicodedata
from collections.abc import Iterable


def identifier(name: str) -> str:
    """The name with an underscore for whatever is not allowed; accents stand in their letters (Unicode NFC)."""
    kept = "".join(
        letter if f"_{letter}".isidentifier() else "_" for letter in unicodedata.normalize("NFC", name)
    )
    kept = kept or "mesh"
    return kept if kept.isidentifier() else f"_{kept}"


def ascii_identifier(name: str) -> str:
    """The same in ASCII letters, for formats that know no others."""
    kept = "".join(letter if letter.isalnum() and letter.isascii() else "_" for letter in name) or "mesh"
    return f"_{kept}" if kept[0].isdigit() else kept


def identifiers(names: Iterable[str]) -> list[str]:
    """One for each name, in order; those that would be the same end in a number."""
    out: list[str] = []
    for name in names:
        free = plain = identifier(name)
        number = 1
        while free in out:
            number += 1
            free = f"{plain}_{number}"
        out.append(free)
    return out
