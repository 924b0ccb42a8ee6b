"""Where on a figure a place is, in an artist's words, from the names of its parts."""

from __future__ import annotations

import re

WORDS = {
    "uparm": "upper arm", "upperarm": "upper arm", "arm": "arm", "forearm": "forearm", "lowerarm": "forearm",
    "hand": "hand", "fingers": "fingers", "clav": "shoulder", "clavicle": "shoulder", "shoulder": "shoulder",
    "thigh": "thigh", "upleg": "thigh", "upperleg": "thigh", "shank": "lower leg", "leg": "leg",
    "lowerleg": "lower leg", "calf": "lower leg", "foot": "foot", "toes": "toes", "toe": "toes",
    "pelvis": "hips", "hips": "hips", "hip": "hips", "halfhip": "hip", "spine": "waist", "chest": "chest",
    "neck": "neck", "head": "head",
}  # fmt: skip
JOINTS = {
    frozenset({"upper arm", "chest"}): "armpit", frozenset({"upper arm", "waist"}): "armpit",
    frozenset({"upper arm", "shoulder"}): "shoulder", frozenset({"upper arm", "forearm"}): "elbow",
    frozenset({"forearm", "hand"}): "wrist", frozenset({"thigh", "lower leg"}): "knee",
    frozenset({"thigh", "hip"}): "hip", frozenset({"thigh", "hips"}): "hip",
    frozenset({"lower leg", "foot"}): "ankle", frozenset({"thigh", "waist"}): "groin",
}  # fmt: skip
WHOLE = ("whole", "solid")


def place_words(parts: list[str]) -> str:
    """Words for the place at one or two collider parts, named "member: part"; "" for none.

    Two parts that meet in a joint give the joint; a name that is not known is said as it is written.
    """
    told = [_one(name) for name in parts[:2]]
    told = [each for each in told if each[1]]
    if not told:
        return ""
    if len(told) == 2:
        joint = JOINTS.get(frozenset({told[0][1], told[1][1]}))
        sides = {side for side, _ in told if side}
        if joint and len(sides) <= 1:
            return " ".join([*sides, joint])
        if told[0][1] == told[1][1] == "thigh" and len(sides) == 2:
            return "crotch"
    side, word = told[0]
    return f"{side} {word}".strip()


def _one(name: str) -> tuple[str, str]:
    """The side, "" for none, and the word for a part."""
    member, _, part = name.rpartition(": ")
    if part in WHOLE or not part:
        return "", member
    bare = part.rsplit(":", 1)[-1].rsplit("|", 1)[-1]
    side = ""
    found = re.match(r"^(left|right)[_\s.-]?(.+)$", bare, re.IGNORECASE)
    if found:
        side, bare = found[1].lower(), found[2]
    else:
        found = re.match(r"^(.+?)(?:[_\s.-]?(left|right)|[_\s.-]([lrLR])|(?<=[a-z0-9])([LR]))$", bare)
        if found:
            side = (found[2] or found[3] or found[4]).lower()
            side, bare = {"l": "left", "r": "right"}.get(side, side), found[1]
    stem = re.sub(r"[\d_\s.-]+", "", bare).lower()
    return side, WORDS.get(stem, bare)
