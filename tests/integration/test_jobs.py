"""Takes and deliveries done by the job code, against headless runs and independent readers."""

from __future__ import annotations

import subprocess
import sys

import numpy as np
import pytest
from sqlalchemy import select, text
from sqlalchemy.exc import OperationalError

from patient_needle.bootstrap.headless import Request, simulate_shot
from patient_needle.core.model.tolerances import ALL
from patient_needle.formats.pc2 import read_pc2
from patient_needle.jobs.delivery_run import write_delivery
from patient_needle.jobs.queue import queue_take, requeue_lost
from patient_needle.jobs.take_run import run_take
from patient_needle.session.busy import Busy, fitting_moves
from patient_needle.store import blobs, deliveries, shots, takes
from patient_needle.store.errors import DISK_FULL
from patient_needle.store.models import Checkpoint, DeliveryState, TakeState
from tests.houses import MADE_WITH, flag_folder, short_flag, two_flags
from tests.reference.ogawa import mesh_samples

AWAY = OperationalError("insert", {}, Exception("server closed the connection"))
VERIFY = (sys.executable, "-m", "patient_needle.bootstrap.verify_process")
GARMENT = "signal flag"


@pytest.fixture
def shot(store):
    return short_flag(store)


def make_take(store, shot_id, last=1006, garments=1):
    with store.begin() as session:
        number = shots.get(session, shot_id).head
        return takes.create(
            session, shot_id, number, name=None, patience="first-look", first_simulated=999, first=1001,
            last=last, garments=garments,
        ).id  # fmt: skip


def positions(store, take_id, first=None, garment=GARMENT):
    with store.begin() as session:
        rows = takes.frames(session, take_id, garment, first)
        data = blobs.many(session, [row.sha for row in rows])
    return np.stack([np.frombuffer(data[row.sha], "<f4").reshape(-1, 3) for row in rows])


def state(store, take_id):
    with store.begin() as session:
        return takes.get(session, take_id)


def headless(tmp_path, last=1006):
    shot = flag_folder(tmp_path / "flag", last)
    simulate_shot(Request(shot, tmp_path / "out"), lambda _: None)
    return np.array(read_pc2(tmp_path / "out" / f"{GARMENT}.pc2").frames)


def stop_after(store, take_id, frames):
    """Stand in for an artist who presses Stop when so many frames are there."""

    def asked():
        with store.begin() as session:
            if takes.get(session, take_id).done >= frames and takes.get(session, take_id).wanted == "run":
                takes.stop(session, take_id)
        return False

    return asked


def test_a_take_is_bit_for_bit_a_headless_run(store, shot, tmp_path):
    take_id = make_take(store, shot)
    run_take(store, take_id, MADE_WITH)
    take = state(store, take_id)
    assert (take.state, take.done, take.total) == (TakeState.FINISHED, 8, 8)
    assert np.array_equal(positions(store, take_id, 1001), headless(tmp_path))


def test_stopped_and_gone_on_gives_the_same_bits(store, shot, tmp_path):
    take_id = make_take(store, shot)
    run_take(store, take_id, MADE_WITH, stop_after(store, take_id, 4))
    take = state(store, take_id)
    assert take.state is TakeState.STOPPED
    assert 4 <= take.done < 8
    with store.begin() as session:
        takes.go_on(session, take_id, None, 1)
    run_take(store, take_id, MADE_WITH)
    assert np.array_equal(positions(store, take_id, 1001), headless(tmp_path))


def test_garments_of_one_run_stop_and_go_on_together(store):
    shot_id = two_flags(store)
    whole, stopped = (make_take(store, shot_id, garments=2) for _ in range(2))
    run_take(store, whole, MADE_WITH)
    run_take(store, stopped, MADE_WITH, stop_after(store, stopped, 7))
    assert state(store, stopped).state is TakeState.STOPPED
    with store.begin() as session:
        kept = session.scalars(select(Checkpoint.garment).where(Checkpoint.take_id == stopped)).all()
        takes.go_on(session, stopped, None, 2)
    assert set(kept) == {GARMENT}  # one state for both
    run_take(store, stopped, MADE_WITH)
    take = state(store, stopped)
    assert (take.state, take.done, take.total) == (TakeState.FINISHED, 16, 16)
    for garment in (GARMENT, "second flag"):
        assert np.array_equal(
            positions(store, whole, garment=garment), positions(store, stopped, garment=garment)
        )


