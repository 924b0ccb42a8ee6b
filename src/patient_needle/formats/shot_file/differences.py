"""What differs between two states of a shot, in words an artist would use."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import jsonpatch
import jsonpointer

from ...core.model.errors import ShotError
from ...core.model.references import NAMING_STEPS
from .document import ShotFile, current
from .strokes import hits_sha

Document = Mapping[str, Any]
Files = Mapping[str, str]
ALONE = ("time_stretch", "least_substeps", "together")
UNITS = {
    "stretch_warp": "N/m", "stretch_weft": "N/m", "shear": "N/m", "compress_warp": "N/m",
    "compress_weft": "N/m",
    "bend_warp": "N m", "bend_weft": "N m", "memory": "N m", "areal_density": "kg/m2", "stretch_damping": "s",
    "bend_damping": "s", "gravity": "m/s2", "air_density": "kg/m3", "strength": "m/s", "frame_rate": "1/s",
}  # fmt: skip


def differences(before: Document, after: Document, files_before: Files, files_after: Files) -> list[str]:
    """One line per thing that changes a simulation; nothing for names of shots and of files.

    files: SHA-256 by file name.
    """
    before, after = _whole(before), _whole(after)
    out: list[str] = []
    for key, said in (("frames", "frame range"), ("frame_rate", "frame rate")):
        if before[key] != after[key]:
            out.append(f"{said} {_plain(before[key])}, now {_plain(after[key])}")
    out += _fields("run-in", before["run_in"], after["run_in"], {"settle": "settles", "move": "moves"})
    out += _forces(before["forces"], after["forces"])
    out += _fields("", _alone(before, ALONE), _alone(after, ALONE), {"together": "garments together"})
    out += _order(before["garments"], after["garments"])
    out += _things("", before["cast"], after["cast"], files_before, files_after)
    out += _things("swatch ", before["fabrics"], after["fabrics"], files_before, files_after)
    out += _things("", before["garments"], after["garments"], files_before, files_after)
    return out


def _whole(document: Document) -> Document:
    """With the fields that an earlier release did not have yet, as they are when left out, and of each map
    whether another is made from it.
    """
    whole = ShotFile.model_validate(current(document, "")).model_dump(mode="json")
    named = set()
    for garment in whole["garments"]:
        for step in (step for one in garment["maps"] for step in one["steps"]):
            if step["kind"] == "with_map":
                named.add((garment["name"], step["map"]))
            if step["kind"] == "from_garment":
                named.add((step["garment"], step["map"]))
    for garment in whole["garments"]:
        for one in garment["maps"]:
            one["named"] = (garment["name"], one["name"]) in named
    return whole


def _forces(before: Document, after: Document) -> list[str]:
    """Gravity, air and winds."""
    old, new = ({k: v for k, v in forces.items() if k != "winds"} for forces in (before, after))
    winds = _things("wind ", before.get("winds") or [], after.get("winds") or [], {}, {})
    return _fields("", old, new, {}) + winds


def _order(before: list[Any], after: list[Any]) -> list[str]:
    """The dressing order of the garments that both have."""
    old, new = ([garment["name"] for garment in garments] for garments in (before, after))
    was, now = [name for name in old if name in new], [name for name in new if name in old]
    return [] if was == now else [f"dressing order {', '.join(was)}, now {', '.join(now)}"]


def _alone(document: Document, keys: tuple[str, ...]) -> Document:
    return {key: document[key] for key in keys if key in document}


def _things(kind: str, before: list[Any], after: list[Any], files: Files, files_after: Files) -> list[str]:
    old, new = ({thing["name"]: thing for thing in things} for things in (before, after))
    out = [f"{kind}{name} was taken out" for name in old if name not in new]
    out += [f"{kind}{name} was added" for name in new if name not in old]
    for name in old.keys() & new.keys():
        out += _thing(f"{kind}{name}", old[name], new[name], files, files_after)
    return sorted(out)


def _thing(name: str, old: Document, new: Document, files: Files, files_after: Files) -> list[str]:
    out = []
    for key in sorted(old.keys() | new.keys()):
        was, now = old.get(key), new.get(key)
        if key in ("file", "cache"):
            if files.get(was or "") != files_after.get(now or ""):
                out.append(f"{name}: another {'mesh' if key == 'file' else 'motion'}")
        elif key == "motion":
            if files.get((was or {}).get("file", "")) != files_after.get((now or {}).get("file", "")):
                out.append(f"{name}: another motion")
            elif was != now:
                out.append(f"{name}: another animation of its motion")
        elif key == "recipe" and was and now:
            out += _recipe(name, was, now, files, files_after)
        elif key == "begins":
            out += _begins(name, was, now, files, files_after)
        elif key == "finished":
            out += _finished(name, was, now, files, files_after)
        elif key == "holds":
            out += _things(f"{name}, hold ", was or [], now or [], {}, {})
        elif key == "maps":
            out += _maps(f"{name}, map ", was or [], now or [], files, files_after)
        elif key == "collider" and was and now:
            out += _fields(f"{name}, collider", was, now, {})
        elif was != now:
            out.append(f"{name}: {_words(key)} {_plain(was)}, now {_plain(now)}")
    return out


def _recipe(name: str, was: Document, now: Document, files: Files, files_after: Files) -> list[str]:
    """How a garment is made: of its spacings only the one in use makes a difference."""
    if was["kind"] != now["kind"]:
        return [f"{name}: made otherwise, {was['kind']}, now {now['kind']}"]
    apart = ("spacing", "tiers")
    old, new = ({k: v for k, v in one.items() if k not in apart} for one in (was, now))
    out = _thing(name, old, new, files, files_after)
    used = [one["spacing"] and one["spacing"][f"{one['spacing']['use']}_mm"] for one in (was, now)]
    if used[0] != used[1]:
        said = ["the file's own" if mm is None else f"{mm:g} mm" for mm in used]
        out.append(f"{name}: spacing {said[0]}, now {said[1]}")
    tiers = [one.get("tiers", []) for one in (was, now)]
    if len(tiers[0]) != len(tiers[1]):
        out.append(f"{name}: {len(tiers[0])} tiers, now {len(tiers[1])}")
    else:
        for number, (one, other) in enumerate(zip(*tiers, strict=True), 1):
            out += _fields(f"{name}, tier {number}", one, other, {})
    return out


def _begins(name: str, was: Document | None, now: Document | None, files: Files, after: Files) -> list[str]:
    """The pose that a garment starts from."""
    if was and now and files.get(was["cache"]) == after.get(now["cache"]):
        return []
    said = [f"from {one['take'] or 'a take'}" if one else "as made" for one in (was, now)]
    return [] if was is None and now is None else [f"{name}: starts {said[0]}, now {said[1]}"]


def _maps(kind: str, before: list[Any], after: list[Any], files: Files, files_after: Files) -> list[str]:
    """Of maps only what a run goes by: those in use, and whatever they may be made from."""
    old, new = ({one["name"]: one for one in maps} for maps in (before, after))
    out = []
    for name in sorted(old.keys() | new.keys()):
        was, now = old.get(name), new.get(name)
        used = [bool(one and one["in_use"]) for one in (was, now)]
        if used[0] != used[1]:
            out.append(f"{kind}{name} was {'put to use' if used[1] else 'put away'}")
        elif was and now and _drawing(was, files) != _drawing(now, files_after) and (used[1] or now["named"]):
            steps = [len(one["steps"]) for one in (was, now)]
            out.append(f"{kind}{name}: drawn otherwise, {steps[0]} steps, now {steps[1]}")
    return out


def _drawing(one: Document, files: Files) -> list[Any]:
    """What makes a map's values; of files their content."""
    return [one["role"], one["span"], [_done(step, files) for step in one["steps"]]]


