"""Where guide stars are found to stand, against where they stand: one by one, and several as one."""

from typing import Any

import numpy as np

from campaigns.figures import run_campaign
from vigil.guiding.centroid import Place, Profile, least_error_px, place_of
from vigil.guiding.several import StarGroup

FRAMES, GROUP_FRAMES = 400, 1500
WIDTHS_PX = (1.5, 2.0, 3.0, 5.0)
BETAS = (2.7, 4.0, 30.0)
"""From wide wings to a Gaussian."""
SNRS = (10.0, 20.0, 50.0, 100.0, 200.0)
COUNTS = (1, 2, 4, 6)
_BACKGROUND_E, _READ_E, _SIDE = 30.0, 1.5, 41


def light_of(profile: Profile, snr: float) -> float:
    """Electrons of a star with that signal to noise, in the middle of a pixel: Σ p over √Σ of its noise, each
    pixel weighed by what it says."""
    shares = profile.on_pixels(_SIDE // 2, _SIDE // 2, _SIDE, _SIDE)[0]
    light = 100.0
    for _ in range(80):
        p = light * shares
        now = float(np.sqrt((p**2 / (p + _BACKGROUND_E + _READ_E**2)).sum()))
        light *= (snr / now) ** 0.9
    return light


def one_star(
    width_px: float, beta: float, elongation: float, snr: float, frames: int = FRAMES
) -> dict[str, Any]:
    """The scatter of its places against the Cramér–Rao bound, looked for from a pixel beside."""
    profile = Profile(width_px, beta, elongation, 30.0)
    rng = np.random.default_rng([31, int(10 * width_px), int(beta), int(snr)])
    light, off, told, lost = light_of(profile, snr), [], [], 0
    for _ in range(frames):
        x, y = _SIDE // 2 + rng.uniform(-0.5, 0.5, 2)
        shares = profile.on_pixels(x, y, _SIDE, _SIDE)[0]
        image = rng.poisson(light * shares + _BACKGROUND_E) + rng.normal(0, _READ_E, shares.shape)
        near = _SIDE // 2 + rng.normal(0, 1), _SIDE // 2 + rng.normal(0, 1)
        found = place_of(image, near, profile)
        if found is None:
            lost += 1
            continue
        off += [found.x_px - x, found.y_px - y]
        told.append(found.error_px)
    # the bound is that of the middle of a pixel; over the pixel it changes by a few percent when it is coarse
    bound = float(np.sqrt(np.mean(np.square([_bound(profile, light, rng) for _ in range(20)]))))
    return {
        "kind": "star",
        "width_px": width_px,
        "beta": beta,
        "elongation": elongation,
        "snr": snr,
        "of_bound": round(float(np.std(off)) / bound, 4),
        "told_of_real": round(float(np.mean(told)) / float(np.std(off)), 4),
        "lost": lost,
    }


def _bound(profile: Profile, light: float, rng: np.random.Generator) -> float:
    if profile.fwhm_px > 2.5:
        return least_error_px(profile, light, _BACKGROUND_E, _READ_E)
    x, y = _SIDE // 2 + rng.uniform(-0.5, 0.5, 2)
    value, by_x, by_y = profile.on_pixels(x, y, _SIDE, _SIDE)
    variance = light * value + _BACKGROUND_E + _READ_E**2
    informed = [float(((light * slope) ** 2 / variance).sum()) for slope in (by_x, by_y)]
    return float(np.sqrt(np.mean([1 / i for i in informed])))


def one_group(count: int, frames: int = GROUP_FRAMES) -> dict[str, Any]:
    """Stars that dance for themselves by a fifth of a pixel: what is left of it in all of them together."""
    rng = np.random.default_rng([37, count])
    homes = rng.uniform(50, 900, (count, 2))
    group, off = StarGroup.at([(x, y) for x, y in homes]), []
    for _ in range(frames):
        moved = rng.normal(0, 0.8, 2)
        places = [
            Place(*(home + moved + rng.normal(0, 0.2, 2)), 0.05, 1e4, 1e3, 100.0, 60.0) for home in homes
        ]
        shift = group.shift_of(places)
        assert shift is not None
        off += [shift.dx_px - moved[0], shift.dy_px - moved[1]]
    left = float(np.std(off[100:])) / 0.2
    return {
        "kind": "group",
        "stars": count,
        "left_of_one": round(left, 4),
        "times_root": round(left * count**0.5, 4),
    }


def summarise(results: list[dict[str, Any]]) -> dict[str, Any]:
    stars = [r for r in results if r["kind"] == "star"]
    groups = [r for r in results if r["kind"] == "group"]
    return {
        "stars": len(stars),
        "worst_of_bound": max(r["of_bound"] for r in stars),
        "within_1_2_of_bound": sum(r["of_bound"] <= 1.2 for r in stars),
        "told_of_real": [min(r["told_of_real"] for r in stars), max(r["told_of_real"] for r in stars)],
        "lost": sum(r["lost"] for r in stars),
        "groups_times_root": {str(r["stars"]): r["times_root"] for r in groups},
    }


def campaign() -> dict[str, Any]:
    """60 kinds of round stars and 15 of long ones, 400 frames each; groups of up to six."""
    items = [
        (
            f"{width:g} px, exponent {beta:g}, signal to noise {snr:g}",
            lambda a=(width, beta, 1.0, snr): one_star(*a),
        )
        for width in WIDTHS_PX
        for beta in BETAS
        for snr in SNRS
    ]
    items += [
        (f"long, exponent {beta:g}, signal to noise {snr:g}", lambda a=(2.5, beta, 1.6, snr): one_star(*a))
        for beta in BETAS
        for snr in SNRS
    ]
    items += [(f"{count} stars", lambda n=count: one_group(n)) for count in COUNTS]
    return run_campaign("guidestars", items, summarise)