def test_a_worker_that_leaves_gives_the_take_back(store, shot, tmp_path):
    take_id = make_take(store, shot)
    run_take(store, take_id, MADE_WITH, lambda: state(store, take_id).done >= 3)
    assert state(store, take_id).state is TakeState.WAITING
    with store.begin() as session:
        jobs = (
            session.execute(text("select args from procrastinate_jobs where status = 'todo'")).scalars().all()
        )
    assert jobs == [{"take_id": take_id}]
    run_take(store, take_id, MADE_WITH)
    assert np.array_equal(positions(store, take_id, 1001), headless(tmp_path))


def test_an_extended_take_is_the_longer_run(store, shot, tmp_path):
    take_id = make_take(store, shot, last=1004)
    run_take(store, take_id, MADE_WITH)
    with store.begin() as session:
        takes.go_on(session, take_id, 1006, 1)
    run_take(store, take_id, MADE_WITH)
    assert np.array_equal(positions(store, take_id, 1001), headless(tmp_path))


def test_a_fenced_worker_writes_nothing_more(store, shot):
    take_id = make_take(store, shot)

    def taken_over():
        take = state(store, take_id)
        if (take.done, take.lease) == (3, 1):
            with store.begin() as session:
                takes.claim(session, take_id, MADE_WITH)
        return False

    run_take(store, take_id, MADE_WITH, taken_over)
    take = state(store, take_id)
    assert (take.state, take.done, take.lease) == (TakeState.RUNNING, 3, 2)


def test_a_take_of_a_shot_with_a_fault_says_what_and_where(store, shot):
    with store.begin() as session:
        document = shots.revision(session, shot).document
        shots.edit(session, shot, 1, document | {"frames": [1001, 1200]}, {}, "Too long")
    take_id = make_take(store, shot, last=1200)
    run_take(store, take_id, MADE_WITH)
    take = state(store, take_id)
    assert take.state is TakeState.FAILED
    assert "its animation from 1001 to 1048" in take.fault["what"]
    assert take.fault["where"] == "'yard'"


def test_another_engine_does_not_go_on_with_a_take(store, shot):
    take_id = make_take(store, shot)
    run_take(store, take_id, MADE_WITH, stop_after(store, take_id, 3))
    with store.begin() as session:
        takes.go_on(session, take_id, None, 1)
    run_take(store, take_id, MADE_WITH | {"engine": "other"})
    take = state(store, take_id)
    assert take.state is TakeState.FAILED
    assert "another engine" in take.fault["what"]


class _Full(Exception):
    sqlstate = DISK_FULL


@pytest.mark.parametrize(
    ("error", "says"),
    [
        (OperationalError("insert", {}, _Full("no space left")), "the disk is full"),
        (ZeroDivisionError("a fault of ours"), r"ZeroDivisionError: a fault of ours"),
    ],
)
def test_what_stops_a_run_is_said_and_its_frames_stay(store, shot, monkeypatch, error, says):
    take_id, committed = make_take(store, shot), takes.commit_frame

    def failing(session, lease, progress, **given):
        if given["frame"] == 1002:
            raise error
        return committed(session, lease, progress, **given)

    monkeypatch.setattr(takes, "commit_frame", failing)
    run_take(store, take_id, MADE_WITH)
    take = state(store, take_id)
    assert (take.state, take.done) == (TakeState.FAILED, 3)
    assert says in take.fault["what"]
    with store.begin() as session:
        assert requeue_lost(session) == []


def test_a_run_whose_database_went_away_is_left_for_the_next_worker(store, shot, monkeypatch):
    take_id = make_take(store, shot)
    monkeypatch.setattr(takes, "commit_frame", lambda *_, **__: (_ for _ in ()).throw(AWAY))
    with pytest.raises(OperationalError):
        run_take(store, take_id, MADE_WITH)
    assert state(store, take_id).state is TakeState.RUNNING
    with store.begin() as session:
        assert requeue_lost(session) == [("takes", take_id)]


def test_work_without_a_job_is_queued_again(store, shot):
    take_id = make_take(store, shot)
    with store.begin() as session:
        assert requeue_lost(session) == [("takes", take_id)]
    with store.begin() as session:
        assert requeue_lost(session) == []
        queue_take(session, take_id)


def deliver(store, take_id, **asked):
    wanted = {"format": "abc", "unit": "cm", "up": "z", "frame_rate": 24.0, "first": 1001, "last": 1006} | asked
    with store.begin() as session:
        made = deliveries.create(session, take_id, GARMENT, wanted, f"flag.{wanted['format']}").id
    write_delivery(store, made, VERIFY)
    with store.begin() as session:
        found = deliveries.get(session, made)
        return found, None if found.sha is None else blobs.get(session, found.sha)


@pytest.fixture
def take(store, shot):
    take_id = make_take(store, shot)
    run_take(store, take_id, MADE_WITH)
    return take_id


