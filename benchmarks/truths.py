"""The heavy cases of the truths that the tests hold lighter cases of."""

from __future__ import annotations

import numpy as np

from patient_needle.core.model.fabric import Fabric
from tests.balloon import inflated
from tests.reference.engine.disc import RADIUS, STIFF_RADIUS, drape, rings, scattered
from tests.reference.engine.test_air import paper_balloon
from tests.reference.engine.test_scale import hung


def sweeps(quick: bool) -> str:
    """Drape discs, spacings and the balloon."""
    return "\n".join([_discs(1 if quick else 5), _spacings(), _balloon((10,) if quick else (10, 20, 40))])


def _discs(starts: int) -> str:
    lines = [
        f"## Drape disc, {starts} perturbed starts, two meshes (bar: stable within 3 points over spacings)\n",
        "Over 180 mm, 0.2 kg/m2; drape coefficient in percent, mean and spread of the starts, at rest to "
        "0.2 mm. Spacings resolve the fabric as the cantilever's do: a half and a third of its bending length "
        "c = (B / w)^(1/3). A single start folds as it will; the bar is held against the means.\n",
        "| B, N m | disc | c | rings, c/2 | scattered, c/2 | rings, c/3 | scattered, c/3 | apart |\n"
        "|---|---|---|---|---|---|---|---|",
    ]
    for rigidity, rim in ((1e-5, RADIUS), (3e-5, RADIUS), (6e-5, STIFF_RADIUS), (2e-4, STIFF_RADIUS)):
        fabric = Fabric(
            "swatch", stretch_warp=1000, stretch_weft=1000, shear=50, bend_warp=rigidity, bend_weft=rigidity,
            stretch_damping=0.005, bend_damping=0.02,
        )  # fmt: skip
        length = (rigidity / (fabric.areal_density * 9.81)) ** (1 / 3)
        cells, means = [], []
        for spacing in (length / 2, length / 3):
            for mesh in (rings, scattered):
                found = [drape(mesh(spacing, rim), fabric, seed=seed) for seed in range(starts)]
                values = [one.coefficient for one in found]
                late = "" if all(one.unrest <= 2e-4 for one in found) else ", not all at rest"
                cells.append(f"{np.mean(values):.1f} ({np.ptp(values):.1f}{late})")
                means.append(np.mean(values))
        lines.append(
            f"| {rigidity:g} | {2e3 * rim:.0f} mm | {length * 1e3:.1f} mm | {' | '.join(cells)} "
            f"| {np.ptp(means):.1f} |"
        )
    return "\n".join(lines) + "\n"


def _spacings() -> str:
    lines = [
        "## A square of 0.3 m hung by half its top edge (bar: 2 % of its height over spacings)\n",
        "| spacing | free corner | lower corner | middle of the lower edge |\n|---|---|---|---|",
    ]
    for spacing in (0.005, 0.010, 0.015):
        a, b, c = hung(spacing, 1 / 96)
        lines.append(f"| {spacing * 1e3:.0f} mm | {a * 1e3:.1f} mm | {b * 1e3:.1f} mm | {c * 1e3:.1f} mm |")
    return "\n".join(lines) + "\n"


def _balloon(edges: tuple[int, ...]) -> str:
    radius, thickness = paper_balloon()
    lines = [
        "## Two discs inflated (Paulsen 1994; bar: 2 % at 40 edges a radius, strain under 0.3 %)\n",
        f"| edges | radius (exact {radius:.4f}) | thickness (exact {thickness:.4f}) | largest strain |\n"
        "|---|---|---|---|",
    ]
    for count in edges:
        one = inflated(count)
        lines.append(
            f"| {count} | {one.radius:.4f} ({one.radius / radius - 1:+.1%}) "
            f"| {one.thickness:.4f} ({one.thickness / thickness - 1:+.1%}) | {one.strain:.2%} |"
        )
    return "\n".join(lines) + "\n"
