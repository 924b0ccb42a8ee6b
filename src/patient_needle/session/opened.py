"""A shot's revision out of the database and onto disk, as the core reads it."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from tempfile import TemporaryDirectory

from ..formats.shot_file.document import ShotFile, parse_shot
from ..formats.shot_file.parcel import write_folder
from ..store import shots
from ..store.session import Store


@contextmanager
def opened(store: Store, shot_id: int, number: int) -> Iterator[tuple[ShotFile, Path]]:
    """The shot and a folder with its files, which goes away with the block."""
    with TemporaryDirectory(prefix="needle-shot-") as folder:
        with store.begin() as session:
            document, files = shots.contents(session, shot_id, number)
            write_folder(Path(folder), document, files)
        yield parse_shot(document, f"shot {shot_id}"), Path(folder)
