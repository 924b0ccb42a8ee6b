"""The built front end: files as they are, and the page itself for every address of its own."""

from __future__ import annotations

from pathlib import Path

from flask import Blueprint, Response, send_from_directory
from werkzeug.security import safe_join

from .problems import problem
from .services import services

blueprint = Blueprint("front", __name__)


@blueprint.get("/")
@blueprint.get("/<path:name>")
def front(name: str = "") -> Response:
    """A file of the front end, or its page."""
    static = services().static
    if name.startswith("api/"):
        return problem(404, "there is nothing at this address", where=f"/{name}")
    if not (static / "index.html").exists():
        return problem(503, "the front end is not built", remedy="Start with ./needle up, which builds it")
    inside = safe_join(str(static), name)  # None for what would lead out: it is answered like any other
    if name and inside is not None and Path(inside).is_file():
        response = send_from_directory(static, name)
        if name.startswith("assets/"):
            response.headers["Cache-Control"] = "public, max-age=31536000, immutable"
        return response
    response = send_from_directory(static, "index.html")
    response.headers["Cache-Control"] = "no-cache"
    return response
