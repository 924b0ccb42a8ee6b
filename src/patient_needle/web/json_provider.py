"""JSON as the API takes and gives it: bounded in what comes in, valid in what goes out."""

from __future__ import annotations

import json
from typing import Any

from flask import Request
from flask.json.provider import DefaultJSONProvider

from ..core.model.errors import FileError, NeedleError
from ..formats.bounded_json import finite, read_json


class NotJsonError(NeedleError):
    """A request is no JSON, or none that can be taken."""


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
