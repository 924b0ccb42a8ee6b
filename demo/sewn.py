"""Make the demo's sewn costume: trousers, then a smock over them. About three minutes, on two quiet cores.

Run it from the root as `.venv/bin/python -m demo.sewn`. The results are committed.
"""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import numpy as np

from patient_needle.bootstrap import environment
from patient_needle.core.craft.drape.sewing import judged, sewing_of, sewing_plan
from patient_needle.core.craft.sewing.source import FromPieces
from patient_needle.core.model.tolerances import SEW_MOST, SEW_REST
from patient_needle.formats.pc2.layout import write_pc2_bytes
from patient_needle.formats.shot_file.assemble import assemble
from patient_needle.formats.shot_file.document import parse_shot

FOLDER = Path(__file__).parent / "lamplighter"
SPACING = {"draft_mm": 16, "fine_mm": 10}
BLOCKS = {"trousers": {}, "smock": {"ease_mm": 440}}  # a smock is cut wide: its wearer kneels with arms forward


def costume() -> None:
    """Sew both, and write the shot that wears them."""
    shot = json.loads((FOLDER / "smock.json").read_text())
    shot["name"], shot["garments"] = "Smock and trousers 0080", []
    figure = next(one for one in shot["cast"] if one["name"] == "lamplighter")
    figure["collider"]["leave_out"] = ["head"]
    for name, holds in (("trousers", ("front", "back")), ("smock", ())):
        recipe = {
            "kind": "sewn",
            "around": "lamplighter",
            "block": {"kind": name} | BLOCKS[name],
            "spacing": SPACING,
        }
        fabric = "close twill" if name == "trousers" else "washed poplin"
        garment: dict[str, Any] = {"name": name, "recipe": recipe, "fabric": fabric}
        shot["garments"].append(garment)
        sew(shot, garment)
        garment["holds"] = [
            {
                "name": f"waistband {side}", "choose": {"group": f"waistband {side}"},
                "how": {"kind": "follows", "to": "lamplighter"},
            }
            for side in holds
        ]  # fmt: skip
    (FOLDER / "sewn.json").write_text(json.dumps(shot, indent=2, ensure_ascii=False) + "\n")


def sew(shot: dict[str, Any], garment: dict[str, Any]) -> None:
    """Sew the last garment of a shot over the others, and name its pose in its recipe."""
    name = garment["name"]
    fitting = sewing_of(sewing_plan(assemble(parse_shot(shot, "sewn.json"), FOLDER), name), name)
    while fitting.growth is not None:
        fitting.step()
    fitting.rest(SEW_REST, SEW_MOST)
    while fitting.resting is not None:
        fitting.step()
    index = fitting.cloth.index(name)
    source, crossings = fitting.sources[index], fitting.crossings()
    assert isinstance(source, FromPieces)
    assert not len(crossings.colliders) + len(crossings.itself) + len(crossings.garments)
    file, pose = f"{name}_worn.pc2", fitting.state.positions[fitting.cloth.outfit.spans[index]]
    write_pc2_bytes(FOLDER / file, 0, [np.ascontiguousarray(pose, "<f4").tobytes()])
    garment["recipe"] |= {"file": file, "file_of": source.mark}
    print(
        f"{name} {len(pose)} vertices, {100 * judged(fitting, source, name).p99:.1f} % at the 99th percentile"
    )


if __name__ == "__main__":
    environment.prepare(alone=True)
    environment.use_threads(None)
    costume()
