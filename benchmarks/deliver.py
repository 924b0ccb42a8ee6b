"""What writing and checking a delivery takes in memory, by format and number of frames."""

from __future__ import annotations

import json
import subprocess
import sys
import tempfile
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from patient_needle.core.craft.output.delivery import Wanted, check_written, resampled, sample_count
from patient_needle.core.model.mesh import Mesh
from patient_needle.formats import alembic_cache, mdd, pc2, usd  # noqa: F401  (they register themselves)
from patient_needle.formats.registry import read_cache
from patient_needle.jobs.delivery_run import FRAMES, keep_frames, write_source
from patient_needle.jobs.verify import kept_frames

SIDE = 317  # 317 by 317 is 100,489 vertices
FORMATS = ("pc2", "mdd", "abc", "usd")
SHORT, LONG = 16, 160


@dataclass(frozen=True, eq=False)
class Waving:
    """A source of frames that are made when they are asked for; see `FrameSource`."""

    mesh: Mesh
    last: int
    rate: float = 24.0
    first: int = 0
    origin: str = "a waving sheet"

    def at(self, frame: int) -> NDArray[np.float32]:
        """A travelling wave."""
        x = self.mesh.vertices
        height = 0.05 * np.sin(9 * x[:, 0] + 0.2 * frame)
        return np.column_stack([x[:, 0], height, x[:, 2]]).astype(np.float32)


def sheet(side: int) -> Mesh:
    """A square sheet of side x side vertices."""
    grid = np.stack(np.meshgrid(*[np.linspace(0, 2, side)] * 2, indexing="ij"), -1).reshape(-1, 2)
    corner = np.arange(side * side).reshape(side, side)
    faces = np.stack([corner[:-1, :-1], corner[:-1, 1:], corner[1:, 1:], corner[1:, :-1]], -1).reshape(-1, 4)
    points = np.column_stack([grid[:, 0], np.zeros(len(grid)), grid[:, 1]])
    return Mesh("sheet", points, np.full(len(faces), 4, np.int32), faces.ravel().astype(np.int32))


def deliver() -> str:
    """Peaks of a process each that writes a delivery and of one that checks it, 16 and 160 frames."""
    lines = [
        f"## Deliveries, {SIDE * SIDE:,} vertices (bar: 160 frames under 300 MB above what a process takes "
        "before it begins)\n",
        "Peak memory in MB above that. One frame is 1.2 MB in single precision. Reading back counts the "
        "process that checks; the one that opens the file hands frames on one by one.\n",
        "| format | writing 16 | writing 160 | checking 16 | checking 160 |\n|---|---|---|---|---|",
    ]
    for ending in FORMATS:
        peaks = {}
        for frames in (SHORT, LONG):
            with tempfile.TemporaryDirectory() as work:
                for doing in ("write", "check"):
                    command = [sys.executable, "-m", "benchmarks.deliver", doing, ending, str(frames), work]
                    said = subprocess.run(command, capture_output=True, text=True, check=True).stdout
                    peaks[doing, frames] = json.loads(said)
        cells = [f"{peaks[doing, frames]:.0f}" for doing in ("write", "check") for frames in (SHORT, LONG)]
        lines.append(f"| {ending} | " + " | ".join(cells) + " |")
    return "\n".join(lines) + "\n"


def _peak() -> float:
    """MB, the most that this process has had resident."""
    lines = Path("/proc/self/status").read_text().splitlines()
    return next(int(line.split()[1]) for line in lines if line.startswith("VmHWM")) / 1024


def _do(doing: str, ending: str, frames: int, work: Path) -> float:
    source, wanted = Waving(sheet(SIDE), frames - 1), Wanted("cm", "z", 24.0, 0, frames - 1)
    path = work / f"delivery.{ending}"
    before = _peak()
    if doing == "write":
        write_source(path, source, wanted)
        keep_frames(work / FRAMES, source)
        return _peak() - before
    content = read_cache(path)
    kept = kept_frames(work / FRAMES, source.mesh, source.rate, source.first)
    corners = None if content.corners is None else content.corners.tolist()
    checks = check_written(
        source.mesh, content.frames, corners, (content.first_frame, content.frame_rate),
        resampled(kept, wanted), wanted, sample_count(wanted, source.rate),
    )  # fmt: skip
    assert all(check.good for check in checks), checks
    return _peak() - before


if __name__ == "__main__":
    print(json.dumps(_do(sys.argv[1], sys.argv[2], int(sys.argv[3]), Path(sys.argv[4]))))
