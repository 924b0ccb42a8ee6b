"""What the store keeps, against a real PostgreSQL."""

from __future__ import annotations

import hashlib

import pytest
from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from sqlalchemy import select, text
from sqlalchemy.exc import IntegrityError

from patient_needle.store import blobs, deliveries, events, shots, takes
from patient_needle.store.errors import ConflictError, FencedError, MissingError
from patient_needle.store.models import Base, Blob, Checkpoint, DeliveryState, TakeState
from tests.houses import MADE_WITH, short_flag


def take_of(session, shot_id, **changes):
    asked = {"name": None, "patience": "first-look", "first_simulated": 999, "first": 1001, "last": 1006}
    return takes.create(session, shot_id, 1, **(asked | changes), garments=1)


def frame(session, lease, number, data=b"abc", checkpoint=b"state"):
    return takes.commit_frame(
        session, lease, takes.Progress(number - 998, 0.5, "simulating"), garment="flag", frame=number,
        positions=data, record={"frame": number, "delivered": number > 1000}, checkpoint=checkpoint,
    )  # fmt: skip


def test_the_migrations_make_what_the_models_say(store):
    with store.engine.connect() as connection:
        context = MigrationContext.configure(
            connection, opts={"include_name": lambda n, k, _: k != "table" or not n.startswith("procrastinate")}
        )
        assert compare_metadata(context, Base.metadata) == []
        stored = connection.execute(
            text(
                "select attstorage from pg_attribute"
                " where attrelid = 'blob_chunks'::regclass and attname = 'data'"
            )
        ).scalar()
    assert stored in ("e", b"e")  # external: out of line, not compressed


@pytest.mark.parametrize("size", [0, 1, blobs.CHUNK, blobs.CHUNK + 1, 3 * blobs.CHUNK])
def test_blobs_come_back_as_they_were_put(store, size):
    data = bytes(i % 251 for i in range(size))
    with store.begin() as session:
        sha = blobs.put(session, data)
        assert blobs.put(session, data) == sha == hashlib.sha256(data).hexdigest()
    with store.begin() as session:
        assert blobs.get(session, sha) == data
        assert blobs.many(session, [sha]) == {sha: data}
        with pytest.raises(MissingError):
            blobs.get(session, "0" * 64)


def test_an_edit_is_a_new_revision_and_can_be_taken_back(store):
    shot_id = short_flag(store)
    with store.begin() as session:
        first = shots.revision(session, shot_id)
        changed = first.document | {"frames": [1001, 1004]}
        second = shots.edit(session, shot_id, 1, changed, {}, "Shorter")
        assert (second.number, second.before, second.said) == (2, 1, "Shorter")
        assert shots.files(session, shot_id, 2) == shots.files(session, shot_id, 1)
        assert shots.undo(session, shot_id, 2).document["frames"] == [1001, 1006]
        assert shots.redo(session, shot_id, 1).document["frames"] == [1001, 1004]
        with pytest.raises(ConflictError, match="nothing to redo"):
            shots.redo(session, shot_id, 2)


def test_an_edit_after_undo_starts_a_new_branch(store):
    shot_id = short_flag(store)
    with store.begin() as session:
        document = shots.revision(session, shot_id).document
        shots.edit(session, shot_id, 1, document | {"frames": [1001, 1004]}, {}, "Shorter")
        shots.undo(session, shot_id, 2)
        shots.edit(session, shot_id, 1, document | {"frames": [1001, 1003]}, {}, "Shorter still")
        assert shots.get(session, shot_id).head == 3
        assert shots.undo(session, shot_id, 3).number == 1
        assert shots.redo(session, shot_id, 1).document["frames"] == [1001, 1003]


def test_who_edits_an_old_revision_is_told(store):
    shot_id = short_flag(store)
    with store.begin() as session:
        document = shots.revision(session, shot_id).document
        shots.edit(session, shot_id, 1, document | {"frames": [1001, 1004]}, {}, "Shorter")
    with store.begin() as session, pytest.raises(ConflictError, match="another window"):
        shots.edit(session, shot_id, 1, document, {}, "Late")


def test_a_document_may_not_name_what_was_not_brought_in(store):
    shot_id = short_flag(store)
    with store.begin() as session:
        document = shots.revision(session, shot_id).document
        document["garments"][0]["recipe"]["file"] = "ghost.obj"
    with pytest.raises(MissingError, match=r"ghost\.obj"), store.begin() as session:
        shots.edit(session, shot_id, 1, document, {}, "Ghost")
    with store.begin() as session:
        assert shots.get(session, shot_id).head == 1


def test_only_the_latest_lease_may_write(store):
    shot_id = short_flag(store)
    with store.begin() as session:
        take_id = take_of(session, shot_id).id
    with store.begin() as session:
        _, old = takes.claim(session, take_id, MADE_WITH)
    with store.begin() as session:
        frame(session, old, 999)
    with store.begin() as session:
        _, new = takes.claim(session, take_id, MADE_WITH)
    with pytest.raises(FencedError), store.begin() as session:
        frame(session, old, 1000)
    with store.begin() as session:
        assert frame(session, new, 1000, b"new") == "run"
        assert [f.frame for f in takes.frames(session, take_id, "flag")] == [999, 1000]
    with pytest.raises(FencedError), store.begin() as session:
        takes.finish(session, old, TakeState.FINISHED)


