"""Files made to take long or to need much: python -m tests.bombs FOLDER tells what reading each took.

A stranger's file need not be damaged to do harm. Each of these is small, most are valid, and each asks for work
that grows faster than the file.
"""

from __future__ import annotations

import base64
import json
import math
import os
import resource
import struct
import subprocess
import sys
import zlib
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np

ROOT = Path(__file__).parents[1]
TRIANGLE = "v 0 0 0\nv 1 0 0\nv 0 1 0\n"


@dataclass(frozen=True)
class Cost:
    """What reading took: s of the processor, bytes beyond those of a harmless file, and how it ended."""

    seconds: float
    memory: int
    ended: str


def costs_of(folder: Path) -> dict[str, Cost]:
    """What reading each file of a folder takes, by its name; read as when a file is brought in and cast."""
    done = subprocess.run(
        [sys.executable, "-m", "tests.bombs", str(folder)], capture_output=True, text=True, timeout=600,
        check=False, cwd=ROOT,
    )  # fmt: skip
    assert done.returncode == 0, done.stderr[-2000:]
    return {name: Cost(*cost) for name, cost in json.loads(done.stdout.splitlines()[-1]).items()}


# ---- OBJ ----


def _ring(count: int) -> str:
    turns = (2 * math.pi * k / count for k in range(count))
    radii = (1 + 0.5 * (k * 7919 % 97) / 97 for k in range(count))
    return "".join(
        f"v {r * math.cos(t):.6f} {r * math.sin(t):.6f} 0\n" for t, r in zip(turns, radii, strict=True)
    )


def huge_face(count: int) -> str:
    """One face of so many corners."""
    return _ring(count) + "f " + " ".join(map(str, range(1, count + 1))) + "\n"


def groups_of_a_face(groups: int, faces: int) -> str:
    """So many names in one statement, before so many faces."""
    names = " ".join(f"g{k}" for k in range(groups))
    return f"{TRIANGLE}g {names}\n" + faces * "f 1 2 3\n"


def apart(count: int) -> str:
    """So many triangles, each a group, a border and a piece of its own."""
    rows = []
    for k in range(count):
        x, y = k % 100, k // 100
        rows.append(f"v {x} {y} 0\nv {x + 0.5} {y} 0\nv {x} {y + 0.5} 0\ng part{k}\nf -3 -2 -1\n")
    return "".join(rows)


# ---- glTF ----


def gltf(nodes: list[dict], **more: object) -> str:
    """A skinned triangle with the nodes and whatever else of the description."""
    arrays = [
        (np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0]], "<f4"), 5126, "VEC3"),
        (np.zeros((3, 4), "<u2"), 5123, "VEC4"),
        (np.tile(np.array([1, 0, 0, 0], "<f4"), (3, 1)), 5126, "VEC4"),
        (np.array([0, 10], "<f4"), 5126, "SCALAR"),
        (np.array([[0, 0, 0, 1], [0, 0, 0.1, 0.995]], "<f4"), 5126, "VEC4"),
        (np.array([0, 1e9], "<f4"), 5126, "SCALAR"),
    ]
    views, accessors, blob = [], [], b""
    for array, component, kind in arrays:
        views.append({"buffer": 0, "byteOffset": len(blob), "byteLength": array.nbytes})
        accessors.append(
            {"bufferView": len(views) - 1, "componentType": component, "count": len(array), "type": kind}
        )
        blob += array.tobytes()
    attributes = {"POSITION": 0, "JOINTS_0": 1, "WEIGHTS_0": 2}
    uri = "data:application/octet-stream;base64," + base64.b64encode(blob).decode()
    return json.dumps(
        {
            "asset": {"version": "2.0"}, "nodes": nodes, "accessors": accessors, "bufferViews": views,
            "buffers": [{"byteLength": len(blob), "uri": uri}],
            "meshes": [{"primitives": [{"attributes": attributes}]}], **more,
        }
    )  # fmt: skip


def _turning(joints: int, times: int = 3) -> dict[str, object]:
    channels = [{"sampler": 0, "target": {"node": k, "path": "rotation"}} for k in range(joints)]
    return {"animations": [{"samplers": [{"input": times, "output": 4}], "channels": channels}]}


def chain(joints: int, times: int = 3) -> str:
    """So many joints, each the child of the one before, all of them turning."""
    nodes: list[dict] = [{"name": f"j{k}", "children": [k + 1]} for k in range(joints - 1)] + [{}]
    nodes.append({"name": "body", "mesh": 0, "skin": 0})
    return gltf(nodes, skins=[{"joints": list(range(joints))}], **_turning(joints, times))


