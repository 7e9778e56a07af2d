"""The solver over the whole sky: success by the number of catalogue stars, no wrong solution, accuracy."""

from collections import Counter
from collections.abc import Callable, Iterator
from dataclasses import replace
from functools import cache
from pathlib import Path
from typing import Any

import numpy as np

from campaigns.demo import demo_rig
from campaigns.figures import run_campaign
from campaigns.shooting import under_the_sky
from campaigns.troubles import SIDE_PX, Case, case_of, frame_of, stars_of
from vigil.devices.protocols import Exposure
from vigil.documents.scenario import Scenario
from vigil.files.skytable import has_table, make_table
from vigil.files.solver import Search, solve_picture, solve_stars
from vigil.files.starcatalogue import star_catalogue
from vigil.imaging.stars import Stars, measure_field
from vigil.runtime.folders import cache_folder
from vigil.simulator.byhand import expose_at, point, set_up
from vigil.simulator.chance import generator
from vigil.simulator.frame.draw import draw
from vigil.simulator.frame.scene import Scene, to_pixels
from vigil.simulator.observatory import SimObservatory
from vigil.sky.angles import separation_deg, wrap_180
from vigil.sky.horizontal import unobserve
from vigil.sky.instants import from_datetimes
from vigil.sky.tangent import deproject
from vigil.solving.blind import Breadth
from vigil.solving.near import Hint
from vigil.solving.solution import BLIND, Solution

EACH = 200
CLASSES = {"7 to 10": (7, 10), "11 to 20": (11, 20), "21 to 50": (21, 50), "over 50": (51, 10**6)}
USUAL_DEG = (0.7, 4.0)
_OTHER = {"0.4° to 0.7°": ((0.4, 0.7), 100), "4° to 12°": ((4.0, 12.0), 100)}
_FEW = (0, 5)
_NOTHING, _FEW_FIELDS, _ACCURATE = 500, 40, 60
_WRONG_ARCMIN, _WRONG_SHARE = 1.0, 0.01
_OFF_DEG, _SCALE_OFF = 2.8, 0.15


@cache
def table_cache() -> Path:
    """The user's table where there is one, else one made for this run."""
    folder = cache_folder()
    if not has_table(folder):
        make_table(folder, star_catalogue())
    return folder


def searches(case: Case) -> dict[str, Search]:
    """Near, from a position and scale that are off; and blind."""
    rng = generator(406, f"hint {case.key[1]}", case.key[2])
    aim, way, off = case.scene.aim, rng.uniform(0, 2 * np.pi), rng.uniform(0, _OFF_DEG)
    ra, dec = deproject(off * np.sin(way), off * np.cos(way), aim.ra_deg, aim.dec_deg)
    scale = case.scene.scale_arcsec_px * float(rng.uniform(1 - _SCALE_OFF, 1 + _SCALE_OFF))
    hint = Hint(float(ra), float(dec), scale / 1.2, scale * 1.2)
    return {"near": Search(hint), "blind": Search(None, Breadth(), table_cache())}


def try_case(case: Case) -> dict[str, Any]:
    """Draw, detect, solve both ways, compare."""
    image = frame_of(case)
    picked = "missing and spurious" in case.troubles
    stars = stars_of(case, image) if picked else None
    result: dict[str, Any] = {
        "side_deg": round(case.side_deg, 3),
        "left": case.stars_left,
        "troubles": case.troubles,
    }
    for name, search in searches(case).items():
        if stars is not None:
            found = solve_stars(stars, image.shape, search)
        else:
            found = solve_picture(image, search).solution
        result[name] = judged(found, case)
    return result


def judged(found: Solution, case: Case) -> dict[str, Any]:
    """Whether it is solved, and whether wrongly: over 1′ or 1 % off, or the wrong hand."""
    if found.wcs is None:
        return {"solved": False, "wrong": False, "reason": found.reason}
    # a mirrored frame is turned about its middle: the centre stays
    off_arcsec = 3600 * min(
        float(separation_deg(found.wcs.ra_deg, found.wcs.dec_deg, *centre)) for centre in case.centres_deg()
    )
    scale_off = abs(found.wcs.scale_arcsec_px / case.scene.scale_arcsec_px - 1)
    wrong = off_arcsec > 60 * _WRONG_ARCMIN or scale_off > _WRONG_SHARE or found.wcs.mirrored != case.mirrored
    return {
        "solved": True,
        "wrong": bool(wrong),
        "off_arcsec": round(off_arcsec, 2),
        "matched": found.stars_matched,
        "order": found.wcs.sip.order if found.wcs.sip else 1,
    }


