"""Fittings that a shot keeps: what they were made of, and whether that has changed since."""

from __future__ import annotations

import hashlib
import json
from typing import Any

Document = dict[str, Any]
ASIDE = (
    "begins",
    "choices",
    "finished",
    "name",
)  # of a garment: what says nothing of how it hangs in a fitting
OUTSIDE = ("name", "fittings", "patience", "garments")  # of a shot


def garment_mark(document: Document, name: str) -> str:
    """What a garment is made of, in short: it changes when its recipe, fabric, maps or holds do."""
    garment = next(one for one in document["garments"] if one["name"] == name)
    used = {garment["fabric"]} | {
        tier.get("fabric") for tier in garment["recipe"].get("tiers") or [] if tier.get("fabric")
    }
    fabrics = [one for one in document["fabrics"] if one["name"] in used]
    return _mark([{key: value for key, value in garment.items() if key not in ASIDE}, fabrics])


def figure_mark(document: Document) -> str:
    """What the cast is, in short."""
    return _mark([document["cast"], document["run_in"], document["frames"]])


def shot_mark(document: Document) -> str:
    """All that a fitting goes by, in short."""
    garments = [[one["name"], garment_mark(document, one["name"])] for one in document["garments"]]
    return _mark([{key: value for key, value in document.items() if key not in OUTSIDE}, garments])


def stale(document: Document, fitting: Document) -> list[str]:
    """What has changed since a fitting was kept, in words; nothing when all is as it was."""
    out = []
    if fitting["figure"] != figure_mark(document):
        out.append("the cast or its frames changed")
    there = {one["name"] for one in document["garments"]}
    for fitted in fitting["garments"]:
        name = fitted["garment"]
        if name not in there:
            out.append(f"{name} is no longer in the shot")
        elif fitted["made_of"] != garment_mark(document, name):
            out.append(f"{name} changed")
    known = {fitted["garment"] for fitted in fitting["garments"]}
    return out + [f"{name} is new" for name in sorted(there - known)]


def _mark(what: Any) -> str:
    text = json.dumps(what, sort_keys=True, separators=(",", ":"), ensure_ascii=False)
    return hashlib.sha256(text.encode()).hexdigest()[:16]
