"""Names: which files can be read and written, and what formats allow as a name."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Collection, Iterable

from ..core.model.errors import FileError

BROUGHT_IN = (".glb", ".gltf", ".usd", ".usda", ".usdc", ".usdz", ".abc", ".obj", ".pc2", ".mdd")
MAPS_IN = (".png", ".ply", ".usd", ".usda", ".usdc", ".usdz")
WRITTEN = {
    "abc": "Alembic, mesh and motion",
    "usd": "USD, mesh and motion",
    "pc2": "PC2, points only",
    "mdd": "MDD, points only",
}
MOST_BYTES = 200  # of UTF-8: file systems keep 255, and a suffix of ours must fit behind
MOST_LETTERS = 120  # what the database keeps
# Controls, and what turns the writing direction round: it would show a name that is not there.
UNSEEN = re.compile("[\x00-\x1f\x7f-\x9f\u200e\u200f\u202a-\u202e\u2066-\u2069\ufeff]")
REFUSED = re.compile(r'[<>:"|?*/\\]')
JOINERS = ("\u200d", "\ufe0f")
# Names of devices, which some systems open in place of a file (Microsoft, Naming Files, Paths, and Namespaces).
DEVICES = re.compile(r"^(con|prn|aux|nul|com[0-9]|lpt[0-9])(\.|$)", re.IGNORECASE)


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


def plain_name(name: str) -> str:
    """A file name without folders, its ending kept; `FileError` when nothing usable is left of it."""
    last = re.split(r"[/\\]", name)[-1]
    stem, dot, ending = last.rpartition(".")
    if not dot or not stem or not re.fullmatch(r"\w{1,8}", ending, re.ASCII):
        stem, ending = last, ""
    made = file_name(stem, f".{ending}" if ending else "")
    if not usable(last.strip()):
        raise FileError(f"{name!r} is not a file name", remedy="Rename the file and bring it in again")
    return made


def file_name(name: str, ending: str = "") -> str:
    """The name of a file for something called `name`: whatever disks refuse becomes an underscore, what is too
    long is cut between letters.
    """
    kept = REFUSED.sub("_", UNSEEN.sub("", name.encode("utf-8", "ignore").decode()))
    kept = _cut(kept.strip(" "), MOST_BYTES - len(ending.encode()), MOST_LETTERS - len(ending)).rstrip(". ")
    return f"_{kept}{ending}" if not kept or DEVICES.match(kept) else kept + ending


def usable(name: str) -> bool:
    """Whether a name says anything that can stand as a file's or folder's: not empty, `.` or `..`."""
    return UNSEEN.sub("", name).strip() not in ("", ".", "..")


def apart(name: str, taken: Collection[str]) -> str:
    """The name, with an underscore or more before it while it is taken on a disk that does not tell capitals or
    ways of writing an accent apart.
    """
    known = {_folded(one) for one in taken}
    while _folded(name) in known:
        stem, dot, ending = f"_{name}".rpartition(".")
        name = file_name(stem, dot + ending) if dot else file_name(ending)
    return name


def _folded(name: str) -> str:
    return unicodedata.normalize("NFC", unicodedata.normalize("NFC", name).casefold())


def _cut(name: str, most_bytes: int, most_letters: int) -> str:
    """The beginning that fits, never ending within a letter that is written with several signs."""
    kept = name[:most_letters].encode()[:most_bytes].decode(errors="ignore")
    while kept and len(kept) < len(name) and _goes_on(kept, name[len(kept)]):
        kept = kept[:-1]
    return kept


def _goes_on(kept: str, following: str) -> bool:
    return unicodedata.combining(following) > 0 or following in JOINERS or kept[-1] in JOINERS