def cases(klass: str, count: int) -> Iterator[Case]:
    """The first fields of a class in a fixed order."""
    low, high = CLASSES[klass]
    number = found = 0
    while found < count:
        case = case_of(number, USUAL_DEG, "usual")
        number += 1
        if low <= case.stars_left <= high:
            found += 1
            yield case


def few(count: int) -> Iterator[Case]:
    """Fields where the catalogue runs out."""
    number = found = 0
    while found < count:
        case = case_of(number, (0.15, 0.6), "few")
        number += 1
        if _FEW[0] <= case.stars_left <= _FEW[1]:
            found += 1
            yield case


def try_few(case: Case) -> dict[str, Any]:
    """Where the catalogue has next to nothing, that must be said."""
    result = try_case(case)
    for name in ("near", "blind"):
        result[name]["said"] = result[name]["solved"] or "too few stars" in result[name]["reason"]
    return result


def try_nothing(number: int) -> dict[str, Any]:
    """Noise, a frame of clouds, or the stars of a real frame shuffled: nothing may be found."""
    rng = generator(406, "nothing", number)
    case = case_of(number, USUAL_DEG, "nothing")
    kind = ("noise", "clouds", "shuffled", "shuffled", "shuffled")[number % 5]
    if kind == "noise":
        count = int(rng.integers(10, 400))
        stars = _stars_at(
            rng.uniform(0, SIDE_PX, count), rng.uniform(0, SIDE_PX, count), rng.exponential(1, count)
        )
    elif kind == "clouds":
        assert case.scene.sky is not None
        sky = replace(case.scene.sky, cloud_mag=6.0, mag_arcsec2=17.5)
        stars = measure_field(draw(replace(case.scene, sky=sky)), threshold_sigma=3.0).stars
    else:
        real = measure_field(frame_of(case)).stars
        stars = replace(real, x_px=rng.permutation(real.x_px), y_px=rng.permutation(real.y_px))
    result: dict[str, Any] = {"kind": kind, "stars": len(stars)}
    for name, search in searches(case).items():
        found = solve_stars(stars, (SIDE_PX, SIDE_PX), search)
        # under clouds the brightest stars may be seen; then solving them is right
        result[name] = (
            judged(found, replace(case, mirrored=False, troubles=()))
            if kind == "clouds"
            else {"solved": found.solved, "wrong": found.solved}
        )
    return result


def _stars_at(x: np.ndarray, y: np.ndarray, flux: np.ndarray) -> Stars:
    no = np.zeros(len(x), bool)
    return Stars(x, y, flux, flux, np.ones(len(x)), no, no, np.full(len(x), 5.0))


def try_accuracy(number: int) -> dict[str, Any]:
    """A frame of the demo rig through the air, against its map from ICRS to pixels linearised at its
    centre."""
    scene = scene_above_30(number)
    rng = generator(406, "accuracy hint", number)
    scale = scene.scale_arcsec_px
    hint = Hint(
        (scene.aim.ra_deg + float(rng.uniform(-1, 1))) % 360,
        float(np.clip(scene.aim.dec_deg + rng.uniform(-1, 1), -90, 90)),
        scale / 1.1,
        scale * 1.1,
    )
    found = solve_picture(draw(scene), Search(hint)).solution
    if found.wcs is None:
        return {"solved": False, "reason": found.reason}
    ra, dec, true_scale, true_angle = linearised(scene)
    return {
        "solved": True,
        "centre_arcsec": round(3600 * float(separation_deg(found.wcs.ra_deg, found.wcs.dec_deg, ra, dec)), 3),
        "scale_percent": round(100 * abs(found.wcs.scale_arcsec_px / true_scale - 1), 5),
        "rotation_deg": round(abs(float(wrap_180(found.wcs.position_angle_deg - true_angle))), 5),
        "matched": found.stars_matched,
        "rms_arcsec": round(found.rms_arcsec, 3),
        "order": found.wcs.sip.order if found.wcs.sip else 1,
    }