def namesakes(count: int) -> str:
    """So many nodes of one name that show the same mesh."""
    return gltf([{"name": "same", "mesh": 0} for _ in range(count)])


def many_shapes(count: int) -> str:
    """A mesh of so many shapes."""
    targets = [{"POSITION": 0} for _ in range(count)]
    mesh = {"primitives": [{"attributes": {"POSITION": 0}, "targets": targets}]}
    return gltf([{"mesh": 0}], meshes=[mesh])


# ---- USD ----

FACE = (
    "int[] faceVertexCounts = [3]\nint[] faceVertexIndices = [0, 1, 2]\n"
    "point3f[] points = [(0, 0, 0), (1, 0, 0), (0, 1, 0)]\n"
)


def subsets(count: int) -> str:
    """A mesh with so many groups of faces."""
    each = "".join(
        f'def GeomSubset "s{k}" {{\nuniform token elementType = "face"\nint[] indices = [0]\n}}\n'
        for k in range(count)
    )
    return f'#usda 1.0\ndef Mesh "m" {{\n{FACE}{each}}}\n'


def deep(levels: int) -> str:
    """A mesh so far down."""
    return (
        "#usda 1.0\n"
        + "".join(f'def Xform "x{k}" {{\n' for k in range(levels))
        + f'def Mesh "m" {{\n{FACE}}}\n'
        + levels * "}\n"
    )


def meshes(count: int) -> str:
    """So many meshes."""
    return "#usda 1.0\n" + "".join(f'def Mesh "m{k}" {{\n{FACE}}}\n' for k in range(count))


def odd_counts() -> str:
    """Counts that do not agree with each other."""
    counts = "int[] faceVertexCounts = [1000000000, -3]\nint[] faceVertexIndices = [0]\n"
    return f'#usda 1.0\ndef Mesh "m" {{\n{counts}point3f[] points = [(0, 0, 0)]\n}}\n'


# ---- others ----


