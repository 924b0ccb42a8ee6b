"""Links: soft holds. Each draws a vertex to a place, or to a point of other cloth, at or within a length.

With d = x_v - (place + sum of weights x_other), a link has the energy 1/2 k (|d| - L)^2; one that only pulls
has none while |d| < L. Where |d| < L its stiffness across d is left out, so that the linearisation never has a
direction in which energy falls for ever (K.-J. Choi and H.-S. Ko, Stable but responsive cloth, SIGGRAPH 2002).
Beyond a force F a link gives way: it pulls with F and no more. Links to a place itself (L = 0) also damp: by
1/2 k T / h |d - d0|^2 over a substep h, d0 being d at its start.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numba import njit

from ..model.typed import Flags, Indices, Points, Scalars, Vectors
from .stiffness import Blocks
from .ties import Ties

NOBODY = -1


@dataclass(frozen=True, eq=False)
class Links:
    """q links of one substep.

    vertex (q,) int32; others (q, 3) int32, NOBODY where there is none; weights (q, 3); place_from, place_to
    (q, 3) m where the fixed part of the far end goes; length (q,) m; pulls (q,) bool, whether it only pulls;
    stiffness (q,) N/m; damping (q,) s, T; most (q,) N, F.
    """

    vertex: Indices
    others: Indices
    weights: Vectors
    place_from: Points
    place_to: Points
    length: Scalars
    pulls: Flags
    stiffness: Scalars
    damping: Scalars
    most: Scalars

    def __len__(self) -> int:
        return len(self.vertex)

    def first_half(self) -> Links:
        """The same over the first half of the substep, places going straight."""
        return replace(self, place_to=0.5 * (self.place_from + self.place_to))

    def second_half(self) -> Links:
        """The same over the second half."""
        return replace(self, place_from=0.5 * (self.place_from + self.place_to))

    def yielding(self, most: Scalars) -> Links:
        """The same, giving way beyond `most` (q,) N, and undamped, so that what slides is not held back."""
        return replace(self, most=most, damping=np.zeros(len(self)))

    def shifted(self, start: int) -> Links:
        """The same over vertices that begin at `start`; only for links to places."""
        return replace(self, vertex=(self.vertex + start).astype(np.int32)) if start else self

    def slack(self, length: float) -> Links:
        """The same, free within `length` m."""
        return replace(self, length=np.full(len(self), length), pulls=np.ones(len(self), bool))

    def fixing(self, x: Points, step: float) -> Scalars:
        """Stiffness (n,) N/m with which places alone hold each vertex at x (n, 3) m, in a substep of `step` s.

        A link that gives way holds nothing: it pulls with the same force wherever its vertex goes.
        """
        count = len(x)
        away = np.linalg.norm(x[self.vertex] - self.place_to, axis=1)
        plain = (self.others[:, 0] == NOBODY) & (self.length == 0.0) & (self.stiffness * away <= self.most)
        stiffness = self.stiffness * (1.0 + self.damping / step)
        return np.bincount(self.vertex[plain], stiffness[plain], count).astype(float)


def to_places(
    vertex: Indices, place_from: Points, place_to: Points, stiffness: Scalars, damping: Scalars
) -> Links:
    """Links that draw each vertex to its own place."""
    count = len(vertex)
    return Links(
        vertex.astype(np.int32), np.full((count, 3), NOBODY, np.int32), np.zeros((count, 3)), place_from,
        place_to, np.zeros(count), np.zeros(count, bool), stiffness, damping, np.full(count, np.inf),
    )  # fmt: skip


def between(
    vertex: Indices, others: Indices, weights: Vectors, length: Scalars, stiffness: Scalars, *, pulls: bool
) -> Links:
    """Links of cloth to cloth."""
    nowhere = np.zeros((len(vertex), 3))
    return Links(
        vertex.astype(np.int32), others.astype(np.int32), weights, nowhere, nowhere, length,
        np.full(len(vertex), pulls), stiffness, np.zeros(len(vertex)), np.full(len(vertex), np.inf),
    )  # fmt: skip


def joined(pieces: list[Links]) -> Links | None:
    """All of them in one; None when there is not a single link."""
    pieces = [piece for piece in pieces if len(piece)]
    if not pieces:
        return None
    names = Links.__dataclass_fields__
    return Links(**{name: np.concatenate([getattr(piece, name) for piece in pieces]) for name in names})


class LinkTerm:
    """The links' energy in a substep of `step` s that starts with the cloth at `start` (n, 3) m."""

    lagged = False

    def __init__(self, links: Links, start: Points, step: float) -> None:
        # Spring and dashpot to a place are one spring to a place between it and where it would be carried.
        share = np.where(links.length == 0.0, links.damping / step, 0.0)[:, None]
        carried = links.place_to + start[links.vertex] - links.place_from
        self._links = replace(
            links,
            place_to=(links.place_to + share * carried) / (1.0 + share),
            stiffness=links.stiffness * (1.0 + share[:, 0]),
        )
        self._along = np.zeros((len(links), 3))
        self._across = np.zeros(len(links))
        self._inward = np.zeros(len(links))
        self._stiff = np.zeros(len(links))

    def gradient(self, x: Points, out: Vectors) -> float:
        """Add the gradient to out (n, 3) N and return the energy, J; keeps the linearisation."""
        o = self._links
        return _pull(
            x, o.vertex, o.others, o.weights, o.place_to, o.length, o.pulls, o.stiffness, o.most, out,
            self._along, self._across, self._inward, self._stiff, True,
        )  # fmt: skip

    def energy(self, x: Points) -> float:
        """J."""
        o = self._links
        return _pull(
            x, o.vertex, o.others, o.weights, o.place_to, o.length, o.pulls, o.stiffness, o.most,
            np.zeros((0, 3)), self._along, self._across, self._inward, self._stiff, False,
        )  # fmt: skip

    def stiffen(self, stiffness: Blocks) -> None:
        """Add what holds the ends of each link."""
        o = self._links
        vertices = np.column_stack([o.vertex, o.others]).astype(np.int64)
        weights = np.column_stack([np.ones(len(o)), -o.weights])
        stiffness.tie(
            Ties(vertices, weights, self._along, self._stiff * self._inward, self._stiff * self._across)
        )

    def product(self, p: Vectors, out: Vectors) -> None:
        """All of the Hessian lies in the matrix."""


