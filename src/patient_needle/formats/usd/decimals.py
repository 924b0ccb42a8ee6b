"""Points as a text USD file writes them. The library keeps them in single precision, the text may say more."""

from __future__ import annotations

import re
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

TEXT = b"#usda"
MOST_BYTES = 256 << 20
ARRAY = re.compile(rb"\bpoint3[fdh]\[\]\s+points\s*=\s*\[([^\]]*)\]")
BETWEEN = bytes.maketrans(b"(),", b"   ")


def is_text(path: Path) -> bool:
    """Whether a file is USD written as text (USDA)."""
    with path.open("rb") as stream:
        return stream.read(len(TEXT)) == TEXT


def as_written(path: Path, points: NDArray[np.float32]) -> NDArray[np.float64]:
    """Points (n, 3) with all digits that the text gives them; as they are when the text does not have them."""
    plain = points.astype(np.float64)
    if len(points) == 0 or not is_text(path) or path.stat().st_size > MOST_BYTES:
        return plain
    for found in ARRAY.finditer(path.read_bytes()):
        try:
            said = np.array(found[1].translate(BETWEEN).split(), np.float64)
        except ValueError:
            continue
        if said.size == points.size and np.array_equal(said.astype(np.float32), points.ravel()):
            return said.reshape(-1, 3)
    return plain
