"""Thin cloth at real scale on an arm: what holds at half a millimetre, and what becomes of it below."""

from __future__ import annotations

from tests.layers import laid_on_an_arm

CLEARANCE, SPACING = 0.1e-3, 0.012  # m
THICKNESSES = (0.5e-3, 0.3e-3, 0.2e-3, 0.1e-3)


def thin() -> str:
    """The table of the benchmark."""
    lines = [
        "## Thin cloth on an arm of 0.6 m by 45 mm, Working (bar: 0.5 mm at its gap within 0.1 mm)\n",
        f"A square of 0.24 m, {SPACING * 1e3:.0f} mm spacing, 1 s; clearance {CLEARANCE * 1e3:.1f} mm, the arm "
        "in facets of 6 mm. Below 0.5 mm is research, without a bar.\n",
        "| thickness | gap asked | gap kept | off | worst edge | fastest vertex | pierced |",
        "|---|---|---|---|---|---|---|",
    ]
    for thickness in THICKNESSES:
        worn, gap = laid_on_an_arm(thickness, CLEARANCE, SPACING), CLEARANCE + thickness / 2
        lines.append(
            f"| {thickness * 1e3:.1f} mm | {gap * 1e3:.2f} mm | {worn.distance * 1e3:.2f} mm | "
            f"{(worn.distance - gap) * 1e3:+.2f} mm | {worn.worst:.1%} | {worn.fastest * 1e3:.0f} mm/s | "
            f"{worn.through} |"
        )
    return "\n".join(lines) + "\n"
