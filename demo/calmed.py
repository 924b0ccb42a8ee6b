"""What calm does, in one picture: PYTHONPATH=. python demo/calmed.py OUT.png

The skirt stands in gusts at calm 0, 0.5 and 1: two moments of each, how far its hem is from where it hung, and
how strong its motion is at each frequency.
"""

from __future__ import annotations

import sys
from dataclasses import replace
from pathlib import Path

import numpy as np
from look import Shown, View, render
from PIL import Image, ImageDraw, ImageFont
from show import BODY, CLOTHS, INSIDE

from benchmarks.calm import CALMS, QUICK, Watched, standing, watched
from patient_needle.core.geometry.topology import triangulated
from patient_needle.core.model.shot import ShotPlan
from patient_needle.formats.shot_file.assemble import assemble
from patient_needle.formats.shot_file.document import read_shot_file

RATE = 24.0
MOMENTS = 24, 52  # frames after the settling
INKS = ((176, 112, 60), (96, 122, 92), (38, 62, 112))
PAPER, INK, FAINT = (246, 242, 233), (31, 45, 58), (200, 194, 180)
CELL, CHART = (200, 270), (600, 270)
FONT = ImageFont.load_default(13)


def main() -> None:
    shot = Path(__file__).parent / "lamplighter" / "from_file.json"
    plan, settled, last = standing(assemble(read_shot_file(shot), shot.parent))
    runs = []
    for calm in CALMS:
        garments = (replace(plan.garments[0], calm=calm),)
        runs.append(watched(replace(plan, garments=garments), settled, last))
        print(f"calm {calm:g}", flush=True)
    sheet = Image.new("RGB", (CELL[0] * len(CALMS) + CHART[0], 2 * CELL[1]), PAPER)
    for column, run in enumerate(runs):
        for row, moment in enumerate(MOMENTS):
            sheet.paste(_seen(plan, run, moment), (column * CELL[0], row * CELL[1]))
            words = f"calm {CALMS[column]:g}, {moment / RATE:.1f} s"
            said = (column * CELL[0] + 8, (row + 1) * CELL[1] - 22)
            ImageDraw.Draw(sheet).text(said, words, fill=INK, font=FONT)
    beside = CELL[0] * len(CALMS)
    seconds = np.arange(1, last - settled + 1) / RATE
    far = [np.linalg.norm(run.swing(), axis=1) * 1e3 for run in runs]
    sheet.paste(_chart("how far the hem is from where it hung, mm, over s", seconds, far, 190), (beside, 0))
    frequency, _ = runs[0].spectrum(RATE)
    strong = [10 * np.log10(_smoothed(run.spectrum(RATE)[1][1:])) for run in runs]
    least = min(map(np.min, strong))
    title = f"energy of motion, dB over the least, over Hz; quick is above {QUICK:g} Hz"
    sheet.paste(_chart(title, frequency[1:], [s - least for s in strong], 36), (beside, CELL[1]))
    sheet.save(sys.argv[1])


def _seen(plan: ShotPlan, run: Watched, moment: int) -> Image.Image:
    body = [m for m in plan.cast if m.kind == "character"]
    shown = [Shown(m.motion.rest(), m.cut.triangles, BODY) for m in body]
    cloth = triangulated(plan.garments[0].mesh).triangles
    shown.append(Shown(run.points[moment], cloth, CLOTHS[0], INSIDE))
    x, y, z = run.points[moment].mean(axis=0)
    return render(shown, View(20, 8, (float(x), float(y), float(z)), 1.5, CELL), samples=2, rays=6)


def _smoothed(power: np.ndarray) -> np.ndarray:
    """Over five frequencies, since single ones of so short a run tell nothing."""
    padded = np.pad(power, 2, mode="edge")
    return np.convolve(padded, np.ones(5) / 5, mode="valid")


def _step(span: float) -> float:
    """A round step of which a few make `span`."""
    unit = 10.0 ** np.floor(np.log10(span / 3))
    return float(unit * max(k for k in (1, 2, 5) if k * unit <= span / 3))


def _chart(title: str, across: np.ndarray, curves: list[np.ndarray], legend: int) -> Image.Image:
    """Curves over `across`, one ink for each calm; `legend` is how far down these are named."""
    image = Image.new("RGB", CHART, PAPER)
    draw = ImageDraw.Draw(image)
    left, top, right, bottom = 48, 30, CHART[0] - 24, CHART[1] - 26
    most, end = 1.05 * max(map(np.max, curves)), float(across[-1])
    draw.text((left, 8), title, fill=INK, font=FONT)
    for value in np.arange(0, most, _step(most)):
        y = bottom - value / most * (bottom - top)
        draw.line([(left, y), (right, y)], fill=FAINT)
        draw.text((10, y - 8), f"{value:g}", fill=INK, font=FONT)
    for value in np.arange(0, end + 1e-9, _step(end)):
        draw.text((left + value / end * (right - left) - 4, bottom + 6), f"{value:g}", fill=INK, font=FONT)
    for index, curve in enumerate(curves):
        points = zip(left + across / end * (right - left), bottom - curve / most * (bottom - top), strict=True)
        draw.line([(float(x), float(y)) for x, y in points], fill=INKS[index], width=2)
        draw.text((right - 70, legend + 16 * index), f"calm {CALMS[index]:g}", fill=INKS[index], font=FONT)
    return image


if __name__ == "__main__":
    main()
