"""Where a shot's document names files: the one list that reading, keeping and exporting go by."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

Document = dict[str, Any]

NAMING_STEPS = ("from_file", "stroke")  # kinds of map steps that may name a file


def references(document: Document) -> Iterator[tuple[Document, str]]:
    """Every place of a document of the present version that names a file: what holds it, and under which key.

    Keys that may be left out may be missing.
    """
    for member in document.get("cast") or []:
        yield member, "file"
        if member.get("cache"):
            yield member, "cache"
        if member.get("motion"):
            yield member["motion"], "file"
        yield from ((shape, "file") for shape in member.get("shapes") or [] if shape.get("file"))
    garments = document.get("garments") or []
    yield from ((garment["finished"], "cache") for garment in garments if garment.get("finished"))
    begins = [garment["begins"] for garment in garments if garment.get("begins")]
    for fitting in document.get("fittings") or []:
        begins += fitting["garments"]
        yield fitting, "file"
        if fitting.get("picture"):
            yield fitting, "picture"
    yield from ((one, "cache") for one in begins)
    yield from ((one["recipe"], "file") for one in begins if one["recipe"].get("file"))
    recipes = [garment["recipe"] for garment in garments] + [one["recipe"] for one in begins]
    finer = [((recipe.get("spacing") or {}).get("finer") or {}) for recipe in recipes]
    steps = (step for one in finer for step in one.get("steps") or [])
    yield from ((step, "file") for step in steps if step["kind"] in NAMING_STEPS and step.get("file"))
    for garment in garments:
        if garment["recipe"].get("file"):
            yield garment["recipe"], "file"
        steps = (step for chalk in garment.get("maps") or [] for step in chalk.get("steps") or [])
        yield from ((step, "file") for step in steps if step["kind"] in NAMING_STEPS and step.get("file"))


def named_files(document: Document) -> list[str]:
    """The name of every file that a document refers to, each once."""
    return list(dict.fromkeys(holder[key] for holder, key in references(document)))
