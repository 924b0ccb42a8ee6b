"""One run in other hands: stopped within a frame, saved, restored; a sink that is full; a crossed start."""

from __future__ import annotations

import errno
import json
from dataclasses import replace

import numpy as np
import pytest

from patient_needle.core.craft.run.inputs import parked
from patient_needle.core.model.errors import FileError, StartError
from patient_needle.core.model.shot import PlannedRun
from patient_needle.formats.shot_file import assemble  # noqa: F401 - where formats make themselves known
from patient_needle.session.folder import FolderSink
from patient_needle.session.run import Saved, Session, drive
from tests.unit.craft.test_craft import curtain, plan

SHOT = plan(frames=(1001, 1006))


class Memory:
    """A sink that keeps all in memory, and is full after so many frames."""

    def __init__(self, room: int = 1000) -> None:
        self.room, self.kept, self.at = room, {}, {}

    def latest(self, run: PlannedRun) -> Saved | None:
        return self.at.get(run.lead)

    def begin(self, run: PlannedRun) -> None:
        self.begun = run.lead

    def keep(self, run: PlannedRun, results, at: Saved) -> None:
        if len(self.kept) >= self.room:
            raise OSError(errno.ENOSPC, "No space left on device")
        for result in results:
            self.kept[result.garment, result.frame] = result.positions
        self.at[run.lead] = at

    def pause(self) -> None:
        pass


class Ended(Exception):
    """Somebody wants the core."""


def opened() -> Session:
    return Session.open(SHOT, SHOT.runs[0], None)


def after(pauses: int):
    """A pause that ends the run the `pauses`-th time."""
    left = [pauses]

    def pause() -> None:
        left[0] -= 1
        if left[0] < 0:
            raise Ended

    return pause


@pytest.mark.parametrize("pauses", [0, 1, 3])
def test_a_frame_that_was_ended_is_made_again_to_the_same_bits(pauses):
    whole, cut = opened(), opened()
    for _ in range(3):
        whole.advance()
        cut.advance()
    before = cut.at
    with pytest.raises(Ended):
        cut.advance(after(pauses))
    assert cut.at is before
    one, other = whole.advance()[0], cut.advance()[0]
    assert np.array_equal(one.state.positions, other.state.positions)
    assert np.array_equal(one.state.velocities, other.state.velocities)
    assert one.tally.cg_iterations == other.tally.cg_iterations


def test_what_is_saved_is_restored_whatever_was_done_meanwhile():
    run = opened()
    run.advance()
    saved = Saved.read(run.at.written())
    expected = run.advance()[0].positions
    upper = SHOT.garments[0].mesh.vertices[:, 1] > 0.4

    def far(inputs):
        """A clearance for which contact is looked for much further than the run itself asks."""
        around = inputs.around
        wide = lambda time: replace(around(time), clearance=np.full(around(time).count, 0.05))  # noqa: E731
        return parked(replace(inputs, around=wide), upper)

    run.advance(change=far)
    run.restore(saved)
    assert np.array_equal(run.advance()[0].positions, expected)
    again = Session.open(SHOT, SHOT.runs[0], saved)
    assert np.array_equal(again.advance()[0].positions, expected)


def test_a_full_sink_keeps_what_it_has_and_the_run_goes_on_from_there():
    whole, full = Memory(), Memory(room=4)
    drive(SHOT, whole)
    with pytest.raises(OSError, match="No space"):
        drive(SHOT, full)
    assert len(full.kept) == 4
    full.room = 1000
    drive(SHOT, full)
    assert full.kept.keys() == whole.kept.keys()
    assert all(np.array_equal(full.kept[key], whole.kept[key]) for key in whole.kept)


def test_a_folder_without_space_says_so_and_goes_on_later(tmp_path, monkeypatch):
    def run(out, *, resume=False):
        sink = FolderSink(SHOT, out, "pc2", "mark", lambda progress: None, resume=resume)
        try:
            drive(SHOT, sink)
        finally:
            sink.write_caches()
        sink.check_caches()
        return (out / "curtain.pc2").read_bytes(), [r["frame"] for r in sink.garments["curtain"].records]

    whole, frames = run(tmp_path / "whole")
    real, written = np.save, []

    def save(stream, array):
        written.append(stream)
        if len(written) == 3:
            raise OSError(errno.ENOSPC, "No space left on device", "frames")
        real(stream, array)

    monkeypatch.setattr(np, "save", save)
    with pytest.raises(FileError, match=r"cannot be written \(No space left on device\)"):
        run(tmp_path / "cut")
    monkeypatch.undo()
    assert run(tmp_path / "cut", resume=True) == (whole, frames)
    assert json.dumps(frames)


def test_cloth_through_cloth_is_never_stepped_on_from():
    two = replace(curtain(0.004), name="one"), replace(curtain(0.03), name="two", holds=())
    shot = plan(garments=two)
    run = Session.open(shot, shot.runs[0], None)
    state = run.at.state
    through = state.positions.copy()
    count = two[0].mesh.vertex_count
    through[count:] = through[:count] + np.where(through[:count, :1] > 0.15, 0.003, -0.003) * [0, 0, 1]
    with pytest.raises(StartError, match="starts through 'two' in"):
        Session.open(shot, shot.runs[0], Saved(state.replace(positions=through), run.at.frame))
