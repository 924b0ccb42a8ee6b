"""Version 1 of the shot file, read as version 2.

In version 1 a step of a map and a hold had a key for each kind there is, all but one of them null. A garment
was always a mesh of a file, whose keys stood beside its own. All other keys are those of version 2.
"""

from __future__ import annotations

from typing import Any

from ...core.model.errors import ShotError

STEPS = (
    "stroke", "fill", "along", "from_choice", "from_weights", "from_distance", "from_garment", "from_file",
    "change", "with_map", "mirror", "values",
)  # fmt: skip
HOLDS = ("follows", "sticks", "stitched", "handle", "tether", "elastic")
OF_THE_FILE = ("file", "unit", "up", "mesh", "placed", "warp", "starts_at")
PLAIN = {"fill": "value", "mirror": "side", "values": "values", "follows": "to"}  # kinds that were one value


def upgraded(document: dict[str, Any], where: str) -> dict[str, Any]:
    """A document of version 1 as one of version 2; what is not as it should be stays, to be named by place.

    `ShotError` for a step or a hold of no kind or of several.
    """
    out = {**document, "version": 2}
    if isinstance(document.get("garments"), list):
        out["garments"] = [
            _garment(one, f"garments.{index}", where) for index, one in enumerate(document["garments"])
        ]
    return out


def _garment(garment: Any, place: str, where: str) -> Any:
    if not isinstance(garment, dict):
        return garment
    _no_later_keys(garment, ("recipe",), place, where)
    out = {key: value for key, value in garment.items() if key not in OF_THE_FILE}
    out["recipe"] = {"kind": "file", **{key: garment[key] for key in OF_THE_FILE if key in garment}}
    for name, renew in (("holds", _hold), ("maps", _map)):
        if isinstance(out.get(name), list):
            out[name] = [renew(one, f"{place}.{name}.{at}", where) for at, one in enumerate(out[name])]
    return out


def _map(chalk: Any, place: str, where: str) -> Any:
    if not isinstance(chalk, dict) or not isinstance(chalk.get("steps"), list):
        return chalk
    steps = [_step(step, f"{place}.steps.{at}", where) for at, step in enumerate(chalk["steps"])]
    return {**chalk, "steps": steps}


def _step(step: Any, place: str, where: str) -> Any:
    if not isinstance(step, dict):
        return step
    said, rest = _tagged(step, STEPS, place, where)
    return {**said, **rest}


def _hold(hold: Any, place: str, where: str) -> Any:
    if not isinstance(hold, dict):
        return hold
    how, rest = _tagged(hold, HOLDS, place, where)
    return {**rest, "how": how}


def _tagged(
    record: dict[str, Any], kinds: tuple[str, ...], place: str, where: str
) -> tuple[dict[str, Any], dict[str, Any]]:
    """What its one kind says, with the kind in it, and the other keys of the record."""
    _no_later_keys(record, ("kind", "how"), place, where)
    given = [kind for kind in kinds if record.get(kind) is not None]
    rest = {key: value for key, value in record.items() if key not in kinds}
    if len(given) != 1:
        raise ShotError(
            f"'{place}' is of {' and '.join(given) or 'no kind'}",
            where=where,
            remedy=f"Give exactly one of {', '.join(kinds)}",
        )
    (kind,) = given
    said = record[kind]
    if kind in PLAIN:
        return {"kind": kind, PLAIN[kind]: said}, rest
    if not isinstance(said, dict):
        raise ShotError(f"'{place}.{kind}' is no object", where=where, remedy="See docs/shot-file.md")
    return {"kind": kind, **said}, rest


def _no_later_keys(record: dict[str, Any], keys: tuple[str, ...], place: str, where: str) -> None:
    """Version 1 did not know these keys: what they hold is not passed over in silence."""
    for key in keys:
        if key in record:
            raise ShotError(
                f"'{place}.{key}' is not a known key of version 1", where=where, remedy='Say "version": 2'
            )
