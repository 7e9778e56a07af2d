"""Each filter's focus against the reference's, from several runs through each in turn.

position = filter + drift · time: while the runs go on the tube cools, and focus moves with it.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy.special import stdtrit

from vigil.focusing.history import Estimate

_LEAST_FOR_DRIFT = 2
"""Runs through a filter, without which drift can't be told from it."""


@dataclass(frozen=True, slots=True)
class FilterRun:
    """An accepted run: through what, when (seconds from any moment), the best position and half its 95 %
    interval (steps)."""

    filter: str
    at_s: float
    position: float
    half: float


class NoOffsets(ValueError):
    """The runs tell no offsets; the message says why."""


def measured_offsets(runs: Sequence[FilterRun], reference: str) -> dict[str, Estimate]:
    """In steps from the reference's position; the reference's own is 0. Raises NoOffsets.

    The intervals are by the scatter of the runs about the model, or by what each run says of itself,
    whichever is larger.
    """
    names = [reference, *sorted({run.filter for run in runs} - {reference})]
    if not any(run.filter == reference for run in runs):
        raise NoOffsets(f"no run through {reference}, against which the others are told, was accepted")
    if len(names) < 2:
        raise NoOffsets(f"only runs through {reference} were accepted")
    position = np.array([run.position for run in runs])
    sigma = np.array([max(run.half / 1.96, 0.1) for run in runs])
    at = np.array([run.at_s for run in runs])
    columns = [np.ones(len(runs)), *(np.array([float(r.filter == name) for r in runs]) for name in names[1:])]
    repeated = min(sum(r.filter == name for r in runs) for name in names) >= _LEAST_FOR_DRIFT
    if repeated and np.ptp(at) > 0:
        columns.append((at - at.mean()) / np.ptp(at))
    design = np.stack(columns, axis=1) / sigma[:, None]
    inverse = np.linalg.inv(design.T @ design)
    found = inverse @ (design.T @ (position / sigma))
    freedom = len(runs) - design.shape[1]
    off = position / sigma - design @ found
    # few runs tell their own scatter badly; then what each says of itself counts
    spread = max(float(off @ off) / freedom, 1.0) if freedom > 0 else 1.0
    reach = (stdtrit(freedom, 0.975) if freedom >= 3 else 1.96) * np.sqrt(np.diag(inverse) * spread)
    told = {reference: Estimate(0.0, (0.0, 0.0))}
    for k, name in enumerate(names[1:], start=1):
        value = float(found[k])
        told[name] = Estimate(value, (value - float(reach[k]), value + float(reach[k])))
    return told


def order(filters: Sequence[str], rounds: int) -> list[str]:
    """There and back again, so that a steady drift falls on all alike."""
    found: list[str] = []
    for k in range(rounds):
        found += list(filters) if k % 2 == 0 else list(filters)[::-1]
    return found
