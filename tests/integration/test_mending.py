"""Mending through the API and the jobs: caches from elsewhere, snags, remedies on and off, to the bit."""

from __future__ import annotations

import hashlib
import io
import json

import numpy as np
import pytest

from patient_needle.bootstrap.mending import MendRequest, mend_shot
from patient_needle.core.model.errors import CastError, FileError, ShotError
from patient_needle.formats.pc2 import read_pc2
from patient_needle.formats.pc2.layout import write_pc2_bytes
from patient_needle.jobs.mend_run import bring_take_in, compose, do_remedy, look_for_snags
from patient_needle.session.bringing import HowRead, bring_in
from patient_needle.store import blobs, mending, takes
from patient_needle.store.models import TakeState
from tests.houses import flag_folder, short_flag

GARMENT = "signal flag"


@pytest.fixture(scope="module")
def hung(tmp_path_factory):
    """The flag as it hangs at rest for 24 frames, (24, n, 3) float32 m: it does not move at all."""
    from patient_needle.formats.shot_file.assemble import assemble
    from patient_needle.formats.shot_file.document import read_shot_file

    shot = flag_folder(tmp_path_factory.mktemp("hung") / "flag", 1024)
    plan = assemble(read_shot_file(shot), shot.parent)
    points = plan.garments[0].mesh.vertices
    return shot, np.repeat(points[None].astype(np.float32), 24, axis=0)


def written(path, frames, first=1001):
    write_pc2_bytes(path, first, (np.ascontiguousarray(frame, "<f4").tobytes() for frame in frames))
    return path


def popped(frames):
    """One vertex and what is around it, 60 mm off in frame 1012."""
    out = frames.copy()
    away = np.linalg.norm(out[0] - out[0, 300], axis=1)
    out[11] += (0.06 * np.clip(1 - away / 0.15, 0, 1)[:, None] * np.array([0.0, 0.0, 1.0])).astype(np.float32)
    return out


def brought(store, workroom, frames, **how):
    """A take made of a cache over HTTP, read by the job."""
    shot_id = short_flag(store, 1024)
    stream = io.BytesIO()
    path_bytes = _bytes(frames, stream)
    with store.begin() as session:
        sha = blobs.put(session, path_bytes)
        blobs.keep_upload(session, sha, "flag.pc2")
    client = workroom.app.test_client()
    body = {"caches": [{"garment": GARMENT, "files": {"flag.pc2": sha}, **how}]}
    answer = client.post(f"/api/shots/{shot_id}/brought-in", json=body)
    assert answer.status_code == 201, answer.json
    take_id = answer.json["id"]
    bring_take_in(store, take_id)
    return client, take_id


def _bytes(frames, stream) -> bytes:
    from pathlib import Path
    from tempfile import TemporaryDirectory

    with TemporaryDirectory() as folder:
        stream.write(written(Path(folder) / "flag.pc2", frames).read_bytes())
    return stream.getvalue()


def frames_of(store, take_id):
    with store.begin() as session:
        rows = takes.frames(session, take_id, GARMENT)
        data = blobs.many(session, [row.sha for row in rows])
    return np.stack([np.frombuffer(data[row.sha], "<f4").reshape(-1, 3) for row in rows])