def test_the_latest_and_every_tenth_checkpoint_stay(store):
    shot_id = short_flag(store)
    with store.begin() as session:
        take_id = take_of(session, shot_id, last=1030).id
        _, lease = takes.claim(session, take_id, MADE_WITH)
    for number in range(999, 1023):
        with store.begin() as session:
            frame(session, lease, number, checkpoint=str(number).encode())
    with store.begin() as session:
        kept = session.scalars(select(Checkpoint.frame).order_by(Checkpoint.frame)).all()
        assert kept == [1000, 1010, 1020, 1022]
        assert takes.latest_checkpoint(session, take_id, "flag") == (1022, b"1022")


def test_stop_go_on_and_extend(store):
    shot_id = short_flag(store)
    with store.begin() as session:
        take_id = take_of(session, shot_id).id
        assert takes.stop(session, take_id).state is TakeState.STOPPED
        with pytest.raises(ConflictError, match="not running"):
            takes.stop(session, take_id)
        assert takes.go_on(session, take_id, None, 1).state is TakeState.WAITING
        _, lease = takes.claim(session, take_id, MADE_WITH)
        takes.stop(session, take_id)
        assert frame(session, lease, 999) == "stop"
        takes.finish(session, lease, TakeState.FINISHED)
        with pytest.raises(ConflictError, match="finished"):
            takes.go_on(session, take_id, None, 1)
        with pytest.raises(ConflictError, match="already goes to"):
            takes.go_on(session, take_id, 1003, 1)
        assert takes.go_on(session, take_id, 1010, 1).total == 12


def test_deleting_frees_what_nothing_else_uses(store):
    shot_id = short_flag(store)
    with store.begin() as session:
        kept = session.scalars(select(Blob.sha)).all()
        one, two = take_of(session, shot_id).id, take_of(session, shot_id).id
        for take_id, data in ((one, [b"a", b"shared"]), (two, [b"b", b"shared"])):
            _, lease = takes.claim(session, take_id, MADE_WITH)
            for number, piece in enumerate(data):
                frame(session, lease, 999 + number, piece)
            takes.finish(session, lease, TakeState.STOPPED)
    with store.begin() as session:
        takes.remove(session, one)
    with store.begin() as session:
        left = set(session.scalars(select(Blob.sha))) - set(kept)
        assert left == {hashlib.sha256(x).hexdigest() for x in (b"b", b"shared")}
        shots.remove(session, shot_id)
    with store.begin() as session:
        assert session.scalars(select(Blob.sha)).all() == []


def test_a_running_take_cannot_be_deleted(store):
    shot_id = short_flag(store)
    with store.begin() as session:
        take_id = take_of(session, shot_id).id
        takes.claim(session, take_id, MADE_WITH)
    with pytest.raises(ConflictError, match="Stop it first"), store.begin() as session:
        takes.remove(session, take_id)


@pytest.mark.parametrize(
    "wrong",
    [{"first": 1007}, {"first_simulated": 1002}, {"patience": "x" * 17}],
    ids=["range", "run-in", "long"],
)
def test_the_database_itself_refuses_nonsense(store, wrong):
    shot_id = short_flag(store)
    from sqlalchemy.exc import DataError

    with pytest.raises((IntegrityError, DataError)), store.begin() as session:
        take_of(session, shot_id, **wrong)


def test_events_tell_in_order_what_changed(store):
    shot_id = short_flag(store)
    with store.begin() as session:
        take_of(session, shot_id)
    with store.begin() as session:
        found = events.since(session, 0)
        assert [e.body["kind"] for e in found] == ["shots", "take"]
        assert events.since(session, found[0].id)[0].body["shot"] == shot_id
        session.execute(
            text("update events set made_at = now() - interval '2 hours' where id = :i"), {"i": found[0].id}
        )
        events.prune(session)
        assert len(events.since(session, 0)) == 1


def test_a_delivery_is_written_by_one_worker(store, tmp_path):
    shot_id = short_flag(store)
    path = tmp_path / "new"
    path.write_bytes(b"new")
    with store.begin() as session:
        made = deliveries.create(session, take_of(session, shot_id).id, "flag", {"unit": "m"}, "flag.abc")
        _, old = deliveries.claim(session, made.id)
        _, new = deliveries.claim(session, made.id)
        with pytest.raises(FencedError):
            deliveries.finish(session, made.id, old, DeliveryState.READY, checks=[], path=path)
        deliveries.finish(session, made.id, new, DeliveryState.READY, checks=[{"good": True}], path=path)
        session.refresh(made)
        assert blobs.get(session, made.sha) == b"new"
        assert deliveries.claim(session, made.id) is None
