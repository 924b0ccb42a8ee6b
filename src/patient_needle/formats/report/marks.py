"""Marks and patches as bytes: what mending keeps beside a take."""

from __future__ import annotations

import io

import numpy as np

from ...core.craft.mend.faults import Mark
from ...core.craft.mend.footage import Patch
from ...core.craft.mend.snags import Marks
from ...core.model.errors import FileError

NAMES = ("kind", "other", "part")


def write_marks(marks: Marks) -> bytes:
    """Marks as an array file (NPZ): a row each, their vertices and depths end to end, and a table of words."""
    rows = [(frame, mark) for frame in sorted(marks) for mark in marks[frame]]
    words = sorted({getattr(mark, name) for _, mark in rows for name in NAMES} | {""})
    number = {word: index for index, word in enumerate(words)}
    stream = io.BytesIO()
    np.savez(
        stream,
        frames=np.array(sorted(marks), np.int64),
        rows=np.array(
            [
                [
                    frame,
                    mark.garment,
                    mark.pairs,
                    len(mark.vertices),
                    *(number[getattr(mark, name)] for name in NAMES),
                ]
                for frame, mark in rows
            ],
            np.int64,
        ).reshape(-1, 7),
        strains=np.array([mark.strain for _, mark in rows], np.float64),
        vertices=np.concatenate([np.zeros(0, np.int32), *(mark.vertices for _, mark in rows)]).astype(np.int32),
        depths=np.concatenate([np.zeros(0), *(mark.depth for _, mark in rows)]),
        words=np.array(words, np.str_),
    )
    return stream.getvalue()


def read_marks(data: bytes) -> Marks:
    """What `write_marks` wrote; `FileError` for anything else."""
    try:
        with np.load(io.BytesIO(data), allow_pickle=False) as file:
            frames, rows, strains = file["frames"], file["rows"], file["strains"]
            vertices, depths, words = file["vertices"], file["depths"], file["words"]
    except (ValueError, KeyError, OSError) as error:
        raise FileError("the marks of a take cannot be read", remedy="Look for snags again") from error
    marks: Marks = {int(frame): [] for frame in frames}
    at = 0
    for row, strain in zip(rows, strains, strict=True):
        frame, garment, pairs, count = (int(value) for value in row[:4])
        kind, other, part = (str(words[index]) for index in row[4:])
        own = slice(at, at + count)
        at += count
        marks[frame].append(
            Mark(kind, garment, other, vertices[own], depths[own], pairs, part, float(strain))
        )  # fmt: skip
    return marks


def write_patch(patch: Patch) -> bytes:
    """What a remedy changes, as an array file (NPZ)."""
    stream = io.BytesIO()
    np.savez(stream, vertices=patch.vertices, frames=np.array(patch.frames, np.int64), points=patch.points)
    return stream.getvalue()


def read_patch(data: bytes) -> Patch:
    """What `write_patch` wrote."""
    with np.load(io.BytesIO(data), allow_pickle=False) as file:
        return Patch(file["vertices"], tuple(int(f) for f in file["frames"]), file["points"])
