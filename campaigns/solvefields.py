"""Rendered frames of random fields, solved from a position that is off."""

from typing import Any

import numpy as np

from campaigns.demo import demo_rig
from campaigns.figures import run_campaign
from vigil.documents.rig import Rig
from vigil.engine.measuring import solve_image
from vigil.simulator.above.light import OPEN_BAND, Light
from vigil.simulator.chance import generator
from vigil.simulator.frame.draw import draw
from vigil.simulator.frame.scene import Aim, Blur, Scene, Sensor, Shade, Sky
from vigil.sky.angles import separation_deg, wrap_180
from vigil.sky.tangent import deproject
from vigil.solving.near import Hint

FIELDS = range(100)
_CASES = {"1° off": (1.0, 0.0), "3° off, 10 % in scale": (2.95, 0.1), "mirrored, 1° off": (1.0, 0.0)}


def field_scene(rig: Rig, number: int) -> Scene:
    """A random place and rotation under a random sky, 4 s through L."""
    rng = generator(405, "field", number)
    camera, telescope = rig.camera, rig.telescope
    point = camera.at_gain(100)
    return Scene(
        noise_key=(405, "field", number),
        aim=Aim(
            float(rng.uniform(0, 360)),
            float(np.degrees(np.arcsin(rng.uniform(-1, 1)))),
            float(rng.uniform(0, 360)),
        ),
        scale_arcsec_px=rig.scale_arcsec_px(),
        exposure_s=4.0,
        light=Light(np.pi / 400 * telescope.aperture_mm**2, 0.6, OPEN_BAND, 0.0, 0.0),
        sensor=Sensor(
            shape=rig.field_px(),
            pixel_um=camera.pixel_um,
            binning=1,
            electrons_per_adu=point.electrons_per_adu,
            bias_adu=500.0,
            read_noise_e=point.read_noise_e,
            full_well_e=point.full_well_e,
            full_scale_adu=camera.full_scale_adu,
            dark_e_s=0.002,
            hot_share=3e-4,
            hot_seed=405,
        ),
        blur=Blur(round(float(rng.uniform(1.6, 2.4)), 2)),
        shade=Shade(0.18, 6, 405),
        sky=Sky(number, float(rng.uniform(19.5, 21.3))),
    )


def try_field(rig: Rig, number: int, case: str) -> dict[str, Any]:
    """Draw, solve, compare. `wrong` is a solution that says solved and isn't there."""
    off_deg, scale_error = _CASES[case]
    scene = field_scene(rig, number)
    image = draw(scene)
    mirrored = case.startswith("mirrored")
    if mirrored:
        image = image[:, ::-1]
    rng = generator(405, "hint", number)
    way = rng.uniform(0, 2 * np.pi)
    ra, dec = deproject(off_deg * np.sin(way), off_deg * np.cos(way), scene.aim.ra_deg, scene.aim.dec_deg)
    scale = scene.scale_arcsec_px * (1 + scale_error * rng.choice([-1, 1]))
    solved = solve_image(image, Hint(float(ra), float(dec), 0.88 * scale, 1.12 * scale))
    wcs = solved.solution.wcs
    result: dict[str, Any] = {
        "solved": wcs is not None,
        "wrong": False,
        "stars": solved.solution.stars_detected,
        "matched": solved.solution.stars_matched,
        "reason": solved.solution.reason,
        "match_s": round(solved.match_s, 3),
    }
    if wcs is not None:
        error_arcsec = 3600 * float(
            separation_deg(wcs.ra_deg, wcs.dec_deg, scene.aim.ra_deg, scene.aim.dec_deg)
        )
        turned = float(wrap_180(wcs.position_angle_deg - scene.aim.position_angle_deg))
        result |= {
            "error_arcsec": round(error_arcsec, 3),
            "scale_error_percent": round(100 * (wcs.scale_arcsec_px / scene.scale_arcsec_px - 1), 5),
            "rotation_error_deg": round(turned, 5),
            "wrong": bool(error_arcsec > 10 or abs(turned) > 0.5 or wcs.mirrored != mirrored),
        }
    return result


def try_empty(rig: Rig, number: int) -> dict[str, Any]:
    """Stars of another part of the sky: nothing may be found."""
    scene = field_scene(rig, number)
    elsewhere = (scene.aim.ra_deg + 40) % 360, -scene.aim.dec_deg
    scale = scene.scale_arcsec_px
    solved = solve_image(draw(scene), Hint(*elsewhere, 0.88 * scale, 1.12 * scale)).solution
    return {"solved": solved.solved, "wrong": solved.solved, "reason": solved.reason}


def campaign() -> dict[str, Any]:
    """A hundred fields in each case, and a hundred that must not solve."""
    rig = demo_rig()
    items = [
        (f"{case}: field {number}", lambda case=case, number=number: try_field(rig, number, case))
        for case in _CASES
        for number in FIELDS
    ]
    items += [(f"elsewhere: field {n}", lambda n=n: try_empty(rig, n)) for n in FIELDS]
    return run_campaign("solving", items, lambda results: _summary(items, results))


def _summary(items: list[Any], results: list[dict[str, Any]]) -> dict[str, Any]:
    summary: dict[str, Any] = {}
    for case in (*_CASES, "elsewhere"):
        chosen = [r for (key, _), r in zip(items, results, strict=True) if key.startswith(case + ":")]
        errors = [r["error_arcsec"] for r in chosen if "error_arcsec" in r]
        summary[case] = {
            "fields": len(chosen),
            "solved": sum(r["solved"] for r in chosen),
            "wrong": sum(r["wrong"] for r in chosen),
        }
        if errors:
            summary[case] |= {
                "median_error_arcsec": float(np.median(errors)),
                "worst_error_arcsec": max(errors),
            }
    return summary