def _done(step: Document, files: Files) -> Document:
    """A step with the content of its file in place of the name. Hits in a file equal those in a step."""
    if step["kind"] not in NAMING_STEPS:
        return step
    if step.get("hits"):
        return {**step, "hits": None, "file": hits_sha(step["hits"])}
    return {**step, "file": files.get(step["file"])}


def _finished(name: str, was: Document | None, now: Document | None, files: Files, after: Files) -> list[str]:
    """Whether a garment is simulated or worn as an earlier take has it."""
    if (
        was
        and now
        and files.get(was["cache"]) == after.get(now["cache"])
        and was["starts_at"] == now["starts_at"]
    ):
        return []
    old, new = (f"finished in {one['take'] or 'another take'}" if one else "simulated" for one in (was, now))
    return [] if was is None and now is None else [f"{name}: {old}, now {new}"]


def _fields(name: str, old: Document, new: Document, said: Mapping[str, str]) -> list[str]:
    head = f"{name}: " if name else ""
    return [
        f"{head}{said.get(key, _words(key))} {_plain(old.get(key))}, now {_plain(new.get(key))}"
        for key in sorted(old.keys() | new.keys())
        if old.get(key) != new.get(key)
    ]


def _words(key: str) -> str:
    if key in UNITS:
        return f"{key.replace('_', ' ')}, {UNITS[key]}"
    for ending, unit in (("_mm", ", mm"), ("_m", ", m")):
        if key.endswith(ending):
            return key.removesuffix(ending).replace("_", " ") + unit
    return key.replace("_", " ")


def _plain(value: Any) -> str:
    if value is None:
        return "none"
    if isinstance(value, bool):
        return "on" if value else "off"
    if isinstance(value, float):
        return f"{value:g}"
    if isinstance(value, Mapping):
        parts = [f"{_words(k)} {_plain(v)}" for k, v in value.items() if v not in (None, [], 0)]
        return ", ".join(parts) or "nothing"
    if isinstance(value, (list, tuple)):
        if len(value) > 6:
            return f"{len(value)} of them"
        return " ".join(_plain(v) for v in value) or "nothing"
    return str(value)


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
