"""How wide stars are measured to be, on fields drawn here from the formulas of Gauss and Moffat."""

from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import brentq

from campaigns.figures import run_campaign
from vigil.imaging.stars import measure_field

Floats = NDArray[np.float64]
BETAS = (2.0, 2.5, 3.0, 4.0, 5.0, None)
"""Moffat's exponent; None is a Gaussian."""
FWHM_PX = (1.5, 2.0, 3.0, 4.0, 6.0, 8.0)
ELONGATIONS = (1.0, 1.25, 1.5)
LEAST_SNR, MOST_SNR = 20.0, 500.0
FAINT_SNR, FAINT_FWHM_PX = 25.0, (2.0, 3.0, 4.0)
"""Fields of faint stars alone: where stars are wider, those are not detected."""
_SPACING_PX, _SIDE = 72, 14
_FINE = 7
_SKY_ADU, _NOISE_ADU = 1000.0, 8.0


def profile(r2: Floats, beta: float | None) -> Floats:
    """Surface brightness at a squared radius in units of FWHM squared, 1 in the middle."""
    if beta is None:
        return np.exp(-4 * np.log(2) * r2)
    return (1 + 4 * (2 ** (1 / beta) - 1) * r2) ** -beta


def field(
    fwhm_px: float,
    beta: float | None,
    elongation: float,
    seed: int,
    side: int = _SIDE,
    most: float = MOST_SNR,
) -> NDArray[np.uint16]:
    """A field of stars on a loose grid, so many a side, each at its own place within a pixel, from LEAST_SNR
    upwards; the ratio is that of the best-weighted sum of a star's pixels to its noise."""
    rng = np.random.default_rng([31, seed])
    image = np.full((_SPACING_PX * side, _SPACING_PX * side), _SKY_ADU)
    half = _SPACING_PX // 2
    turn = rng.uniform(0, np.pi)
    steps = (np.arange(_FINE) + 0.5) / _FINE - 0.5
    fine = (np.arange(-half, half)[:, None] + steps).ravel()
    for row in range(side):
        for column in range(side):
            dx, dy = rng.uniform(-0.5, 0.5, 2)
            x, y = fine[None, :] - dx, fine[:, None] - dy
            along, across = x * np.cos(turn) + y * np.sin(turn), y * np.cos(turn) - x * np.sin(turn)
            shape = profile((along**2 / elongation + across**2 * elongation) / fwhm_px**2, beta)
            drawn = shape.reshape(2 * half, _FINE, 2 * half, _FINE).mean(axis=(1, 3))
            snr = LEAST_SNR * (most / LEAST_SNR) ** rng.uniform()
            drawn *= snr * _NOISE_ADU / np.sqrt(np.sum(drawn**2))
            image[
                row * _SPACING_PX : (row + 1) * _SPACING_PX, column * _SPACING_PX : (column + 1) * _SPACING_PX
            ] += drawn
    image += rng.normal(0, _NOISE_ADU, image.shape)
    return np.clip(np.rint(image), 0, 65535).astype(np.uint16)


def half_flux_radius_px(fwhm_px: float, beta: float | None, elongation: float) -> float:
    """Of the whole profile, by its integral: the circle that holds half of all light."""
    if beta == 2.0 and elongation == 1.0:
        return fwhm_px / (2 * np.sqrt(2**0.5 - 1))
    angle = (np.arange(180) + 0.5) * np.pi / 180
    # squared radius of the unit profile along each direction, for a circle of radius 1
    stretch = np.cos(angle) ** 2 / elongation + np.sin(angle) ** 2 * elongation

    def inside(radius: float) -> float:
        """Share of the light, by integrating each direction in closed form."""
        r2 = radius**2 * stretch / fwhm_px**2
        if beta is None:
            part = 1 - np.exp(-4 * np.log(2) * r2)
        else:
            part = 1 - (1 + 4 * (2 ** (1 / beta) - 1) * r2) ** (1 - beta)
        return float(np.mean(part / stretch) / np.mean(1 / stretch))

    return float(brentq(lambda r: inside(r) - 0.5, 0.01 * fwhm_px, 20 * fwhm_px))


def measured(
    fwhm_px: float,
    beta: float | None,
    elongation: float,
    seed: int,
    side: int = _SIDE,
    most: float = MOST_SNR,
) -> dict[str, Any]:
    """One field's figures against what was drawn, in per cent."""
    found = measure_field(field(fwhm_px, beta, elongation, seed, side, most))
    truth = half_flux_radius_px(fwhm_px, beta, elongation)
    return {
        "beta": beta,
        "fwhm_px": fwhm_px,
        "elongation": elongation,
        "most_snr": most,
        "stars": len(found.stars),
        "fwhm_off_percent": round(100 * (found.fwhm_px / fwhm_px - 1), 2),
        "hfr_off_percent": round(100 * float(found.hfr_px / truth - 1), 2),
    }


def campaign() -> dict[str, Any]:
    """All profiles, widths and shapes; and fields with faint stars alone."""
    cases = [(fwhm, beta, long, MOST_SNR) for beta in BETAS for fwhm in FWHM_PX for long in ELONGATIONS]
    cases += [(fwhm, beta, 1.0, FAINT_SNR) for beta in BETAS for fwhm in FAINT_FWHM_PX]
    items: list[tuple[str, Callable[[], dict[str, Any]]]] = []
    for number, (fwhm, beta, long, most) in enumerate(cases):
        shape = "Gauss" if beta is None else f"Moffat {beta:g}"
        key = f"{shape}, {fwhm:g} px, elongation {long:g}, signal to noise 20 to {most:g}"
        values = (fwhm, beta, long, number, _SIDE, most)
        items.append((key, lambda values=values: measured(*values)))
    return run_campaign("starsizes", items, summarise)


def summarise(found: list[dict[str, Any]]) -> dict[str, Any]:
    """The worst of each figure."""
    told: dict[str, Any] = {"fields": len(found)}
    for name, most in (("", MOST_SNR), ("faint_", FAINT_SNR)):
        these = [f for f in found if f["most_snr"] == most]
        for figure in ("fwhm", "hfr"):
            told[f"worst_{name}{figure}_percent"] = max(abs(f[f"{figure}_off_percent"]) for f in these)
    return told
