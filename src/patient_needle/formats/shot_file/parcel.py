"""A shot with its geometry in one folder or one zip: `shot.json` and the files it names beside it.

Zip: PKWARE APPNOTE 6.3, read and written by Python's own library. What comes in is not trusted: names may not
leave the zip, sizes are bounded before anything is unpacked and while it is, and files are unpacked piece by
piece under numbers.
"""

from __future__ import annotations

import json
import re
import stat
import zipfile
import zlib
from collections.abc import Callable, Iterable, Iterator, Mapping
from pathlib import Path, PurePosixPath
from typing import Any, BinaryIO, TypeVar

from ...core.model.errors import FileError
from ...core.model.references import references
from ..files import MOST_BYTES as JSON_BYTES
from ..files import read_json
from ..names import apart, plain_name
from .document import ShotFile, parse_shot

SHOT = "shot.json"
MOST_FILES = 500
MOST_BYTES = 4 << 30  # unpacked, and
TIMES_THE_ZIP = 100  # what a zip may grow to, as geometry never does, beyond
FREE_BYTES = 32 << 20  # which any zip may
MOST_DIRECTORY = 1 << 20  # bytes of the zip's list of files
PIECE = 1 << 20
Document = dict[str, Any]
Read = TypeVar("Read")


def write_folder(folder: Path, document: Document, files: Mapping[str, Iterable[bytes]]) -> Path:
    """Write a shot and its files, given in pieces, into `folder`; returns the shot file's path."""
    folder.mkdir(parents=True, exist_ok=True)
    for name, pieces in files.items():
        with (folder / _beside(name)).open("wb") as stream:
            for piece in pieces:
                stream.write(piece)
    path = folder / SHOT
    path.write_text(json.dumps(document, indent=1) + "\n")
    return path


def write_zip(stream: BinaryIO, document: Document, files: Mapping[str, Iterable[bytes]]) -> None:
    """Write a shot and its files, given in pieces, as one zip."""
    with zipfile.ZipFile(stream, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr(SHOT, json.dumps(document, indent=1) + "\n")
        for name, pieces in files.items():
            with archive.open(_beside(name), "w", force_zip64=True) as member:
                for piece in pieces:
                    member.write(piece)


def _beside(name: str) -> str:
    """The name of a file beside the shot's, as it is; `FileError` for one that leads elsewhere."""
    if re.search(r"[/\\\x00]", name) or name in ("", ".", ".."):
        raise FileError(f"{name!r} is not a file name", remedy="Rename the file and bring it in again")
    return name


def read_folder(path: Path) -> tuple[Document, dict[str, bytes]]:
    """A shot file and the files it names, as (document, bytes by plain name)."""
    shot = parse_shot(read_json(_file(path), str(path)), str(path))
    return _flattened(shot, lambda name: _file(path.parent / name))


def read_zip(path: Path, where: str, into: Path) -> tuple[Document, dict[str, Path]]:
    """The shot of a zip, and its files unpacked into the folder `into`, by plain name.

    `FileError` for what is no zip, leads out of it, or unpacks to more than a shot of its size can hold.
    """
    try:
        _check_directory(path, where)
        with zipfile.ZipFile(path) as archive:
            members = _checked(archive, where, path.stat().st_size)
            by_path = {PurePosixPath(member.filename): member for member in members}
            top = _shot_member(members, where)
            shot = parse_shot(read_json(b"".join(_pieces(archive, top, where, JSON_BYTES)), where), where)
            beside = PurePosixPath(top.filename).parent

            def unpacked(name: str) -> Path:
                if (member := by_path.get(beside / name)) is None:
                    raise FileError(f"the shot names '{name[:80]}', which the zip does not hold", where=where)
                out = into / f"{len(list(into.iterdir())):04d}"
                with out.open("wb") as stream:
                    for piece in _pieces(archive, member, where, MOST_BYTES):
                        stream.write(piece)
                return out

            return _flattened(shot, unpacked)
    except (zipfile.BadZipFile, NotImplementedError, EOFError, OSError, RuntimeError, zlib.error) as error:
        raise FileError(
            f"this is not a zip that can be read ({error})", where=where, remedy="Export the shot again"
        ) from None


def _check_directory(path: Path, where: str) -> None:
    """The list of files stands at the end and is read whole: it must be small."""
    with path.open("rb") as stream:
        stream.seek(max(0, path.stat().st_size - (1 << 16) - 22))
        end = stream.read()
    at = end.rfind(b"PK\5\6")
    if at < 0 or len(end) < at + 22:
        raise FileError("this is not a zip", where=where, remedy="Export the shot again")
    size = int.from_bytes(end[at + 12 : at + 16], "little")
    if size > MOST_DIRECTORY:
        raise FileError(
            f"the zip's list of files has {size:,} bytes, more than {MOST_DIRECTORY:,}", where=where
        )


def _checked(archive: zipfile.ZipFile, where: str, size: int) -> list[zipfile.ZipInfo]:
    members = [m for m in archive.infolist() if not m.is_dir()]
    if len(members) > MOST_FILES:
        raise FileError(f"the zip holds {len(members)} files, more than {MOST_FILES}", where=where)
    unpacked, most = sum(m.file_size for m in members), min(MOST_BYTES, FREE_BYTES + TIMES_THE_ZIP * size)
    if unpacked > most:
        raise FileError(
            f"unpacked, the zip would have {unpacked / 1e6:.0f} MB, more than the {most / 1e6:.0f} MB that one "
            "of its size may grow to",
            where=where,
            remedy="Export the shot again",
        )
    for member in members:
        path = PurePosixPath(member.filename.replace("\\", "/"))
        if path.is_absolute() or ".." in path.parts or re.match(r"^[A-Za-z]:", member.filename):
            raise FileError(f"the zip names {member.filename!r}, which lies outside it", where=where)
        if stat.S_ISLNK(member.external_attr >> 16):
            raise FileError(f"the zip holds a link, {member.filename!r}", where=where)
    return members


def _shot_member(members: list[zipfile.ZipInfo], where: str) -> zipfile.ZipInfo:
    found = [m for m in members if PurePosixPath(m.filename).name == SHOT]
    if len(found) != 1:
        raise FileError(
            f"the zip holds {len(found)} files called {SHOT}", where=where, remedy="Zip one shot's folder"
        )
    return found[0]


def _pieces(archive: zipfile.ZipFile, member: zipfile.ZipInfo, where: str, most: int) -> Iterator[bytes]:
    """A member's bytes, piece by piece, never more than it says it has."""
    if member.file_size > most:
        raise FileError(f"'{member.filename}' is too large", where=where)
    left = member.file_size
    with archive.open(member) as stream:
        while piece := stream.read(min(PIECE, left + 1)):
            left -= len(piece)
            if left < 0:
                break
            yield piece
    if left != 0:
        raise FileError(f"'{member.filename}' is not as long as the zip says", where=where)


def _file(path: Path) -> bytes:
    try:
        return path.read_bytes()
    except OSError as error:
        raise FileError(f"the file cannot be read ({error.strerror})", where=str(path)) from None


def _flattened(shot: ShotFile, read: Callable[[str], Read]) -> tuple[Document, dict[str, Read]]:
    """The document with plain file names, each kept apart, and what was read of the files under these names."""
    names: dict[str, str] = {}
    files: dict[str, Read] = {}

    def renamed(name: str) -> str:
        if name not in names:
            plain = apart(plain_name(name), {SHOT, *files})
            files[plain] = read(name)
            names[name] = plain
        return names[name]

    document = shot.model_dump(mode="json")
    for holder, key in references(document):
        holder[key] = renamed(holder[key])
    return document, files
