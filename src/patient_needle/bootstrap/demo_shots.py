"""The demo's shots, put into a workroom that has none."""

from __future__ import annotations

from pathlib import Path

from ..formats.shot_file.parcel import read_folder
from ..store import blobs, shots
from ..store.session import Store

SHOTS = (
    "lamplighter/shot.json",
    "flag/shot.json",
    "lamplighter/layers.json",
    "lamplighter/fastened.json",
    "lamplighter/gust.json",
    "lamplighter/smock.json",
)


def load_demo(store: Store, folder: Path) -> list[str]:
    """Bring the demo's shots in when there are no shots at all; returns their names."""
    with store.begin() as session:
        if shots.listed(session):
            return []
    names = []
    for name in SHOTS:
        document, files = read_folder(folder / name)
        with store.begin() as session:
            shots.create(session, document, {n: blobs.put(session, d) for n, d in files.items()})
        names.append(document["name"])
    return names
