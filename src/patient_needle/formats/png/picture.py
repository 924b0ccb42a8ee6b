"""Grey pictures of 8 or 16 bits."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image, UnidentifiedImageError

from ...core.model.errors import FileError
from ..contents import Contents, Stated
from ..files import read_bytes, replacing

MOST = 8192  # pixels to a side
GREYS = {"1": 1.0, "L": 255.0, "I;16": 65535.0, "I": 65535.0}


def read_picture(path: Path) -> tuple[NDArray[Any], float]:
    """A grey picture (h, w), its first row on top, in the numbers of its file, and the one that means white.

    `FileError` when it is none, or has colours.
    """
    with _opened(path) as picture:
        return np.asarray(picture), GREYS[picture.mode]


def list_picture(path: Path) -> Contents:
    """Its size; `FileError` as of `read_picture`."""
    with _opened(path) as picture:
        picture.load()  # all of it must be there
        return Contents(Stated(), (), picture=picture.size)


@contextmanager
def _opened(path: Path) -> Iterator[Image.Image]:
    read_bytes(path)
    try:
        with Image.open(path, formats=["PNG"]) as picture:
            width, height = picture.size
            if max(width, height) > MOST:
                raise FileError(
                    f"the picture has {width} by {height} pixels, more than {MOST}", where=str(path),
                    remedy="Make it smaller",
                )  # fmt: skip
            if picture.mode not in GREYS:
                raise FileError(
                    f"the picture is not grey, it has the channels {' '.join(picture.getbands())}",
                    where=str(path), remedy="Save it as a grey PNG of 16 bits, without transparency",
                )  # fmt: skip
            yield picture
    except (UnidentifiedImageError, OSError, SyntaxError, ValueError, Image.DecompressionBombError) as error:
        raise FileError(
            f"this cannot be read as PNG ({error})", where=str(path), remedy="Save it again"
        ) from None


def write_picture(path: Path, picture: NDArray[np.float64]) -> None:
    """Write a picture (h, w) from 0 to 1 in 16 bits of grey."""
    levels = np.round(np.clip(picture, 0.0, 1.0) * 65535.0).astype(np.uint16)
    with replacing(path) as part:
        Image.fromarray(levels).save(part, format="PNG")
