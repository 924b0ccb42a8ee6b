"""Reading a delivery back: run as a process of its own, so that nothing of the writing is left in memory."""

from __future__ import annotations

import json
from dataclasses import asdict, replace
from pathlib import Path
from typing import TextIO

import numpy as np

from ..core.craft.delivery import Wanted, check_bodies, check_written, resampled
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
    expected = list(resampled(np.load(order["frames"]), wanted, order["shot_rate"]))
    checks = check_written(
        mesh,
        np.asarray(content.frames),
        None if content.corners is None else content.corners.tolist(),
        (content.first_frame, content.frame_rate),
        expected,
        wanted,
    )
    if all(check.good for check in checks) and any(map(_hides, document.cast)):
        plan = replace(assemble(document, shot.parent), frames=tuple(order["shot_frames"]))
        checks += check_bodies(plan, mesh, np.asarray(content.frames), wanted)
    json.dump([asdict(check) for check in checks], out)


def _hides(member: CastRecord) -> bool:
    """Whether cloth met something else than the whole member."""
    collider = member.collider
    return collider is not None and bool(collider.understudy or collider.leave_out or collider.leave_out_faces)
