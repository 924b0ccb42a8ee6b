"""Names as formats allow them: letters, digits, underscores, no digit first."""

from __future__ import annotations


def identifier(name: str) -> str:
    """The name with an underscore for whatever is not allowed."""
    kept = "".join(letter if letter.isalnum() and letter.isascii() else "_" for letter in name) or "mesh"
    return f"_{kept}" if kept[0].isdigit() else kept
