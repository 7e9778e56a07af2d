"""The length of a sub-exposure: what read noise costs at it, and which stars clip."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
USUAL_COST = 0.05


@dataclass(frozen=True, slots=True)
class Measured:
    """What frames through one filter showed. Of one pixel: `light_e_s` the sky with the dark current,
    `read_noise_e` that of one read. `peaks_e_s` are the rates of the brightest pixels of stars over the sky,
    `clips_e` what a pixel holds above its bias. `between_s` passes from frame to frame."""

    light_e_s: float
    read_noise_e: float
    peaks_e_s: Floats
    clips_e: float
    between_s: float = 0.0


@dataclass(frozen=True, slots=True)
class Curve:
    """Against lengths: the noise of a stack above that of one without read noise (share), and stars that
    clip."""

    exposure_s: Floats
    cost: Floats
    clipped: NDArray[np.int64]


@dataclass(frozen=True, slots=True)
class Advice:
    """`exposure_s` is the length at which read noise costs `cost_share`; `clips_s` the one from which on
    stars clip (None: none are known to), more than one in a hundred of them `many_clip_s`; `words` say what
    to do."""

    exposure_s: float
    cost_share: float
    clips_s: float | None
    many_clip_s: float | None
    words: str


def sky_e_s(background_adu: float, bias_adu: float, electrons_per_adu: float, exposure_s: float) -> float:
    """Electrons a second and pixel of sky and dark current, from a frame's background over its zero level."""
    return max(background_adu - bias_adu, 0.0) * electrons_per_adu / exposure_s


def sky_e_s_by_noise(
    noise_adu: float, electrons_per_adu: float, read_noise_e: float, exposure_s: float
) -> float:
    """The same from the noise between a frame's pixels, where the zero level isn't known: what is more than
    the read noise is that of the light (Poisson)."""
    return max((noise_adu * electrons_per_adu) ** 2 - read_noise_e**2, 0.0) / exposure_s


def cost_of(exposure_s: float | Floats, light_e_s: float, read_noise_e: float) -> Floats:
    """How much more noise a stack of such frames has than one without read noise, as a share: a read adds
    R² to the light's own variance of light × exposure (Howell, Handbook of CCD Astronomy, 2006, 4.4)."""
    light = np.maximum(light_e_s * np.asarray(exposure_s, dtype=float), 1e-12)
    return np.asarray(np.sqrt(1 + read_noise_e**2 / light) - 1)


def length_of_cost(cost_share: float, light_e_s: float, read_noise_e: float) -> float:
    """The length in seconds at which read noise costs a share of the noise; infinite without light. Raises
    ValueError for a share that is none."""
    if not cost_share > 0:
        raise ValueError(f"read noise always costs something: a share over 0, not {cost_share:g}")
    if not light_e_s > 0:
        return float("inf")
    return read_noise_e**2 / (light_e_s * ((1 + cost_share) ** 2 - 1))


def clipping_s(measured: Measured) -> Floats:
    """The length from which on each star clips, rising."""
    rates = measured.peaks_e_s[measured.peaks_e_s > 0] + measured.light_e_s
    return np.sort(measured.clips_e / rates)


def curve(measured: Measured, shortest_s: float = 1.0, longest_s: float = 1200.0, points: int = 160) -> Curve:
    """Over lengths spaced evenly in their logarithm."""
    lengths = np.geomspace(shortest_s, longest_s, points)
    clips = clipping_s(measured)
    return Curve(
        lengths,
        cost_of(lengths, measured.light_e_s, measured.read_noise_e),
        np.searchsorted(clips, lengths, side="right"),
    )


def advise(measured: Measured, cost_share: float = USUAL_COST, longest_s: float = 900.0) -> Advice:
    """What to expose by. Raises ValueError as length_of_cost."""
    length = length_of_cost(cost_share, measured.light_e_s, measured.read_noise_e)
    clips = clipping_s(measured)
    first = float(clips[0]) if clips.size else None
    # one in a hundred: bright stars clip in any frame worth taking
    share = max(1, int(np.ceil(0.01 * len(measured.peaks_e_s))))
    many = float(clips[share - 1]) if clips.size >= share else None
    percent = f"{100 * cost_share:g} %"
    if length > longest_s:
        own = float(cost_of(longest_s, measured.light_e_s, measured.read_noise_e))
        words = f"as long as you can: read noise costs {100 * own:.0f} % at {longest_s:g} s still"
        if np.isfinite(length):
            words += f", {percent} at {length:.0f} s"
    else:
        words = f"{length:.0f} s: read noise costs {percent} there, and longer frames gain little"
    if many is not None and many < min(length, longest_s):
        words += f"; but from {many:.0f} s on more than one star in a hundred clips"
    return Advice(length, cost_share, first, many, words)
