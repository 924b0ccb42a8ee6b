"""The swatch book: common cloths to start from.

The figures are of the size that low-load measurements of such cloths give (S. Kawabata, The Standardization and
Analysis of Hand Evaluation, 1980, for bending, shear and weight), put down from memory and rounded: a place
to start from, not the measure of one bolt. Friction is common practice, no source.
"""

from __future__ import annotations

from dataclasses import dataclass

from .fabric import Fabric


@dataclass(frozen=True)
class Swatch:
    """A fabric and what it is known for, in a few words."""

    said: str
    fabric: Fabric


BOOK = (
    Swatch(
        "shirts and smocks; folds readily, holds a soft crease",
        Fabric(
            "cotton poplin", stretch_warp=1800, stretch_weft=1100, shear=60, bend_warp=9e-6, bend_weft=6e-6,
            areal_density=0.12, thickness=0.3e-3, friction=0.3, stretch_damping=0.004, bend_damping=0.02,
        ),
    ),
    Swatch(
        "aprons and working skirts; firm, few large folds",
        Fabric(
            "cotton twill", stretch_warp=2000, stretch_weft=1600, shear=150, bend_warp=4e-5, bend_weft=3e-5,
            areal_density=0.26, thickness=0.6e-3, friction=0.35, stretch_damping=0.004, bend_damping=0.02,
        ),
    ),
    Swatch(
        "coats and trousers of heavy cotton; stiff, stands off the body",
        Fabric(
            "denim", stretch_warp=3000, stretch_weft=2400, shear=300, bend_warp=1.2e-4, bend_weft=8e-5,
            areal_density=0.43, thickness=0.9e-3, friction=0.4, stretch_damping=0.004, bend_damping=0.02,
        ),
    ),
    Swatch(
        "suits; light, springy, drapes in round folds",
        Fabric(
            "worsted wool", stretch_warp=900, stretch_weft=700, shear=40, bend_warp=1.1e-5, bend_weft=8e-6,
            areal_density=0.2, thickness=0.5e-3, friction=0.3, stretch_damping=0.005, bend_damping=0.03,
        ),
    ),
    Swatch(
        "cloaks and hats; thick, heavy, slow",
        Fabric(
            "wool felt", stretch_warp=800, stretch_weft=800, shear=350, bend_warp=2.5e-4, bend_weft=2.5e-4,
            areal_density=0.5, thickness=2.5e-3, friction=0.45, stretch_damping=0.008, bend_damping=0.05,
        ),
    ),
    Swatch(
        "scarves and linings; limp, runs in many small folds",
        Fabric(
            "silk habutai", stretch_warp=1200, stretch_weft=900, shear=25, bend_warp=2e-6, bend_weft=1.5e-6,
            areal_density=0.05, thickness=0.12e-3, friction=0.2, stretch_damping=0.003, bend_damping=0.01,
        ),
    ),
    Swatch(
        "tops and scarves; gives a long way, clings, no sharp folds",
        Fabric(
            "wool jersey", stretch_warp=150, stretch_weft=90, shear=35, bend_warp=6e-6, bend_weft=4e-6,
            areal_density=0.21, thickness=0.9e-3, friction=0.4, stretch_damping=0.01, bend_damping=0.03,
        ),
    ),
    Swatch(
        "tents, sails and flaps; hardly gives, creaks rather than folds",
        Fabric(
            "proofed canvas", stretch_warp=6000, stretch_weft=5000, shear=900, bend_warp=5e-4, bend_weft=4e-4,
            areal_density=0.4, thickness=0.7e-3, friction=0.35, stretch_damping=0.004, bend_damping=0.02,
        ),
    ),
    Swatch(
        "flat leather; heavy, thick, no direction of its own",
        Fabric(
            "soft leather", stretch_warp=4000, stretch_weft=4000, shear=1500, bend_warp=6e-4, bend_weft=6e-4,
            areal_density=0.75, thickness=1.1e-3, friction=0.5, stretch_damping=0.008, bend_damping=0.04,
        ),
    ),
)  # fmt: skip
