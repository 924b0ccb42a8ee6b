"""Frames that are read as they are asked for: which file reads happen, what stays, and what a window keeps."""

import os
import pickle
import sys
from concurrent.futures import ThreadPoolExecutor

import numpy as np
import pytest

from patient_needle.core.geometry.motion import CachedMotion
from patient_needle.core.model.errors import FileError, ShotError
from patient_needle.core.model.motion import KEPT, Window
from patient_needle.formats.frames import AT_ONCE, CacheFrames, LazyFrames, lasting, stored_frames
from tests.sheets import polygons

FRAMES = np.random.default_rng(3).normal(size=(40, 5, 3)).astype(np.float32)
MESH = polygons("five", FRAMES[0].astype(float), [(0, 1, 2), (2, 3, 4)])


def stored(path, start=7) -> LazyFrames:
    path.write_bytes(bytes(start) + FRAMES.tobytes())
    return stored_frames(path, start, FRAMES.shape, "<f4")


def test_any_order_of_asking_gives_the_frames_of_the_file(tmp_path):
    frames = stored(tmp_path / "a")
    (tmp_path / "a").unlink()  # the name may go: the file stays open
    for index in (0, 39, 7, 8, -1, 17, 0):
        assert np.array_equal(frames[index], FRAMES[index])
    assert np.array_equal(np.asarray(frames), FRAMES)
    assert len(list(frames)) == len(frames) == 40
    assert lasting(frames) is frames
    with pytest.raises(IndexError):
        frames[40]


def test_only_what_is_asked_for_is_read():
    asked = []

    def read(span: slice) -> np.ndarray:
        asked.append((span.start, span.stop))
        return FRAMES[span]

    frames = LazyFrames(FRAMES.shape, read)
    motion = CachedMotion(MESH.vertices, frames, 0)
    for time in np.arange(6.0, 10.0, 0.25):  # across the edge of two windows
        motion.at(float(time))
    assert asked == [(0, AT_ONCE), (AT_ONCE, 2 * AT_ONCE)]
    assert np.array_equal(lasting(frames), FRAMES)


def test_threads_that_look_at_different_frames_do_not_take_them_from_each_other():
    """Two windows are kept and six threads look at five: one is let go whenever another is looked at."""
    frames, window = (
        LazyFrames(FRAMES.shape, lambda span: FRAMES[span]),
        Window(CacheFrames(MESH, 24, 0, FRAMES, "a")),
    )
    before = sys.getswitchinterval()
    sys.setswitchinterval(1e-6)
    try:

        def look(seed: int) -> bool:
            order = np.random.default_rng(seed).integers(0, len(FRAMES), 4000)
            return all(frames[k] is not None and window[k] is not None for k in order.tolist())

        with ThreadPoolExecutor(6) as threads:
            assert all(threads.map(look, range(6)))
    finally:
        sys.setswitchinterval(before)


def test_a_file_that_shrinks_is_an_error_and_nothing_is_pickled_unasked(tmp_path):
    frames = stored(tmp_path / "a")
    os.truncate(tmp_path / "a", 200)
    with pytest.raises(FileError, match="ends too soon"):
        frames[39]
    with pytest.raises(TypeError, match="cannot be pickled"):
        pickle.dumps(frames)


def test_a_source_names_itself_when_it_does_not_have_a_frame():
    source = CacheFrames(MESH, 24.0, 1001, FRAMES, "cache 'a.pc2'")
    assert source.last == 1040
    assert np.array_equal(source.at(1040), FRAMES[39])
    with pytest.raises(ShotError, match=r"cache 'a.pc2'.*frames 1001 to 1040, not 1041"):
        source.at(1041)


def test_a_window_keeps_the_latest_few():
    asked = []

    class Counting(CacheFrames):
        def at(self, frame: int):
            asked.append(frame)
            return super().at(frame)

    window = Window(Counting(MESH, 24.0, 0, FRAMES, "counted"))
    for index in (0, 1, 2, 1, 0, 2):
        window[index]
    assert asked == [0, 1, 2]
    for index in range(KEPT + 1):
        window[index]
    window[0]
    assert asked == [*range(KEPT + 1), 0]
    with pytest.raises(IndexError):
        window[-1]
