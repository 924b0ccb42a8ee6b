"""Writing a delivery, and having a fresh process read it back."""

from __future__ import annotations

import json
import subprocess
from collections.abc import Sequence
from dataclasses import asdict, replace
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

import numpy as np
import structlog
from numpy.typing import NDArray

from ..core.craft.delivery import Wanted, placement, resampled
from ..core.model.errors import NeedleError, ShotError
from ..core.model.mesh import Mesh
from ..core.model.units import metres_per
from ..formats.registry import CacheTiming, write_cache
from ..formats.shot_file.assemble import assemble_garment
from ..formats.shot_file.document import ShotFile
from ..store import blobs, deliveries, takes
from ..store.errors import FencedError, MissingError
from ..store.models import Delivery, DeliveryState, Take
from ..store.session import Store
from .opened import opened

log = structlog.get_logger()


def write_delivery(store: Store, delivery_id: int, verify: Sequence[str]) -> None:
    """Write a delivery's file and check it; `verify` is the command of a process that reads it back."""
    with store.begin() as session:
        claimed = deliveries.claim(session, delivery_id)
        if claimed is None:
            return
        delivery, lease = claimed
        take = takes.get(session, delivery.take_id)
    try:
        checks, data = _written(store, delivery, take, verify)
        good = all(check["good"] for check in checks)
        state, fault = DeliveryState.READY if good else DeliveryState.REFUSED, None
    except NeedleError as error:
        checks, data, state = [], None, DeliveryState.FAILED
        fault = {"what": error.what, "where": error.where, "remedy": error.remedy}
    try:
        with store.begin() as session:
            deliveries.finish(session, delivery_id, lease, state, checks=checks, data=data, fault=fault)
    except FencedError as error:
        log.warning(error.line(), action="delivery_fenced", delivery=delivery_id)
        return
    log.info("delivery ended", action="delivery_ended", delivery=delivery_id, state=state.value)


def _written(
    store: Store, delivery: Delivery, take: Take, verify: Sequence[str]
) -> tuple[list[dict[str, Any]], bytes]:
    asked = delivery.asked
    wanted = Wanted(asked["unit"], asked["up"], asked["frame_rate"], asked["first"], asked["last"])
    with opened(store, take.shot_id, take.number) as (shot, folder):
        mesh = garment_mesh(shot, folder, delivery.garment)
        frames, records = _frames(store, take, delivery.garment, wanted, mesh)
        with TemporaryDirectory(prefix="needle-delivery-") as work:
            path = Path(work) / f"delivery.{asked['format']}"
            turn = placement(wanted)
            positions = (points @ turn.T for points in resampled(frames, wanted, shot.frame_rate))
            unit = metres_per(wanted.unit, where="delivery")
            timing = CacheTiming(wanted.first, wanted.frame_rate, unit, wanted.up)
            named = replace(mesh, name=mesh.name.replace(" ", "_"))
            write_cache(path, named, positions, timing)
            np.save(Path(work) / "frames.npy", frames)
            order = {
                "file": str(path), "frames": str(Path(work) / "frames.npy"), "shot": str(folder / "shot.json"),
                "garment": delivery.garment, "wanted": asdict(wanted), "shot_rate": shot.frame_rate,
                "shot_frames": [take.first, take.last],
            }  # fmt: skip
            return [*_verified(verify, order), _clean(records)], path.read_bytes()


def garment_mesh(shot: ShotFile, folder: Path, name: str) -> Mesh:
    """The garment as it was brought in, in metres, under the garment's name."""
    for record in shot.garments:
        if record.name == name:
            return replace(assemble_garment(record, shot, folder).mesh, name=name)
    raise ShotError(f"the shot has no garment '{name}'", remedy="Choose one of the take's garments")


def _frames(
    store: Store, take: Take, garment: str, wanted: Wanted, mesh: Mesh
) -> tuple[NDArray[np.float32], list[dict[str, Any]]]:
    with store.begin() as session:
        rows = takes.frames(session, take.id, garment, wanted.first, wanted.last)
        if [row.frame for row in rows] != list(range(wanted.first, wanted.last + 1)):
            raise MissingError(
                f"the take does not have every frame from {wanted.first} to {wanted.last}",
                where=f"'{take.name}'",
                remedy="Let the take finish, or deliver a shorter range",
            )
        data = blobs.many(session, [row.sha for row in rows])
        records = [row.record for row in rows]
    frames = np.stack([np.frombuffer(data[row.sha], "<f4").reshape(-1, 3) for row in rows])
    if frames.shape[1] != mesh.vertex_count:
        raise ShotError(f"the take has {frames.shape[1]} points, the garment {mesh.vertex_count} vertices")
    return frames, records


def _verified(verify: Sequence[str], order: dict[str, Any]) -> list[dict[str, Any]]:
    done = subprocess.run(
        list(verify), input=json.dumps(order), text=True, capture_output=True, check=False, timeout=900
    )
    if done.returncode != 0:
        last = (done.stderr.strip().splitlines() or ["it ended without a word"])[-1]
        raise ShotError(f"the written file could not be read back ({last[:200]})", remedy="Try another format")
    return list(json.loads(done.stdout))


def _clean(records: list[dict[str, Any]]) -> dict[str, Any]:
    """What the take itself says about the delivered frames; it informs and refuses nothing."""
    inside = sum(r["intersections"]["in_the_body"] > 0 for r in records)
    itself = sum(r["intersections"]["through_itself"] > 0 for r in records)
    another = sum(r["intersections"].get("through_another", 0) > 0 for r in records)
    said = f"cloth in what it collides with in {inside} of {len(records)} frames, through itself in {itself}"
    said += f", through another garment in {another}" if another else ""
    stretched = sum(any(s["kind"] == "overstretch" for s in r["snags"]) for r in records)
    worst = max(r["stretch"]["worst"] for r in records)
    said += f"; the worst edge stretches {100 * worst:.1f} %"
    said += f", overstretched in {stretched} of the frames" if stretched else ""
    return {
        "name": "Clean cloth",
        "said": said,
        "good": True,
        "note": inside + itself + another + stretched > 0,
    }
