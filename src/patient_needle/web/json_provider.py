"""JSON as the API takes and gives it: bounded in what comes in, valid in what goes out."""

from __future__ import annotations

import json
from typing import Any

from flask.json.provider import DefaultJSONProvider

from ..core.model.errors import FileError
from ..formats.bounded_json import finite, read_json


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
