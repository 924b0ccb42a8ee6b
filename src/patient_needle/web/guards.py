"""Guards of the API: our own pages only, bodies of bounded size, JSON of bounded depth."""

from __future__ import annotations

import json
from typing import Any
from urllib.parse import urlsplit

from apiflask import APIFlask
from flask import Request, Response, request
from flask.json.provider import DefaultJSONProvider

from ..core.model.errors import FileError
from ..formats.files import finite, read_json
from .problems import NotJsonError, problem
from .services import services

LARGEST_UPLOAD = 1 << 30  # bytes
LARGEST_OTHER = 8 << 20
STATE_CHANGES = ("PUT", "POST", "PATCH", "DELETE")
ROOM_LEFT = 256 << 20  # bytes that must stay free on the disk


def register(app: APIFlask) -> None:
    """Refuse other hosts (DNS rebinding), other sites' pages, and bodies that are too large."""
    app.before_request(refused)

    @app.after_request
    def _headers(response: Response) -> Response:
        response.headers["X-Content-Type-Options"] = "nosniff"
        response.headers["Referrer-Policy"] = "same-origin"
        response.headers["Cross-Origin-Opener-Policy"] = "same-origin"
        response.headers["Cross-Origin-Resource-Policy"] = "same-origin"
        response.headers.setdefault(
            "Content-Security-Policy",
            "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data: blob:; "
            "connect-src 'self'; object-src 'none'; base-uri 'none'; form-action 'self'; "
            "frame-ancestors 'none'",
        )
        return response


def refused() -> Response | None:
    """Why the request is refused, as far as its head tells; None when it is not."""
    return _host() or _origin() or _size()


def _host() -> Response | None:
    name = request.host.rsplit(":", 1)[0] if not request.host.endswith("]") else request.host
    if name in services().hosts:
        return None
    return problem(421, f"this is not {name}", remedy="Open the address that ./needle up printed")


def _origin() -> Response | None:
    """A browser says of every call where it comes from (Fetch Metadata; RFC 6454); programs say nothing."""
    site, mode = request.headers.get("Sec-Fetch-Site"), request.headers.get("Sec-Fetch-Mode")
    opened = mode == "navigate" and request.method == "GET" and not request.path.startswith("/api/")
    if site in ("cross-site", "same-site") and not opened:
        return _foreign()
    origin = request.headers.get("Origin")
    if origin is None or request.method not in STATE_CHANGES:
        return None
    return None if urlsplit(origin).netloc == request.host else _foreign()


def foreign_socket() -> Response | None:
    """Why a socket is refused. A browser lets any page open one, and says where the page comes from (RFC 6455,
    10.2).
    """
    origin = request.headers.get("Origin")
    return None if origin is None or urlsplit(origin).netloc == request.host else _foreign()


def _foreign() -> Response:
    return problem(403, "the call comes from another site's page", remedy="Use Patient Needle's own page")


def _size() -> Response | None:
    if request.method not in STATE_CHANGES:
        return None
    length, upload = request.content_length, request.mimetype == "application/octet-stream"
    if length is None and "Transfer-Encoding" in request.headers:
        return problem(411, "the size of what is sent is not said", remedy="Send a Content-Length")
    most = LARGEST_UPLOAD if upload else LARGEST_OTHER
    if length is not None and length > most:
        return problem(
            413, f"this is {_size_said(length)}, more than the {_size_said(most)} that can be sent",
            remedy="Take out what the costume does not touch, or cut the range, and export again"
            if upload else "Send less at once",
        )  # fmt: skip
    if upload and length is not None and services().free_space() < 2 * length + ROOM_LEFT:
        return problem(
            507, "there is not enough room on the disk for this", remedy="Delete takes or free space"
        )
    return None


def _size_said(count: int) -> str:
    """Bytes in a unit that does not round them away."""
    for unit, size in (("GB", 1e9), ("MB", 1e6), ("kB", 1e3)):
        if count >= size:
            return f"{count / size:.3g} {unit}"
    return f"{count} bytes"


class JsonRequest(Request):
    """A request whose JSON, when it cannot be taken, is refused with the reason."""

    def on_json_loading_failed(self, e: ValueError | None) -> Any:
        """See `flask.Request`."""
        raise NotJsonError(str(e) if e else "it is not JSON", where="the request", remedy="Send it as JSON")


class BoundedJson(DefaultJSONProvider):
    """Numbers that JSON has no word for go out as null, and nesting without end does not come in."""

    def loads(self, s: str | bytes, **kwargs: Any) -> Any:  # noqa: ARG002
        """What a request's body says; `ValueError` when it cannot be taken."""
        try:
            return read_json(s.encode() if isinstance(s, str) else s, "the request")
        except FileError as error:
            raise ValueError(error.what) from None

    def dumps(self, obj: Any, **kwargs: Any) -> str:
        """JSON of any value that can be said in it."""
        try:
            return super().dumps(obj, **kwargs, allow_nan=False)
        except ValueError:
            return super().dumps(finite(json.loads(super().dumps(obj, **kwargs))), **kwargs)
