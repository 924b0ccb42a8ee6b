"""What calm does to the lamplighter's skirt: its hang, its quick motion and its swing."""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
from scipy.spatial.transform import Rotation

from patient_needle.core.craft.simulate import OutfitRun
from patient_needle.formats.shot_file.assemble import assemble
from patient_needle.formats.shot_file.document import read_shot_file

QUICK = 4.0  # Hz, above which motion counts as secondary


@dataclass(frozen=True)
class Moved:
    """hang: hem's height when settling ends, m; quick: energy of motion above QUICK, (m/s)2; excursion:
    how far the hem swings at most from where it hangs, seen from the waist, m.
    """

    hang: float
    quick: float
    excursion: float


def calmed(shot: Path, calm: float, last: int) -> Moved:
    """The first garment of a shot with a calm, up to frame `last`."""
    plan = assemble(read_shot_file(shot), shot.parent)
    plan = replace(plan, garments=(replace(plan.garments[0], calm=calm),))
    run = OutfitRun(plan, plan.garments[:1])
    first, settled = plan.first_simulated, plan.first_simulated + plan.run_in.settle
    held = run.outfit.held
    rest = run.outfit.rest_points
    hem = rest[:, 1] < rest[:, 1].min() + 0.03
    seen, hang = [], 0.0
    hung = rest
    for (result,) in run.frames(run.start(), first, last):
        at_waist = _from_waist(rest[held], result.state.positions, held)
        if result.frame == settled:
            hang, hung = float(result.state.positions[hem, 1].mean()), at_waist
        if result.delivered:
            seen.append(at_waist)
    motion = np.array(seen)
    speed = np.diff(motion[:, ~held], axis=0) * plan.frame_rate
    spectrum = np.abs(np.fft.rfft(speed * np.hanning(len(speed))[:, None, None], axis=0)) ** 2
    frequency = np.fft.rfftfreq(len(speed), 1 / plan.frame_rate)
    quick = float(spectrum[frequency > QUICK].sum() / speed.shape[0] / speed.shape[1])
    swing = np.linalg.norm((motion - hung)[:, hem].mean(axis=1), axis=1)
    return Moved(hang, quick, float(swing.max()))


def _from_waist(rest: np.ndarray, points: np.ndarray, held: np.ndarray) -> np.ndarray:
    """Points as seen by someone who rides on the held vertices."""
    centre = points[held].mean(axis=0)
    turn, _ = Rotation.align_vectors(rest - rest.mean(axis=0), points[held] - centre)
    return turn.apply(points - centre)


def calm(shot: Path, last: int) -> str:
    """The table of the benchmark."""
    plain, half, full = (calmed(shot, share, last) for share in (0.0, 0.5, 1.0))
    lines = [
        f"## Calm on the lamplighter's skirt, up to frame {last}\n",
        "Bars: hang within 1 %, motion above 4 Hz down by 6 dB at 0.5 and 12 dB at 1, swing within 10 %.",
        "Motion is the speed of all free vertices seen from the waist; swing is how far the hem's middle",
        "gets from where it hangs.\n",
        "| calm | hem's height when settling ends, not yet at rest | energy above 4 Hz | largest swing |\n"
        "|---|---|---|---|",
    ]
    for share, one in ((0.0, plain), (0.5, half), (1.0, full)):
        lines.append(
            f"| {share:g} | {one.hang * 1e3:.1f} mm ({one.hang / plain.hang - 1:+.2%}) "
            f"| {10 * np.log10(one.quick / plain.quick):+.1f} dB "
            f"| {one.excursion * 1e3:.0f} mm ({one.excursion / plain.excursion - 1:+.1%}) |"
        )
    return "\n".join(lines) + "\n"