def scene_above_30(number: int) -> Scene:
    """What the demo rig's camera sees at a random place above 30°, 10 s through L."""
    rig = demo_rig()
    rng = generator(406, "accuracy", number)

    async def work(sim: SimObservatory, clock: Any) -> Scene:
        now = clock.utcnow()
        site = rig.site.place()
        while True:
            hour_angle, dec = float(rng.uniform(-90, 90)), float(np.degrees(np.arcsin(rng.uniform(-0.6, 1))))
            up = np.sin(np.radians(dec)) * np.sin(np.radians(site.latitude_deg)) + np.cos(
                np.radians(dec)
            ) * np.cos(np.radians(site.latitude_deg)) * np.cos(np.radians(hour_angle))
            if up > 0.5:
                break
        ra_deg, dec_deg = unobserve(hour_angle, dec, from_datetimes(now), site)
        set_up(sim, "L", None)
        point(sim, (float(ra_deg % 360), float(dec_deg)))
        _, scene = await expose_at(sim, Exposure(10.0, 100, 50), 0.0)
        return scene

    return under_the_sky(rig, Scenario(), work, seed=number)


def linearised(scene: Scene) -> tuple[float, float, float, float]:
    """ICRS centre, scale (″/px) and position angle of the frame's map at its centre, found by small steps."""
    rows, columns = scene.sensor.shape
    ra, dec = scene.aim.ra_deg, scene.aim.dec_deg
    step_deg = 0.01
    for _ in range(4):
        around = deproject(np.array([0, step_deg, 0.0]), np.array([0, 0.0, step_deg]), ra, dec)
        x, y, _ = to_pixels(*around, scene)
        jacobian = np.array([[x[1] - x[0], x[2] - x[0]], [y[1] - y[0], y[2] - y[0]]]) / step_deg
        miss = np.array([(columns - 1) / 2 - x[0], (rows - 1) / 2 - y[0]])
        xi, eta = np.linalg.solve(jacobian, miss)
        moved = deproject(float(xi), float(eta), ra, dec)
        ra, dec = float(moved[0]), float(moved[1])
    cd = np.linalg.inv(jacobian)
    scale = float(np.sqrt(abs(np.linalg.det(cd))) * 3600)
    return ra, dec, scale, float(np.degrees(np.arctan2(cd[0, 1], cd[1, 1])) % 360)


def campaign() -> dict[str, Any]:
    """All fields of all classes, sizes beyond the usual, few stars, nothing at all, and the accuracy."""
    items: list[tuple[str, Callable[[], dict[str, Any]]]] = []
    for klass in CLASSES:
        for n, case in enumerate(cases(klass, EACH)):
            items.append((f"{klass}: {n}", lambda case=case: try_case(case)))
    for name, (sides, count) in _OTHER.items():
        for n in range(count):
            items.append((f"{name}: {n}", lambda n=n, s=sides, g=name: try_case(case_of(n, s, g))))
    items += [(f"few: {n}", lambda case=case: try_few(case)) for n, case in enumerate(few(_FEW_FIELDS))]
    items += [(f"nothing: {n}", lambda n=n: try_nothing(n)) for n in range(_NOTHING)]
    items += [(f"accuracy: {n}", lambda n=n: try_accuracy(n)) for n in range(_ACCURATE)]
    keys = [key for key, _ in items]
    return run_campaign("solving", items, lambda results: summary(keys, results))


def summary(keys: list[str], results: list[dict[str, Any]]) -> dict[str, Any]:
    """Shares by class, wrong ones over all, and the accuracy's worst and 95 %."""
    by_group: dict[str, list[dict[str, Any]]] = {}
    for key, result in zip(keys, results, strict=True):
        by_group.setdefault(key.rsplit(":", 1)[0], []).append(result)
    told: dict[str, Any] = {}
    for group, chosen in by_group.items():
        if group == "accuracy":
            solved = [r for r in chosen if r["solved"]]
            told[group] = {"frames": len(chosen), "solved": len(solved)} | {
                f"{name} {what}": float(np.percentile([r[name] for r in solved], share))
                for name in ("centre_arcsec", "scale_percent", "rotation_deg")
                for what, share in (("median", 50), ("95 %", 95), ("worst", 100))
            }
            continue
        told[group] = {"fields": len(chosen)}
        for way in ("near", BLIND):
            told[group][f"{way} solved"] = sum(r[way]["solved"] for r in chosen)
            told[group][f"{way} wrong"] = sum(r[way]["wrong"] for r in chosen)
            if group == "few":
                told[group][f"{way} said so"] = sum(r[way]["said"] for r in chosen)
        failed = Counter(
            t for r in chosen if "troubles" in r and not r["near"]["solved"] for t in r["troubles"]
        )
        if failed:
            told[group]["troubles of those not solved near"] = dict(failed)
    tries = [r[way] for key, r in zip(keys, results, strict=True) if "near" in r for way in ("near", BLIND)]
    told["all"] = {"tries": len(tries), "wrong": sum(t["wrong"] for t in tries)}
    return told