def test_a_cache_is_brought_in_mended_undone_and_accepted(store, workroom, hung):
    frames = popped(hung[1])
    client, take_id = brought(store, workroom, frames)
    with store.begin() as session:
        take = takes.get(session, take_id)
        assert (take.state, take.first, take.last) == (TakeState.FINISHED, 1001, 1024)
    assert np.array_equal(frames_of(store, take_id), frames)
    look_for_snags(store, take_id)
    found = client.get(f"/api/takes/{take_id}/mending").json
    assert found["state"] == "ready"
    (jump,) = [snag for snag in found["snags"] if snag["kind"] == "jump"]
    assert (jump["first"], jump["last"]) == (1012, 1012)
    assert jump["depth"] == pytest.approx(np.sqrt(2) * 0.06, rel=0.02)

    # A remedy makes a new take; the old one keeps every bit, the new one all but its place and span.
    mended = client.post(f"/api/takes/{take_id}/mended").json["id"]
    assert mended != take_id
    body = {"verb": "smooth in time", "snag": jump["key"], "join": 2, "strength": 1}
    answer = client.post(f"/api/takes/{mended}/remedies", json=body)
    assert answer.status_code == 201
    remedy = answer.json["remedies"][0]["id"]
    do_remedy(store, remedy)
    after = client.get(f"/api/takes/{mended}/mending").json
    assert after["remedies"][0]["state"] in ("kept", "proposal")
    body = {"verb": "choose for me", "snag": jump["key"]}
    if after["remedies"][0]["state"] == "proposal":
        do_remedy(store, client.post(f"/api/takes/{mended}/remedies", json=body).json["remedies"][-1]["id"])
        after = client.get(f"/api/takes/{mended}/mending").json
    kept = next(one for one in after["remedies"] if one["state"] == "kept")
    assert [snag for snag in after["snags"] if snag["kind"] == "jump"] == []
    assert np.array_equal(frames_of(store, take_id), frames)
    now = frames_of(store, mended)
    assert np.array_equal(now[:5], frames[:5])
    assert np.array_equal(now[20:], frames[20:])
    assert not np.array_equal(now[11], frames[11])
    assert np.abs(now[11] - hung[1][11]).max() < 0.01

    # Off, it is the old take to the bit; on again, the mended one.
    client.patch(f"/api/remedies/{kept['id']}", json={"is_on": False})
    compose(store, mended, kept["id"])
    assert np.array_equal(frames_of(store, mended), frames)
    undone = client.get(f"/api/takes/{mended}/mending").json
    assert [snag["key"] for snag in undone["snags"]] == [snag["key"] for snag in found["snags"]]
    client.patch(f"/api/remedies/{kept['id']}", json={"is_on": True})
    compose(store, mended, kept["id"])
    assert np.array_equal(frames_of(store, mended), now)

    # Accepted with a word, it stays listed and is left alone by all that mends.
    told = client.post(f"/api/takes/{take_id}/accepted", json={"key": jump["key"], "word": "a gust"}).json
    assert [snag["accepted"] for snag in told["snags"] if snag["kind"] == "jump"] == ["a gust"]
    back = client.post(f"/api/takes/{take_id}/accepted/taken-back", json={"key": jump["key"]}).json
    assert [snag["accepted"] for snag in back["snags"] if snag["kind"] == "jump"] == [None]

    # A take that another one mends is not deleted under it.
    refused = client.delete(f"/api/takes/{take_id}")
    assert refused.status_code == 409
    assert "mends" in refused.json["title"] or "mends" in json.dumps(refused.json)


def test_all_is_mended_and_what_is_accepted_left_alone(store, workroom, hung):
    client, take_id = brought(store, workroom, popped(hung[1]))
    look_for_snags(store, take_id)
    jump = next(
        one for one in client.get(f"/api/takes/{take_id}/mending").json["snags"] if one["kind"] == "jump"
    )
    mended = client.post(f"/api/takes/{take_id}/mended").json["id"]
    client.post(f"/api/takes/{mended}/accepted", json={"key": jump["key"], "word": "wanted"})
    asked = client.post(f"/api/takes/{mended}/remedies", json={"verb": "mend all"}).json
    do_remedy(store, asked["remedies"][0]["id"])
    told = client.get(f"/api/takes/{mended}/mending").json
    assert told["remedies"] == []
    assert [snag["accepted"] for snag in told["snags"] if snag["kind"] == "jump"] == ["wanted"]
    client.post(f"/api/takes/{mended}/accepted/taken-back", json={"key": jump["key"]})
    asked = client.post(f"/api/takes/{mended}/remedies", json={"verb": "mend all"}).json
    do_remedy(store, asked["remedies"][0]["id"])
    told = client.get(f"/api/takes/{mended}/mending").json
    assert [one["state"] for one in told["remedies"]] == ["kept"] * len(told["remedies"]) != []
    assert [snag for snag in told["snags"] if snag["kind"] == "jump"] == []


def test_a_remedy_that_cannot_be_is_said_and_changes_nothing(store, workroom, hung):
    client, take_id = brought(store, workroom, popped(hung[1]))
    look_for_snags(store, take_id)
    mended = client.post(f"/api/takes/{take_id}/mended").json["id"]
    for body, status in (
        ({"verb": "ease out", "snag": "nowhere"}, 404),
        ({"verb": "choose for me"}, 400),
        ({"verb": "ease out", "garment": GARMENT, "vertices": [3], "first": 990, "last": 995}, 400),
        ({"verb": "iron"}, 422),
    ):
        assert client.post(f"/api/takes/{mended}/remedies", json=body).status_code in (status, 422), body
    assert client.post(f"/api/takes/{take_id}/remedies", json={"verb": "mend all"}).status_code == 409
    body = {"verb": "ease out", "garment": GARMENT, "vertices": [10_000_000], "first": 1005, "last": 1008}
    asked = client.post(f"/api/takes/{mended}/remedies", json=body).json
    do_remedy(store, asked["remedies"][-1]["id"])
    (remedy,) = client.get(f"/api/takes/{mended}/mending").json["remedies"]
    assert remedy["state"] == "failed"
    assert "vertices" in remedy["fault"]["what"]
    assert np.array_equal(frames_of(store, mended), frames_of(store, take_id))