def png(side: int) -> bytes:
    """A black picture of 16 bits, that many pixels to a side."""

    def chunk(kind: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

    head = chunk(b"IHDR", struct.pack(">IIBBBBB", side, side, 16, 0, 0, 0, 0))
    packer = zlib.compressobj(9)
    row = bytes(1 + 2 * side)
    data = b"".join(packer.compress(row) for _ in range(side)) + packer.flush()
    return b"\x89PNG\r\n\x1a\n" + head + chunk(b"IDAT", data) + chunk(b"IEND", b"")


def ply(count: int) -> str:
    """A head that claims so many vertices."""
    properties = "".join(f"property float {name}\n" for name in "xyzw")
    return f"ply\nformat binary_little_endian 1.0\nelement vertex {count}\n{properties}end_header\nabc"


BOMBS: dict[str, Callable[[], str | bytes]] = {
    "huge_face.obj": lambda: huge_face(20_000),
    "too_huge_face.obj": lambda: huge_face(60_000),
    "groups_of_a_face.obj": lambda: groups_of_a_face(2000, 2000),
    "few_groups_of_many_faces.obj": lambda: groups_of_a_face(60, 20_000),
    "apart.obj": lambda: apart(2000),
    "long_name.obj": lambda: f"o {'x' * 2_000_000}\n{TRIANGLE}f 1 2 3\n",
    "long_line.obj": lambda: "v " + "1 " * 3_000_000,
    "far.obj": lambda: f"{TRIANGLE}v 1e300 0 0\nf 1 2 4\n",
    "whole_numbers.obj": lambda: f"{TRIANGLE}f 1 2 {10**30}\n",
    "short_lines.obj": lambda: 300_000 * "v 0 0 0\n" + "f 1 2 3\n",
    "chain.gltf": lambda: chain(5000),
    "endless.gltf": lambda: chain(100, 5),
    "namesakes.gltf": lambda: namesakes(5000),
    "many_shapes.gltf": lambda: many_shapes(2000),
    "nested.gltf": lambda: "[" * 200_000,
    "nested_objects.gltf": lambda: '{"nodes":' * 50_000,
    "claims.gltf": lambda: gltf(
        [{"mesh": 0}], accessors=[{"componentType": 5126, "count": 10**12, "type": "VEC3"}] * 3
    ),
    "subsets.usda": lambda: subsets(3000),
    "deep.usda": lambda: deep(400),
    "meshes.usda": lambda: meshes(2000),
    "odd_counts.usda": odd_counts,
    "long_name.usda": lambda: f'#usda 1.0\ndef Mesh "{"x" * 500_000}" {{\n{FACE}}}\n',
    "claims.ply": lambda: ply(2**31),
    "wide.png": lambda: png(8192),
    "too_wide.png": lambda: png(9000),
    "nan.pc2": lambda: struct.pack("<12siiffi", b"POINTCACHE2\0", 1, 1, math.nan, 1.0, 1) + bytes(12),
    "claims.pc2": lambda: struct.pack("<12siiffi", b"POINTCACHE2\0", 1, 2**31 - 1, 0.0, 1.0, 2**31 - 1),
    "claims.mdd": lambda: struct.pack(">ii", 2**31 - 1, 2**31 - 1),
}


def write_all(folder: Path) -> None:
    """All of the files, in `folder`."""
    for name, made in BOMBS.items():
        data = made()
        (folder / name).write_bytes(data if isinstance(data, bytes) else data.encode())


HARMLESS: dict[str, str] = {
    ".obj": f"{TRIANGLE}f 1 2 3\n",
    ".gltf": gltf([{"mesh": 0}]),
    ".usda": f'#usda 1.0\ndef Mesh "m" {{\n{FACE}}}\n',
}


def _read(path: Path) -> str:
    """What the desk does with a file: list it, cast it, wear it."""
    from patient_needle.core.model.errors import NeedleError
    from patient_needle.core.model.swatch_book import BOOK
    from patient_needle.desk.open_shot import read_open_shot
    from patient_needle.formats.registry import list_contents
    from patient_needle.formats.shot_file.document import parse_shot
    from patient_needle.formats.shot_file.fabrics import record_of

    try:
        contents = list_contents(path)
    except NeedleError as error:
        return f"refused: {error.what}"
    if not contents.pieces:
        return "read"
    mesh, fabric = contents.pieces[0].name, record_of(BOOK[0].fabric).model_dump(mode="json")
    piece = {"name": "a", "file": path.name, "mesh": mesh if path.suffix != ".obj" else None}
    document = {
        "format": "patient-needle-shot", "version": 1, "name": "bomb", "frames": [0, 10], "fabrics": [fabric],
        "cast": [piece | {"kind": "set piece"}],
        "garments": [piece | {"name": "g", "fabric": fabric["name"]}],
    }  # fmt: skip
    try:
        opened = read_open_shot(parse_shot(document, "bomb"), path.parent)
    except NeedleError as error:
        return f"refused: {error.what}"
    return f"read, {len(opened.faults)} faults"


def _cost(path: Path) -> Cost:
    """Read one file in a child of this process; the readers' own processes are its children."""
    gave, given = os.pipe()
    child = os.fork()
    if child == 0:
        from patient_needle.formats import isolated as elsewhere

        said = _read(path)
        elsewhere.close_all()
        own, others = (resource.getrusage(who) for who in (resource.RUSAGE_SELF, resource.RUSAGE_CHILDREN))
        seconds = sum(used.ru_utime + used.ru_stime for used in (own, others))
        os.write(given, json.dumps([seconds, 1024 * max(own.ru_maxrss, others.ru_maxrss), said]).encode())
        os._exit(0)
    os.close(given)
    with os.fdopen(gave, "rb") as stream:
        said = stream.read()
    _, status = os.waitpid(child, 0)
    code = os.waitstatus_to_exitcode(status)
    return Cost(*json.loads(said)) if code == 0 else Cost(math.inf, 1 << 62, f"ended with {code}")


def main() -> None:
    """Read every file of a folder; print what each took beyond a harmless one of its kind, as JSON."""
    from patient_needle.bootstrap import environment

    environment.prepare()
    import patient_needle.desk.open_shot  # noqa: F401 - its children need not load it

    folder = Path(sys.argv[1])
    out, plain = {}, {}
    for path in sorted(folder.iterdir()):
        if path.suffix not in plain:
            small = folder / f".harmless{path.suffix}"
            small.write_text(HARMLESS.get(path.suffix, ""))
            plain[path.suffix] = _cost(small)
        cost, less = _cost(path), plain[path.suffix]
        out[path.name] = [cost.seconds - less.seconds, cost.memory - less.memory, cost.ended]
    print(json.dumps(out))  # noqa: T201


if __name__ == "__main__":
    main()
