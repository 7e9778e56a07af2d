"""A flat panel's brightness by its level: one curve for all filters, each with a factor of its own.

A panel's brightness is no straight line in its steps: drivers and light sources have a threshold and a power
of their own. In logarithms that is rate = a + γ x + δ x², x the logarithm of the level; a little is known
of γ and δ beforehand, so that one trial a filter is of use, and every trial of any filter bends the curve for
all.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from vigil.levels.trials import Camera, Trial

Floats = NDArray[np.float64]
_GAMMA, _GAMMA_SIGMA, _BEND_SIGMA = 1.0, 0.5, 0.08
"""Brightness in proportion to the step, give or take: from its square root to its square and more."""
_TRIAL_SIGMA = 0.012
"""Of a trial's rate, as a share: flicker, shutter, the lamp's warmth."""
_ROUGH_SIGMA = 0.04
"""By how much a real panel leaves any smooth curve, as a share, between two steps far apart."""


@dataclass(frozen=True, slots=True)
class Brightness:
    """ADU a second, and how sure that is, as a share."""

    rate_adu_s: float
    sigma_share: float


@dataclass(frozen=True, slots=True)
class PanelModel:
    """Fitted to trials; `filters` are those that a trial says anything of."""

    filters: tuple[str, ...]
    _values: Floats
    _covariance: Floats
    _middle: float
    _tried: dict[str, tuple[tuple[float, float], ...]]
    """Of each filter: logarithms of a level and of the rate there."""

    def brightness(self, filter_name: str, level: int) -> Brightness:
        """Raises KeyError for a filter without a trial of use."""
        if filter_name not in self.filters:
            raise KeyError(f"no trial says how bright {filter_name} is")
        x = math.log(max(level, 1))
        row = self._row(filter_name, x)
        fitted = float(row @ self._values)
        nearest = min(self._tried[filter_name], key=lambda tried: abs(tried[0] - x))
        # a step that was tried is known by its trial; the farther from one, the more by the curve
        there = float(self._row(filter_name, nearest[0]) @ self._values)
        apart = abs(nearest[0] - x)
        sigma = math.hypot(_TRIAL_SIGMA, _ROUGH_SIGMA * min(apart, 1.0), self._slope_sigma(x, nearest[0]))
        return Brightness(math.exp(fitted + nearest[1] - there), sigma)

    def ratio(self, level: int, from_level: int) -> float:
        """By how much it is brighter at a level than at another one, whatever the filter."""
        x, before = (math.log(max(v, 1)) - self._middle for v in (level, from_level))
        gamma, bend = self._values[-2:]
        return math.exp(gamma * (x - before) + bend * (x**2 - before**2))

    def _row(self, filter_name: str, x: float) -> Floats:
        row = np.zeros(len(self.filters) + 2)
        row[self.filters.index(filter_name)] = 1.0
        row[-2], row[-1] = x - self._middle, (x - self._middle) ** 2
        return row

    def _slope_sigma(self, x: float, tried_x: float) -> float:
        """Of the curve between two levels."""
        difference = np.array(
            [x - tried_x, (x - self._middle) ** 2 - (tried_x - self._middle) ** 2], dtype=float
        )
        return float(np.sqrt(max(difference @ self._covariance[-2:, -2:] @ difference, 0.0)))


def fit_panel(trials: Sequence[Trial], camera: Camera) -> PanelModel | None:
    """By least squares with what is known beforehand; None where no trial is of use."""
    used = [t for t in trials if not t.clipped(camera) and not t.too_dark(camera) and t.level > 0]
    if not used:
        return None
    filters = tuple(dict.fromkeys(t.filter for t in used))
    x = np.array([math.log(t.level) for t in used])
    y = np.array([math.log(t.rate_adu_s(camera)) for t in used])
    middle = float(x.mean())
    design = np.zeros((len(used), len(filters) + 2))
    for k, trial in enumerate(used):
        design[k, filters.index(trial.filter)] = 1.0
    design[:, -2], design[:, -1] = x - middle, (x - middle) ** 2
    sigma = math.hypot(_TRIAL_SIGMA, _ROUGH_SIGMA / 2)
    prior = np.zeros((2, design.shape[1]))
    prior[0, -2], prior[1, -1] = 1 / _GAMMA_SIGMA, 1 / _BEND_SIGMA
    whole = np.vstack([design / sigma, prior])
    wanted = np.concatenate([y / sigma, [_GAMMA / _GAMMA_SIGMA, 0.0]])
    covariance = np.linalg.pinv(whole.T @ whole)
    values = covariance @ whole.T @ wanted
    tried = {
        name: tuple((float(a), float(b)) for a, b, t in zip(x, y, used, strict=True) if t.filter == name)
        for name in filters
    }
    return PanelModel(filters, values, covariance, middle, tried)
