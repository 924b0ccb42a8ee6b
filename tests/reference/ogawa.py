"""An independent reader of the Ogawa container and of what Alembic puts into it: enough for one mesh.

Written from the container's layout (Alembic project, lib/Alembic/Ogawa and AbcCoreOgawa, format version 1;
layout from memory, checked against files of the reference library). It shares no code with that library.
"""

from __future__ import annotations

import struct
from pathlib import Path

import numpy as np

DATA = 1 << 63
POD = {
    1: "<u1",
    5: "<u4",
    6: "<i4",
    10: "<f4",
    11: "<f8",
}  # kinds of numbers, by their place in the format's list


class Ogawa:
    """Groups and data of one file."""

    def __init__(self, path: Path) -> None:
        self.bytes = path.read_bytes()
        assert self.bytes[:5] == b"Ogawa"
        assert self.bytes[5] == 0xFF, "the file was not closed"
        self.root = self._u64(8)

    def _u64(self, at: int) -> int:
        return struct.unpack_from("<Q", self.bytes, at)[0]

    def children(self, group: int) -> list[int]:
        """Positions of a group's children; those with the top bit are data."""
        if group == 0:
            return []
        return [self._u64(group + 8 + 8 * k) for k in range(self._u64(group))]

    def data(self, child: int) -> bytes:
        """The bytes of a data child."""
        at = child & ~DATA
        if at == 0:
            return b""
        return self.bytes[at + 8 : at + 8 + self._u64(at)]


class Node:
    """An object: its name, property group and children."""

    def __init__(self, file: Ogawa, group: int, name: str) -> None:
        self.name = name
        members = file.children(group)
        self.properties = members[0]
        names = _object_names(file.data(members[-1])[:-32])
        self.nodes = [Node(file, g, n) for g, n in zip(members[1:-1], names, strict=True)]

    def find(self, name: str) -> Node:
        """The child of that name."""
        return next(node for node in self.nodes if node.name == name)


def _object_names(header: bytes) -> list[str]:
    names, at = [], 0
    while at < len(header):
        size = struct.unpack_from("<I", header, at)[0]
        names.append(header[at + 4 : at + 4 + size].decode())
        at += 4 + size
        if header[at] == 0xFF:
            at += 4 + struct.unpack_from("<I", header, at + 1)[0]
        at += 1
    return names


def properties(file: Ogawa, group: int) -> dict[str, tuple[int, int, int]]:
    """Name -> (group, kind of number, values per element) of a compound property."""
    members = file.children(group)
    header, at, out = file.data(members[-1]), 0, {}
    for member in members[:-1]:
        info = struct.unpack_from("<I", header, at)[0]
        at += 4
        number, width = {0: ("<B", 1), 1: ("<H", 2), 2: ("<I", 4)}[(info >> 2) & 3]
        fields = 0
        if info & 3:
            fields = 1 + 2 * bool(info & 0x200) + bool(info & 0x100)
        at += fields * width
        size = struct.unpack_from(number, header, at)[0]
        name = header[at + width : at + width + size].decode()
        at += width + size
        if (info >> 20) & 0xFF == 0xFF:
            at += width + struct.unpack_from(number, header, at)[0]
        out[name] = (member, (info >> 4) & 0xF, (info >> 12) & 0xFF)
    return out


def samples(file: Ogawa, entry: tuple[int, int, int]) -> list[np.ndarray]:
    """Every stored sample of an array property, (n, values) each."""
    group, kind, extent = entry
    return [
        np.frombuffer(file.data(child)[16:], POD[kind]).reshape(-1, extent)
        for child in file.children(group)[0::2]
    ]


def mesh_samples(path: Path, *names: str) -> dict[str, list[np.ndarray]]:
    """Samples of the geometry properties of the object at /names[0]/names[1]/..."""
    file = Ogawa(path)
    node = Node(file, file.children(file.root)[2], "")
    for name in names:
        node = node.find(name)
    geometry = properties(file, properties(file, node.properties)[".geom"][0])
    return {name: samples(file, geometry[name]) for name in ("P", ".faceIndices", ".faceCounts")}


def time_samplings(path: Path) -> list[tuple[float, list[float]]]:
    """(seconds per cycle, stored times) of each time sampling."""
    file = Ogawa(path)
    data, at, out = file.data(file.children(file.root)[4]), 0, []
    while at < len(data):
        _, cycle, count = struct.unpack_from("<IdI", data, at)
        at += 16
        out.append((cycle, list(struct.unpack_from(f"<{count}d", data, at))))
        at += 8 * count
    return out