@pytest.mark.parametrize(
    ("spoil", "how", "said"),
    [
        (lambda f: f[:, :-1], {}, "are not the garment's"),
        (lambda f: f[:, ::-1], {}, "another order"),
        (lambda f: f * 100, {}, "times as large"),
        (lambda f: np.where(np.arange(24)[:, None, None] == 6, np.nan, f).astype(np.float32), {}, "frame 1007"),
    ],
)
def test_a_cache_of_something_else_is_refused_in_words(store, workroom, hung, spoil, how, said):
    client, take_id = brought(store, workroom, spoil(hung[1]), **how)
    take = client.get(f"/api/takes/{take_id}").json
    assert take["state"] == "failed"
    told = f"{take['fault']['what']} {take['fault']['remedy']}"
    assert said in told, told
    with store.begin() as session:
        assert takes.frames(session, take_id, GARMENT) == []


def test_a_strangers_cache_comes_in(hung, tmp_path):
    """Centimetres, Z up, from frame -12."""
    shot, frames = hung
    from patient_needle.formats.shot_file.assemble import assemble
    from patient_needle.formats.shot_file.document import read_shot_file

    mesh = assemble(read_shot_file(shot), shot.parent).garments[0].mesh
    z_up = np.stack([frames[..., 0], -frames[..., 2], frames[..., 1]], axis=-1) * 100
    path = written(tmp_path / "旗.pc2", z_up, -12)
    read = bring_in([path], mesh, HowRead("cm", "z"), 1001, 24.0)
    assert read.first == -12
    np.testing.assert_allclose(read.points, frames, atol=1e-5)
    with pytest.raises(FileError, match="lies on its side"):
        bring_in([path], mesh, HowRead("cm", "y"), 1001, 24.0)


def test_headless_mending_reports_and_refuses(hung, tmp_path):
    shot, frames = hung
    cache = written(tmp_path / "flag.pc2", popped(frames))
    said: list[str] = []
    request = MendRequest(shot, (str(cache),), tmp_path / "out", HowRead())
    report = mend_shot(request, said.append)
    # The yard swings away from a flag that hangs still: that is told too, and mended.
    assert {one["kind"] for one in report["snags_before"]} == {"jump", "off its hold"}
    assert json.loads((tmp_path / "out" / "mend.json").read_text())["remedies"] == report["remedies"]
    out = np.array(read_pc2(tmp_path / "out" / f"{GARMENT}.pc2").frames)
    assert hashlib.sha256(out[20:].tobytes()).digest() == hashlib.sha256(frames[20:].tobytes()).digest()
    listing = mend_shot(
        MendRequest(shot, (f"{GARMENT}={cache}",), tmp_path / "list", HowRead(), mend=False), said.append
    )
    assert len(listing["snags_left"]) == len(report["snags_before"])
    assert not (tmp_path / "list" / f"{GARMENT}.pc2").exists()
    with pytest.raises(ShotError, match="no cache of"):
        mend_shot(MendRequest(shot, ("else=nowhere.pc2",), tmp_path / "no", HowRead()), said.append)
    assert not (tmp_path / "no").exists()
    late = written(tmp_path / "late.pc2", frames, 2001)
    with pytest.raises(CastError, match="its animation from"):
        mend_shot(MendRequest(shot, (str(late),), tmp_path / "no", HowRead()), said.append)


def test_frames_of_a_mended_take_share_what_did_not_change(store, workroom, hung):
    client, take_id = brought(store, workroom, popped(hung[1]))
    mended = client.post(f"/api/takes/{take_id}/mended").json["id"]
    with store.begin() as session:
        one, other = (takes.frames(session, each, GARMENT) for each in (take_id, mended))
        assert [row.sha for row in one] == [row.sha for row in other]
        assert mending.remedies(session, mended) == []
