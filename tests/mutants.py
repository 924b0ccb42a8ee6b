"""Damaged files of every format, read in a process of their own: python -m tests.mutants FORMAT COUNT FOLDER

Each mutant must give a valid read or one `NeedleError`, soon and without running out of memory. The child
prints the number of the mutant at hand, so that a crash is blamed on the right one.
"""

from __future__ import annotations

import resource
import signal
import subprocess
import sys
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from patient_needle.core.model.errors import NeedleError
from patient_needle.core.model.mesh import Mesh
from patient_needle.formats.contents import FigureAsk
from patient_needle.formats.registry import (
    CacheTiming,
    list_contents,
    read_cache,
    read_figure,
    write_cache,
    write_mesh,
)
from patient_needle.formats.shot_file import assemble  # noqa: F401  (registers the formats)

DEMO = Path(__file__).parents[1] / "demo"
SECONDS = 5  # for one mutant
MEMORY = 6 << 30  # bytes of address space
FORMATS = ("usdc", "usda", "abc", "glb", "gltf", "obj", "pc2", "mdd")  # what takes longest first


@dataclass(frozen=True)
class Outcome:
    """How many mutants were read, how many refused, and what went wrong, empty when nothing did."""

    read: int
    refused: int
    wrong: str


def run(kind: str, count: int, folder: Path) -> Outcome:
    """Read `count` mutants in a child process."""
    command = [sys.executable, "-m", "tests.mutants", kind, str(count), str(folder)]
    child = subprocess.run(
        command, capture_output=True, text=True, errors="replace", timeout=60 + 0.2 * count, check=False,
        cwd=Path(__file__).parents[1],
    )  # fmt: skip
    lines = child.stdout.split()
    read, refused = lines.count("read"), lines.count("refused")
    wrong = "" if child.returncode == 0 and read + refused == count else child.stderr[-2000:]
    if child.returncode != 0:
        last = [word for word in lines if word.isdigit()]
        wrong = f"mutant {last[-1] if last else '?'} ended the process ({child.returncode}): {wrong}"
    return Outcome(read, refused, wrong)


def whole(kind: str, folder: Path) -> Path:
    """A valid file of the format, small."""
    path = folder / f"whole.{kind}"
    mesh, frames = _sheet()
    if kind == "glb":
        path.write_bytes((DEMO / "flag" / "yard.glb").read_bytes())
    elif kind == "gltf":
        _as_text(DEMO / "flag" / "yard.glb", path)
    elif kind == "obj":
        write_mesh(path, mesh)
    elif kind in ("usda", "usdc"):
        made = folder / "whole.usd"
        write_cache(made, mesh, iter(frames), CacheTiming(1001, 24))
        _converted(made, path)
    else:
        write_cache(path, mesh, iter(frames), CacheTiming(1001, 24))
    return path


def mutated(data: bytes, seed: int) -> bytes:
    """The same bytes with one to four places cut off, changed, doubled or filled with one value."""
    rng = np.random.default_rng(seed)
    out = bytearray(data)
    for _ in range(int(rng.integers(1, 5))):
        if len(out) < 2:
            break
        at = int(rng.integers(0, len(out)))
        if rng.random() < 0.5:  # heads hold what readers trust
            at = int(rng.integers(0, min(len(out), 512)))
        span = int(rng.integers(1, 17))
        what = int(rng.integers(0, 5))
        if what == 0:
            del out[at:]
        elif what == 1:
            out[at : at + span] = rng.integers(0, 256, len(out[at : at + span]), dtype=np.uint8).tobytes()
        elif what == 2:
            out[at : at + span] = bytes([int(rng.choice([0, 1, 127, 128, 255]))]) * len(out[at : at + span])
        elif what == 3:
            out[at:at] = out[at : at + 4 * span]
        else:
            del out[at : at + span]
    return bytes(out)


def _sheet() -> tuple[Mesh, list[np.ndarray]]:
    grid = np.stack(np.meshgrid(np.arange(6), np.arange(6), indexing="ij"), -1).reshape(-1, 2)
    points = np.column_stack([grid * 0.1, np.zeros(36)])
    cells = [(6 * i + j, 6 * i + j + 6, 6 * i + j + 7, 6 * i + j + 1) for i in range(5) for j in range(5)]
    mesh = Mesh(
        "sheet", points, np.full(25, 4, np.int32), np.array(cells, np.int32).ravel(),
        groups={"left": np.arange(10, dtype=np.int32)},
    )  # fmt: skip
    return mesh, [points + [0, 0, 0.01 * k] for k in range(8)]


def _as_text(glb: Path, path: Path) -> None:
    import base64

    import pygltflib

    document = pygltflib.GLTF2.load(str(glb))
    blob = document.binary_blob()
    document.buffers[0].uri = "data:application/octet-stream;base64," + base64.b64encode(blob).decode()
    path.write_text(document.to_json())


def _converted(made: Path, path: Path) -> None:
    from pxr import Usd

    Usd.Stage.Open(str(made)).Export(str(path))


def _read(path: Path) -> str:
    found: list[Callable[[], object]] = [lambda: list_contents(path)]
    if path.suffix in (".pc2", ".mdd"):
        found.append(lambda: np.asarray(read_cache(path).frames).sum())
    else:
        found.append(lambda: read_figure(path, FigureAsk(rate=24.0)))
    try:
        for read in found:
            read()
    except NeedleError:
        return "refused"
    return "read"


class Late(BaseException):
    """Not an `Exception`, which readers' guards would take for damage."""


def _late(*_: object) -> None:
    raise Late(f"a mutant took more than {SECONDS} s")


def main(kind: str, count: int, folder: Path) -> None:
    """Read mutants 0 to count - 1."""
    np.seterr(all="ignore")
    data = whole(kind, folder).read_bytes()
    assert _read(folder / f"whole.{kind}") == "read"
    resource.setrlimit(resource.RLIMIT_AS, (MEMORY, MEMORY))
    signal.signal(signal.SIGALRM, _late)
    for seed in range(count):
        path = folder / f"mutant{seed}.{kind}"
        path.write_bytes(mutated(data, seed))
        print(seed, flush=True)  # noqa: T201
        signal.alarm(SECONDS)
        print(_read(path), flush=True)  # noqa: T201
        signal.alarm(0)
        path.unlink()


if __name__ == "__main__":
    main(sys.argv[1], int(sys.argv[2]), Path(sys.argv[3]))
