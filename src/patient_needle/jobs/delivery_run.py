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

from ..core.craft.output.delivery import Wanted, placement, resampled
from ..core.model.errors import NeedleError, ShotError
from ..core.model.mesh import Mesh
from ..core.model.motion import FrameSource
from ..core.model.units import metres_per
from ..formats.registry import CacheTiming, write_cache
from ..formats.report.mending import accepted_by
from ..formats.shot_file.assemble import making_alone
from ..formats.shot_file.document import ShotFile
from ..session.opened import opened
from ..store import deliveries, mending, takes
from ..store.errors import FencedError
from ..store.models import Delivery, DeliveryState, Take
from ..store.session import Store
from ..store.take_frames import take_frames

log = structlog.get_logger()
FRAMES = "frames.npy"


def write_delivery(store: Store, delivery_id: int, verify: Sequence[str]) -> None:
    """Write a delivery's file and check it; `verify` is the command of a process that reads it back."""
    with store.begin() as session:
        claimed = deliveries.claim(session, delivery_id)
        if claimed is None:
            return
        delivery, lease = claimed
        take = takes.get(session, delivery.take_id)
    with TemporaryDirectory(prefix="needle-delivery-") as work:
        path: Path | None = Path(work) / f"delivery.{delivery.asked['format']}"
        try:
            checks = _written(store, delivery, take, verify, Path(work))
            good = all(check["good"] for check in checks)
            state, fault = DeliveryState.READY if good else DeliveryState.REFUSED, None
        except NeedleError as error:
            checks, path, state = [], None, DeliveryState.FAILED
            fault = {"what": error.what, "where": error.where, "remedy": error.remedy}
        try:
            with store.begin() as session:
                deliveries.finish(session, delivery_id, lease, state, checks=checks, path=path, fault=fault)
        except FencedError as error:
            log.warning(error.line(), action="delivery_fenced", delivery=delivery_id)
            return
    log.info("delivery ended", action="delivery_ended", delivery=delivery_id, state=state.value)


def _written(
    store: Store, delivery: Delivery, take: Take, verify: Sequence[str], work: Path
) -> list[dict[str, Any]]:
    """Write a delivery into `work` and have it checked; no more than a few frames are at hand at a time."""
    asked = delivery.asked
    wanted = Wanted(asked["unit"], asked["up"], asked["frame_rate"], asked["first"], asked["last"])
    with opened(store, take.shot_id, take.number) as (shot, folder):
        mesh = garment_mesh(shot, folder, delivery.garment)
        source = take_frames(store, take, delivery.garment, mesh, shot.frame_rate, wanted.first, wanted.last)
        path = work / f"delivery.{asked['format']}"
        write_source(path, source, wanted)
        keep_frames(work / FRAMES, source)  # read anew: the check stands on the take, not on what was written
        order = {
            "file": str(path), "frames": str(work / FRAMES), "shot": str(folder / "shot.json"),
            "garment": delivery.garment, "wanted": asdict(wanted), "shot_frames": [take.first, take.last],
        }  # fmt: skip
        clean = _clean(_records(store, take, delivery.garment, wanted))
        return [*_verified(verify, order), clean, *_mended(store, take, delivery.garment, wanted)]


def write_source(path: Path, source: FrameSource, wanted: Wanted) -> None:
    """Write a source's frames as wanted, in the format that the path's ending says."""
    turn = placement(wanted)
    positions = (points @ turn.T for points in resampled(source, wanted))
    unit = metres_per(wanted.unit, where="delivery")
    timing = CacheTiming(wanted.first, wanted.frame_rate, unit, wanted.up)
    write_cache(path, replace(source.mesh, name=source.mesh.name.replace(" ", "_")), positions, timing)


def keep_frames(path: Path, source: FrameSource) -> None:
    """A source's frames as an array file (f, n, 3) float32, for the process that reads the delivery back."""
    shape = (source.last - source.first + 1, source.mesh.vertex_count, 3)
    with path.open("wb") as stream:
        np.lib.format.write_array_header_1_0(stream, {"descr": "<f4", "fortran_order": False, "shape": shape})
        for frame in range(source.first, source.last + 1):
            stream.write(np.ascontiguousarray(source.at(frame), "<f4").tobytes())


def garment_mesh(shot: ShotFile, folder: Path, name: str) -> Mesh:
    """The garment as it was brought in, in metres, under the garment's name."""
    return replace(making_alone(shot, folder, name).surface, name=name)


def _records(store: Store, take: Take, garment: str, wanted: Wanted) -> list[dict[str, Any]]:
    with store.begin() as session:
        return [row.record for row in takes.frames(session, take.id, garment, wanted.first, wanted.last)]


def _verified(verify: Sequence[str], order: dict[str, Any]) -> list[dict[str, Any]]:
    done = subprocess.run(
        list(verify), input=json.dumps(order), text=True, capture_output=True, check=False, timeout=900
    )
    if done.returncode != 0:
        last = (done.stderr.strip().splitlines() or ["it ended without a word"])[-1]
        raise ShotError(f"the written file could not be read back ({last[:200]})", remedy="Try another format")
    return list(json.loads(done.stdout))


def _mended(store: Store, take: Take, garment: str, wanted: Wanted) -> list[dict[str, Any]]:
    """What was mended in a take, what was accepted as it is and with which word, and what is left."""
    with store.begin() as session:
        found, steps = mending.snag_list(session, take.id), mending.remedies(session, take.id)
        done = [one for one in steps if one.state == "kept" and one.is_on]
        said = [f"{one.verb}: {one.said}, {_crossings(one.proof)}" for one in done]
        snags = [] if found is None or found.state != "ready" else list(found.snags)
        accepted = [] if found is None else list(found.accepted)
    checks = []
    if take.mends is not None:
        text = f"{len(done)} remedies: {'; '.join(said)}" if said else "no remedy is laid over this take"
        checks.append({"name": "Mended", "said": text, "good": True})
    if not snags and found is None:
        return checks
    own = [
        s for s in snags if s["garment"] == garment and s["first"] <= wanted.last and s["last"] >= wanted.first
    ]
    words = [accepted_by(one, accepted) for one in own]
    kept = [f"{_told(one)}, accepted: {word}" for one, word in zip(own, words, strict=True) if word is not None]
    left = [_told(one) for one, word in zip(own, words, strict=True) if word is None]
    text = f"{len(left)} left{': ' + '; '.join(left) if left else ''}"
    if kept:
        text += f"; {len(kept)} accepted: {'; '.join(kept)}"
    checks.append({"name": "Snags", "said": text, "good": True, "note": bool(left)})
    return checks


def _told(snag: dict[str, Any]) -> str:
    where = f" at the {snag['where']}" if snag["where"] else ""
    return f"{snag['kind']}{where}, frames {snag['first']} to {snag['last']}, {snag['depth_mm']:.1f} mm"


def _crossings(proof: dict[str, Any] | None) -> str:
    if proof is None:
        return "not proven"
    return f"crossings {sum(proof['before'])} before, {sum(proof['after'])} after"


def _clean(records: list[dict[str, Any]]) -> dict[str, Any]:
    """What the take itself says about the delivered frames; it informs and refuses nothing."""
    inside = sum(r["intersections"]["in_the_body"] > 0 for r in records)
    itself = sum(r["intersections"]["through_itself"] > 0 for r in records)
    another = sum(r["intersections"].get("through_another", 0) > 0 for r in records)
    said = f"cloth inside a collider in {inside} of {len(records)} frames, through itself in {itself}"
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
