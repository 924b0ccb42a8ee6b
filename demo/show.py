"""Pictures of a simulated shot: python demo/show.py SHOT.json FOLDER OUT.png FRAME [FRAME ...] [--views A,B]

One row per view (azimuth in degrees), one column per frame.
"""

from __future__ import annotations

import argparse
from pathlib import Path

from look import Shown, View, render, sheet

from patient_needle.core.geometry.topology import triangulated
from patient_needle.formats.pc2 import read_pc2
from patient_needle.formats.shot_file.assemble import assemble
from patient_needle.formats.shot_file.document import read_shot_file

BODY, INSIDE, SET = (0.72, 0.60, 0.48), (0.80, 0.52, 0.44), (0.58, 0.57, 0.55)
CLOTHS = ((0.62, 0.66, 0.74), (0.74, 0.70, 0.58), (0.56, 0.66, 0.60))


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("shot", type=Path)
    parser.add_argument("caches", type=Path, help="the run's output folder")
    parser.add_argument("out", type=Path)
    parser.add_argument("frames", type=int, nargs="+")
    parser.add_argument("--views", default="20,55,180")
    parser.add_argument("--height", type=float, default=1.9)
    parser.add_argument("--size", default="212,266")
    given = parser.parse_args()
    plan = assemble(read_shot_file(given.shot), given.shot.parent)
    worn = [
        (
            read_pc2(given.caches / f"{garment.name}.pc2"),
            triangulated(garment.mesh).triangles,
            CLOTHS[index % 3],
        )
        for index, garment in enumerate(plan.garments)
    ]
    width, height = (int(side) for side in given.size.split(","))
    pictures = []
    for azimuth in (float(view) for view in given.views.split(",")):
        for frame in given.frames:
            shown = [
                Shown(m.motion.at(frame), m.cut.triangles, BODY if m.kind != "set piece" else SET)
                for m in plan.cast
                if m.name != "quay floor"
            ]
            for cache, triangles, colour in reversed(worn):
                points = cache.frames[frame - int(cache.first_frame)]
                shown.append(Shown(points, triangles, colour, INSIDE))
            x, y, z = points.mean(0)
            view = View(azimuth, 8, (float(x), float(y) + 0.1, float(z)), given.height, (width, height))
            pictures.append(render(shown, view, samples=2, rays=6))
    sheet(pictures, len(given.frames)).save(given.out)


if __name__ == "__main__":
    main()