def test_an_alembic_delivery_in_centimetres_z_up(store, take, tmp_path):
    found, data = deliver(store, take)
    assert found.state is DeliveryState.READY
    assert [check["good"] for check in found.checks] == [True] * 6
    path = tmp_path / "flag.abc"
    path.write_bytes(data)
    points = np.stack([p.reshape(-1, 3) for p in mesh_samples(path, "signal_flag", "signal_flagShape")["P"]])
    ours = positions(store, take, 1001)
    assert points.shape == ours.shape
    expected = ours[:, :, [0, 2, 1]] * [100, -100, 100]
    np.testing.assert_allclose(points, expected, atol=2e-5)


def test_a_pc2_delivery_at_another_rate_follows_the_cubic(store, take, tmp_path):
    found, data = deliver(store, take, format="pc2", unit="mm", up="y", frame_rate=48.0)
    assert found.state is DeliveryState.READY
    path = tmp_path / "flag.pc2"
    path.write_bytes(data)
    frames = np.array(read_pc2(path).frames)
    ours = positions(store, take, 1001) * 1000.0
    assert len(frames) == 11
    np.testing.assert_allclose(frames[::2], ours, atol=2e-3)
    # Catmull and Rom 1974, halfway: (-p0 + 9 p1 + 9 p2 - p3) / 16.
    middle = (-ours[1] + 9 * ours[2] + 9 * ours[3] - ours[4]) / 16
    np.testing.assert_allclose(frames[5], middle, atol=2e-3)


@pytest.mark.parametrize(("ending", "faces"), [("usd", True), ("mdd", False)])
def test_other_formats_pass_every_check_too(store, take, ending, faces):
    found, data = deliver(store, take, format=ending, unit="cm", up="z")
    assert found.state is DeliveryState.READY, found.checks
    assert len(data) > 1000
    order = next(check for check in found.checks if check["name"] == "Vertex order")
    assert ("faces name the same" in order["said"]) == faces


def test_a_delivery_of_frames_that_are_not_there_fails_in_words(store, take):
    found, data = deliver(store, take, last=1020)
    assert (found.state, data) == (DeliveryState.FAILED, None)
    assert "does not have every frame from 1001 to 1020" in found.fault["what"]


def test_patience_of_a_take_is_its_own(store, shot):
    assert set(ALL) == {"first-look", "working", "final"}
    with store.begin() as session:
        take_id = takes.create(
            session, shot, 1, name="Careful", patience="working", first_simulated=999, first=1001, last=1002,
            garments=1,
        ).id  # fmt: skip
    run_take(store, take_id, MADE_WITH)
    with store.begin() as session:
        substeps = [r["substeps"] for r in takes.records(session, take_id)[GARMENT]]
    assert substeps[0] == 0
    assert min(substeps[1:]) >= 8


def test_a_take_stands_still_while_hands_are_on_cloth_and_goes_on_to_the_same_bits(store, shot, tmp_path):
    take = make_take(store, shot)
    asked = []

    def waits() -> bool:
        asked.append(state(store, take).phase if len(asked) in (30, 31, 32) else "")
        return 20 <= len(asked) <= 32

    run_take(store, take, MADE_WITH, asked_to_wait=waits)
    assert state(store, take).state is TakeState.FINISHED
    assert asked[31] == "waiting while a fitting moves"
    assert np.array_equal(positions(store, take, 1001), headless(tmp_path))


def test_a_take_that_waits_can_be_stopped(store, shot):
    take = make_take(store, shot)
    asked = []

    def waits() -> bool:
        asked.append(1)
        if len(asked) == 8:
            with store.begin() as session:
                takes.stop(session, take)
        return len(asked) > 4

    run_take(store, take, MADE_WITH, asked_to_wait=waits)
    assert state(store, take).state is TakeState.STOPPED


def test_a_lock_says_whether_a_fitting_moves_and_goes_with_its_process(tmp_path):
    assert not fitting_moves(tmp_path)
    busy = Busy(tmp_path)
    busy.take()
    busy.take()
    assert fitting_moves(tmp_path)
    busy.give()
    assert not fitting_moves(tmp_path)
    holder = (
        "import sys, time; from pathlib import Path; from patient_needle.session.busy import Busy;"
        "Busy(Path(sys.argv[1])).take(); print('held', flush=True); time.sleep(60)"
    )
    with subprocess.Popen([sys.executable, "-c", holder, str(tmp_path)], stdout=subprocess.PIPE) as process:
        assert process.stdout.readline() == b"held\n"
        assert fitting_moves(tmp_path)
        process.kill()
    assert not fitting_moves(tmp_path)
