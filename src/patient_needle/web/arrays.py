"""Arrays over HTTP: raw little-endian bytes, with dtype and shape in headers."""

from __future__ import annotations

from typing import Any

from flask import Response, request

from ..desk.wire import Packed

Described = dict[int | str, dict[str, str | dict[str, dict[str, Any]]]]
DTYPE, SHAPE, FIRST_FRAME = "X-Array-Type", "X-Array-Shape", "X-First-Frame"


def array_response(packed: Packed, *, first_frame: int | None = None, lasting: bool = False) -> Response:
    """An array as a response; byte ranges (RFC 9110, 14.2) are served. lasting: it can never change."""
    response = Response(packed.data, content_type="application/octet-stream")
    response.headers[DTYPE] = packed.dtype
    response.headers[SHAPE] = ",".join(map(str, packed.shape))
    if first_frame is not None:
        response.headers[FIRST_FRAME] = str(first_frame)
    response.headers["Cache-Control"] = "private, max-age=31536000, immutable" if lasting else "no-cache"
    response.make_conditional(request, accept_ranges=True, complete_length=len(packed.data))
    return response


def binary(description: str, kind: str = "application/octet-stream") -> Described:
    """How the API's description says that an answer is not JSON."""
    content: dict[str, dict[str, Any]] = {kind: {"schema": {"type": "string", "format": "binary"}}}
    return {200: {"description": description, "content": content}}
