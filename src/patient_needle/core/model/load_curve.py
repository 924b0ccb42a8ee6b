"""Force against strain along one direction of a fabric: tension, compression and the limit, in one table."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from .errors import MaterialError
from .typed import Vectors

# Beyond the strain limit a fabric is this much stiffer than just before it.
LIMIT_STIFFENING = 30.0


@dataclass(frozen=True)
class LoadCurve:
    """Measured points of a pull: strains (0 left out) rising, and the forces per width N/m they took.

    Between the points the force is linear, beyond the last one it goes on with the last slope.
    """

    strains: tuple[float, ...]
    forces: tuple[float, ...]

    def __post_init__(self) -> None:
        strains, forces = (0.0, *self.strains), (0.0, *self.forces)
        if len(self.strains) != len(self.forces) or not self.strains:
            raise MaterialError(
                f"a load curve has {len(self.strains)} strains and {len(self.forces)} forces",
                remedy="Give one force in N/m for each strain, at least one pair",
            )
        if not (np.all(np.isfinite(strains)) and np.all(np.isfinite(forces))):
            raise MaterialError(
                "a load curve has a point that is not a finite number", remedy="Mend that point"
            )
        if min(np.diff(strains)) <= 0 or min(np.diff(forces)) <= 0:
            raise MaterialError(
                "a load curve does not rise from point to point",
                remedy="Order the points by strain and see that each takes more force than the one before",
            )


def force_table(stiffness: float, compression: float, curve: LoadCurve | None, limit: float | None) -> Vectors:
    """Rows (k, 4) of start strain, force N/m, slope N/m and energy N/m at the start.

    Row 0 holds below strain 0 (compression), row i from its start to the next. stiffness N/m counts where no
    `curve` is given; from the strain `limit` on the slope is LIMIT_STIFFENING times the one before.
    """
    strains = [0.0, *(curve.strains if curve else ())]
    forces = [0.0, *(curve.forces if curve else ())]
    slopes = [(b - a) / (t - s) for s, t, a, b in zip(strains, strains[1:], forces, forces[1:], strict=False)]
    slopes.append(slopes[-1] if slopes else stiffness)
    if limit is not None:
        index = int(np.searchsorted(strains, limit, side="right")) - 1
        reached = forces[index] + slopes[index] * (limit - strains[index])
        stiff = LIMIT_STIFFENING * slopes[index]
        strains = [*strains[: index + 1], limit]
        forces, slopes = [*forces[: index + 1], reached], [*slopes[: index + 1], stiff]
    energies = [0.0]
    for index in range(1, len(strains)):
        width = strains[index] - strains[index - 1]
        energies.append(energies[-1] + 0.5 * width * (forces[index - 1] + forces[index]))
    rows = np.column_stack([strains, forces, slopes, energies])
    return np.vstack([[0.0, 0.0, compression, 0.0], rows])
