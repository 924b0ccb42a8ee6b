"""Files to keep: under their own names, whatever script these are in."""

from __future__ import annotations

import io
from typing import BinaryIO

from flask import Response, send_file


def attachment(data: bytes | BinaryIO, name: str, kind: str = "application/octet-stream") -> Response:
    """Data as a file to keep called `name` (RFC 6266; letters beyond ASCII as RFC 8187 has them)."""
    stream = io.BytesIO(data) if isinstance(data, bytes) else data
    return send_file(stream, kind, as_attachment=True, download_name=name, etag=False)
