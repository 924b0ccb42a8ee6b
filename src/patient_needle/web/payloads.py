"""Arrays and files over HTTP: raw little-endian bytes with dtype and shape in headers; files to keep."""

from __future__ import annotations

import io
import math
from collections.abc import Iterator
from itertools import chain
from typing import Any, BinaryIO

from flask import Response, request, send_file, stream_with_context

from ..desk.wire import Message, Packed

Described = dict[int | str, dict[str, str | dict[str, dict[str, Any]]]]
ITEM = 4  # bytes of a number
DTYPE, SHAPE, FIRST_FRAME = "X-Array-Type", "X-Array-Shape", "X-First-Frame"


def array_response(packed: Packed, *, first_frame: int | None = None, lasting: bool = False) -> Response:
    """An array as a response; byte ranges (RFC 9110, 14.2) are served. lasting: it can never change."""
    response = Response(packed.data, content_type="application/octet-stream")
    response.headers[DTYPE] = packed.dtype
    return _said(response, packed.shape, len(packed.data), first_frame, lasting=lasting)


def array_stream(
    messages: Iterator[Message], name: str, *, first_frame: int | None = None, lasting: bool = False
) -> Response:
    """An array that comes in several messages, the first of which says the shape of all; sent as it comes.

    Whoever gives them up in between sends fewer bytes than were said: the page sees it as a broken answer.
    """
    first = next(messages)
    shape = tuple(first.body["shape"])
    pieces = (message.arrays[name].data for message in chain([first], messages))
    response = Response(stream_with_context(pieces), content_type="application/octet-stream")
    length = ITEM * math.prod(shape)
    response.content_length = length
    response.headers[DTYPE] = first.arrays[name].dtype
    return _said(response, shape, length, first_frame, lasting=lasting)


def _said(
    response: Response, shape: tuple[int, ...], length: int, first_frame: int | None, *, lasting: bool
) -> Response:
    response.headers[SHAPE] = ",".join(map(str, shape))
    if first_frame is not None:
        response.headers[FIRST_FRAME] = str(first_frame)
    response.headers["Cache-Control"] = "private, max-age=31536000, immutable" if lasting else "no-cache"
    response.make_conditional(request, accept_ranges=True, complete_length=length)
    return response


def binary(description: str, kind: str = "application/octet-stream") -> Described:
    """How the API's description says that an answer is not JSON."""
    content: dict[str, dict[str, Any]] = {kind: {"schema": {"type": "string", "format": "binary"}}}
    return {200: {"description": description, "content": content}}


def attachment(data: bytes | BinaryIO, name: str, kind: str = "application/octet-stream") -> Response:
    """Data as a file to keep called `name` (RFC 6266; letters beyond ASCII as RFC 8187 has them)."""
    stream = io.BytesIO(data) if isinstance(data, bytes) else data
    return send_file(stream, kind, as_attachment=True, download_name=name, etag=False)
