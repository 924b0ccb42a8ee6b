"""Who may call: pages of our own, under our own name, with a body of bounded size."""

from __future__ import annotations

from urllib.parse import urlsplit

from apiflask import APIFlask
from flask import Response, request

from .problems import problem
from .services import services

LARGEST_UPLOAD = 1 << 30  # bytes
LARGEST_OTHER = 8 << 20
ROOM_LEFT = 256 << 20  # bytes that must stay free on the disk


def register(app: APIFlask) -> None:
    """Refuse other hosts (DNS rebinding), other origins (other sites' pages), and bodies that are too large."""

    @app.before_request
    def _check() -> Response | None:
        return _host() or _origin() or _size()

    @app.after_request
    def _headers(response: Response) -> Response:
        response.headers["X-Content-Type-Options"] = "nosniff"
        response.headers["Referrer-Policy"] = "same-origin"
        response.headers.setdefault(
            "Content-Security-Policy",
            "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data: blob:; "
            "connect-src 'self'; frame-ancestors 'none'",
        )
        return response


def _host() -> Response | None:
    name = request.host.rsplit(":", 1)[0] if not request.host.endswith("]") else request.host
    if name in services().hosts:
        return None
    return problem(421, f"this is not {name}", remedy="Open the address that ./needle up printed")


def _origin() -> Response | None:
    origin = request.headers.get("Origin")
    if origin is None or request.method in ("GET", "HEAD", "OPTIONS"):
        return None
    if urlsplit(origin).netloc == request.host:
        return None
    return problem(403, "the call comes from another site's page", remedy="Use Patient Needle's own page")


def _size() -> Response | None:
    if request.method not in ("PUT", "POST", "PATCH"):
        return None
    length, upload = request.content_length, request.mimetype == "application/octet-stream"
    if upload and length is None and "Transfer-Encoding" in request.headers:
        return problem(411, "the size of what is brought in is not said", remedy="Send a Content-Length")
    most = LARGEST_UPLOAD if upload else LARGEST_OTHER
    if length is not None and length > most:
        return problem(
            413, f"this is {length / 1e9:.1f} GB, more than the {most / 1e9:.1f} GB that can be brought in",
            remedy="Take out what the costume does not touch, or cut the range, and export again",
        )  # fmt: skip
    if upload and length is not None and services().free_space() < 2 * length + ROOM_LEFT:
        return problem(
            507, "there is not enough room on the disk for this", remedy="Delete takes or free space"
        )
    return None