@njit(cache=True)
def _pull(
    x, vertex, others, weights, place, length, pulls, stiffness, most, out, along, across, inward, stiff, keep
):
    """Energy of the links, J; with `keep` the gradient is added to out (n, 3) N and the linearisation kept.

    x (n, 3) m; q links: vertex (q,), others (q, 3) with NOBODY for none, weights (q, 3), place (q, 3) m, length
    (q,) m, pulls (q,) bool, stiffness (q,) N/m, most (q,) N. Kept: along (q, 3) unit, across, inward (q,)
    shares of stiffness, stiff (q,) N/m.
    """
    energy = 0.0
    away = np.zeros(3)
    for i in range(vertex.shape[0]):
        far = 0.0
        for k in range(3):
            away[k] = x[vertex[i], k] - place[i, k]
            for m in range(3):
                if others[i, m] >= 0:
                    away[k] -= weights[i, m] * x[others[i, m], k]
            far += away[k] * away[k]
        far = np.sqrt(far)
        over = far - length[i]
        works = over > 0.0 or (not pulls[i] and length[i] > 0.0)
        yields = works and stiffness[i] * over > most[i]
        size = 0.0
        if yields:
            size = most[i]
            energy += most[i] * (over - 0.5 * most[i] / stiffness[i])
        elif works:
            size = stiffness[i] * over
            energy += 0.5 * stiffness[i] * over * over
        if not keep:
            continue
        stiff[i] = stiffness[i] if works or length[i] == 0.0 else 0.0
        inward[i] = 0.0 if yields else 1.0
        if far > 0.0:
            across[i] = max(0.0, size / (stiffness[i] * far)) if stiffness[i] > 0.0 else 0.0
        else:
            across[i] = 1.0 if length[i] == 0.0 else 0.0
        for k in range(3):
            along[i, k] = away[k] / far if far > 0.0 else 0.0
            force = size * along[i, k]
            out[vertex[i], k] += force
            for m in range(3):
                if others[i, m] >= 0:
                    out[others[i, m], k] -= weights[i, m] * force
    return energy
