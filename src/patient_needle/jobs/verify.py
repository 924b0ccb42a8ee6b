"""Reading a delivery back: run as a process of its own, so that nothing of the writing is left in memory."""

from __future__ import annotations

import json
from dataclasses import asdict, replace
from pathlib import Path
from typing import TextIO

import numpy as np

from ..core.craft.output.delivery import Wanted, check_bodies, check_written, resampled, sample_count
from ..core.model.mesh import Mesh
from ..formats.frames import CacheFrames, stored_frames
from ..formats.registry import read_cache
from ..formats.shot_file.assemble import assemble
from ..formats.shot_file.document import CastRecord, read_shot_file
from .delivery_run import garment_mesh


def verify(given: TextIO, out: TextIO) -> None:
    """Read an order (JSON) from `given`, check the file it names, write the checks (JSON) to `out`."""
    order = json.load(given)
    wanted = Wanted(**order["wanted"])
    shot = Path(order["shot"])
    document = read_shot_file(shot)
    mesh = garment_mesh(document, shot.parent, order["garment"])
    content = read_cache(Path(order["file"]))
    source = kept_frames(Path(order["frames"]), mesh, document.frame_rate, wanted.first)
    checks = check_written(
        mesh,
        content.frames,
        None if content.corners is None else content.corners.tolist(),
        (content.first_frame, content.frame_rate),
        resampled(source, wanted),
        wanted,
        sample_count(wanted, source.rate),
    )
    if all(check.good for check in checks) and any(map(_hides, document.cast)):
        plan = replace(assemble(document, shot.parent), frames=tuple(order["shot_frames"]))
        checks += check_bodies(plan, mesh, content.frames, wanted)
    json.dump([asdict(check) for check in checks], out)


def kept_frames(path: Path, mesh: Mesh, rate: float, first: int) -> CacheFrames:
    """The take's frames as `keep_frames` kept them, as a source."""
    with path.open("rb") as stream:
        np.lib.format.read_magic(stream)
        shape, _, _ = np.lib.format.read_array_header_1_0(stream)
        start = stream.tell()
    frames = stored_frames(path, start, (shape[0], shape[1], 3), "<f4")
    return CacheFrames(mesh, rate, first, frames, "the take")


def _hides(member: CastRecord) -> bool:
    """Whether cloth met something else than the whole member."""
    collider = member.collider
    return collider is not None and bool(collider.understudy or collider.leave_out or collider.leave_out_faces)
