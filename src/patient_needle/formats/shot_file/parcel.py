"""A shot with its geometry in one folder or one zip: `shot.json` and the files it names beside it.

Zip: PKWARE APPNOTE 6.3, read and written by Python's own library. What comes in is not trusted: names may not
leave the folder, and sizes are bounded before anything is unpacked.
"""

from __future__ import annotations

import json
import re
import stat
import zipfile
from collections.abc import Iterable, Mapping
from pathlib import Path, PurePosixPath
from typing import Any, BinaryIO

from ...core.model.errors import FileError
from ..file_names import apart, plain_name
from .document import ShotFile, parse_shot

SHOT = "shot.json"
MOST_FILES = 500
MOST_BYTES = 8 << 30
MOST_JSON = 64 << 20
Document = dict[str, Any]


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
    shot = parse_shot(_json(path.read_bytes(), str(path)), str(path))
    return _flattened(shot, lambda name: _file(path.parent / name))


def read_zip(path: Path, where: str) -> tuple[Document, dict[str, bytes]]:
    """The shot of a zip and its files. `FileError` for what is no zip, leaves its folder or is too large."""
    try:
        with zipfile.ZipFile(path) as archive:
            members = _checked(archive, where)
            top = _shot_member(members, where)
            shot = parse_shot(_json(_unpacked(archive, top, where, MOST_JSON), where), where)
            beside = PurePosixPath(top.filename).parent
            return _flattened(
                shot, lambda name: _unpacked(archive, _member(members, beside / name, where), where)
            )
    except (zipfile.BadZipFile, NotImplementedError, EOFError, OSError, RuntimeError) as error:
        raise FileError(
            f"this is not a zip that can be read ({error})", where=where, remedy="Export the shot again"
        ) from None


def _checked(archive: zipfile.ZipFile, where: str) -> list[zipfile.ZipInfo]:
    members = [m for m in archive.infolist() if not m.is_dir()]
    if len(members) > MOST_FILES:
        raise FileError(f"the zip holds {len(members)} files, more than {MOST_FILES}", where=where)
    if sum(m.file_size for m in members) > MOST_BYTES:
        raise FileError(f"unpacked, the zip is larger than {MOST_BYTES >> 30} GB", where=where)
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


def _member(members: list[zipfile.ZipInfo], path: PurePosixPath, where: str) -> zipfile.ZipInfo:
    for member in members:
        if PurePosixPath(member.filename) == path:
            return member
    raise FileError(f"the shot names '{path}', which the zip does not hold", where=where)


def _unpacked(archive: zipfile.ZipFile, member: zipfile.ZipInfo, where: str, most: int = MOST_BYTES) -> bytes:
    """A member's bytes, never more than it says it has."""
    if member.file_size > most:
        raise FileError(f"'{member.filename}' is too large", where=where)
    with archive.open(member) as stream:
        data = stream.read(member.file_size + 1)
    if len(data) != member.file_size:
        raise FileError(f"'{member.filename}' is not as long as the zip says", where=where)
    return data


def _json(data: bytes, where: str) -> Any:
    try:
        return json.loads(data)
    except ValueError as error:
        raise FileError(f"{SHOT} is not JSON ({error})", where=where, remedy="Export the shot again") from None


def _file(path: Path) -> bytes:
    try:
        return path.read_bytes()
    except OSError as error:
        raise FileError(f"the file cannot be read ({error.strerror})", where=str(path)) from None


def _flattened(shot: ShotFile, read: Any) -> tuple[Document, dict[str, bytes]]:
    """The document with plain file names, each kept apart, and the files' bytes under these names."""
    names: dict[str, str] = {}
    files: dict[str, bytes] = {}

    def renamed(name: str) -> str:
        if name not in names:
            plain = apart(plain_name(name), {SHOT, *files})
            files[plain] = read(name)
            names[name] = plain
        return names[name]

    document = shot.model_dump(mode="json")
    for member in document["cast"]:
        member["file"] = renamed(member["file"])
        if member["cache"]:
            member["cache"] = renamed(member["cache"])
        if member["motion"]:
            member["motion"]["file"] = renamed(member["motion"]["file"])
        for shape in member["shapes"]:
            if shape["file"]:
                shape["file"] = renamed(shape["file"])
    for garment in document["garments"]:
        if garment.get("finished"):
            garment["finished"]["cache"] = renamed(garment["finished"]["cache"])
    for garment in document["garments"]:
        garment["file"] = renamed(garment["file"])
        for step in (step for chalk in garment["maps"] for step in chalk["steps"] if step["from_file"]):
            step["from_file"]["file"] = renamed(step["from_file"]["file"])
    return document, files
