"""A shot's document changed by a JSON Patch: P. Bryan and M. Nottingham, RFC 6902, 2013 (library jsonpatch)."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import jsonpatch
import jsonpointer

from ...core.model.errors import ShotError


def patched(document: dict[str, Any], operations: Sequence[dict[str, Any]], where: str) -> Any:
    """A new document; the one given stays as it is. `ShotError` names the operation that does not fit it.

    What comes out may be no shot at all: `parse_shot` says.
    """
    done: Any = document
    for index, operation in enumerate(operations):
        try:
            done = jsonpatch.apply_patch(done, [operation], in_place=index > 0)
        except (jsonpatch.JsonPatchException, jsonpointer.JsonPointerException, TypeError, KeyError) as error:
            raise ShotError(
                f"the change does not fit the shot ({error})",
                where=f"{where}, operation {index + 1} at '{operation.get('path', '')}'",
                remedy="Read the shot anew and change that",
            ) from None
    return done
