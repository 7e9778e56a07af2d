"""The sim observatory measured from outside: noise, light, places, focus and motion against plain sums."""

import math
import tempfile
from datetime import timedelta
from pathlib import Path
from typing import Any

import numpy as np
from astropy import units
from astropy.coordinates import AltAz, EarthLocation, SkyCoord
from astropy.time import Time
from numpy.typing import NDArray
from scipy.optimize import least_squares

from campaigns.demo import demo_rig
from campaigns.figures import run_campaign
from campaigns.oracle import stay_offline
from campaigns.shooting import scenario_with, shoot, under_the_sky
from vigil.cli.files import scenario_wanted
from vigil.devices.protocols import Exposure
from vigil.documents.rig import Rig
from vigil.documents.rig.change import with_value
from vigil.documents.scenario import Scenario
from vigil.files.starcatalogue import star_catalogue
from vigil.imaging.measuring import measure_image
from vigil.imaging.stars import measure_field
from vigil.optics.train import critical_focus_zone_um
from vigil.runtime.clock import ScenarioClock
from vigil.simulator.byhand import expose_at, point, set_up
from vigil.simulator.chip import guide_chip
from vigil.simulator.frame.scene import Scene, radius_deg, to_pixels
from vigil.simulator.looking import altitude_of, looks_of
from vigil.simulator.observatory import SimObservatory
from vigil.sky.angles import separation_deg
from vigil.sky.horizontal import air_mass, unobserve
from vigil.sky.instants import from_datetimes

Floats = NDArray[np.float64]
_LEAST_READ_NOISE_ADU = 0.6


# -- noise --------------------------------------------------------------------------------------------


def photon_transfer(rig: Rig, gain: int, seed: int = 1) -> dict[str, float]:
    """Gain and read noise out of two flats and two biases, against the rig's."""
    with tempfile.TemporaryDirectory() as folder:
        words = ("--gain", str(gain), "--count", "2", "--seed", str(seed))
        flats = shoot(Path(folder), "--kind", "flat", "--exposure", "1", "--filter", "L", *words, rig=rig)
        biases = shoot(Path(folder), "--kind", "bias", *words, rig=rig)
    (f1, told), (f2, _) = flats
    (b1, _), (b2, _) = biases
    read_variance = np.var(b1 - b2) / 2
    electrons_per_adu = (f1 + f2 - b1 - b2).mean() / (np.var(f1 - f2) - np.var(b1 - b2))
    read_noise_e = math.sqrt(read_variance - 1 / 12) * electrons_per_adu
    true_gain, true_noise = told["electrons_per_adu"], told["read_noise_e"]
    return {
        "gain": gain,
        "read_noise_adu": round(true_noise / true_gain, 3),
        "gain_error_percent": round(100 * (electrons_per_adu / true_gain - 1), 3),
        "read_noise_error_percent": round(100 * (read_noise_e / true_noise - 1), 3),
    }


def dark_current(rig: Rig, sensor_c: float) -> dict[str, float]:
    """Out of darks of ten minutes and biases, hot pixels clipped off."""
    with tempfile.TemporaryDirectory() as folder:
        words = ("--count", "2", "--sensor-c", str(sensor_c))
        darks = shoot(Path(folder), "--kind", "dark", "--exposure", "600", *words, rig=rig)
        biases = shoot(Path(folder), "--kind", "bias", *words, rig=rig)
    told = darks[0][1]
    above = np.mean([d for d, _ in darks], axis=0) - np.mean([b for b, _ in biases], axis=0)
    kept = above[np.abs(above - np.median(above)) < 6 * above[above < np.percentile(above, 99.9)].std()]
    found_e_s = kept.mean() * told["electrons_per_adu"] / 600
    true_e_s = 0.002 * 2 ** ((sensor_c + 10) / 6.5)
    return {"sensor_c": sensor_c, "error_percent": round(100 * (found_e_s / true_e_s - 1), 3)}


# -- light --------------------------------------------------------------------------------------------


def star_by_hand_e_s(mag: float, mass: float) -> float:
    """docs/formulas.md, "A star by hand": 80 mm, L 400–700 nm, throughput 0.6. Nothing here is Vigil's."""
    photons = 3.631e-9 * 5450e-8 / 1.98645e-16 * 10  # magnitude 0 at 545 nm, a second, cm² and nm
    photons_641 = 2.177e-9 * 6410e-8 / 1.98645e-16 * 10
    at_550 = photons + (photons_641 - photons) * 5 / 96
    return at_550 * 300 * math.pi * 4.0**2 * 0.6 * 10 ** (-0.4 * (mag + 0.2 * mass))


def sky_by_hand_e_s_px(altitude_deg: float, full_moon_apart_deg: float | None) -> float:
    """docs/formulas.md, "The sky by hand": airglow 21.9, town 22.23, and a full moon 45° high."""

    def path(altitude: float) -> float:
        return (1 - 0.96 * math.sin(math.radians(90 - altitude)) ** 2) ** -0.5

    x = path(altitude_deg)
    light = (10 ** (-0.4 * 21.9) + 10 ** (-0.4 * 22.23)) * x * 10 ** (-0.4 * 0.2 * (x - 1))
    if full_moon_apart_deg is not None:
        rho = full_moon_apart_deg
        scatter = 10**5.36 * (1.06 + math.cos(math.radians(rho)) ** 2) + 10 ** (6.15 - rho / 40)
        moon_nl = scatter * 10 ** (-0.4 * 3.84) * 10 ** (-0.4 * 0.2 * path(45)) * (1 - 10 ** (-0.4 * 0.2 * x))
        light += 10 ** (-0.4 * (20.7233 - math.log(moon_nl / 34.08)) / 0.92104)
    zero = star_by_hand_e_s(0.0, 0.0)
    return zero * light * (206264.806 * 0.0038 / 480) ** 2


def bright_star(scenario: Scenario | None = None) -> dict[str, float]:
    """Electrons of a star of about magnitude 10, whole stamp, without noise, against the sum by hand."""
    laboratory = scenario or scenario_wanted("laboratory")
    ra, dec, mag = lonely_star(demo_rig())
    with tempfile.TemporaryDirectory() as folder:
        words = ("--exposure", "20", "--filter", "L", "--near", f"{ra:.6f} {dec:+.6f}")
        [(image, told)] = shoot(Path(folder), *words, rig=demo_rig(), scenario=laboratory)
    rows, columns = image.shape
    stamp = image[rows // 2 - 20 : rows // 2 + 21, columns // 2 - 20 : columns // 2 + 21]
    electrons = (stamp - np.median(image)).sum() * told["electrons_per_adu"]
    by_hand = star_by_hand_e_s(mag, told["air_mass"]) * 20
    return {"mag": round(mag, 3), "error_percent": round(100 * (electrons / by_hand - 1), 4)}


def lonely_star(rig: Rig) -> tuple[float, float, float]:
    """A catalogue star nearest to magnitude 10, high in the sky, with nobody near: (ra, dec, mag)."""
    at = rig.simulated.starts_at + timedelta(hours=5)
    site = rig.site.place()
    ra, dec = unobserve(-15.0, 35.0, from_datetimes(at), site)
    stars = star_catalogue().cone(float(ra % 360), float(dec), 3.0)
    for index in np.argsort(np.abs(stars.mag - 10.0)):
        ra_deg, dec_deg = float(stars.ra_deg[index]), float(stars.dec_deg[index])
        apart = separation_deg(ra_deg, dec_deg, stars.ra_deg, stars.dec_deg)
        if np.count_nonzero(apart < 80 / 3600) == 1:
            return ra_deg, dec_deg, float(stars.mag[index])
    raise RuntimeError("no lonely star of magnitude 10 there")


def sky_level(full_moon_apart_deg: float | None) -> dict[str, Any]:
    """Electrons of the empty sky in ten minutes, without noise, against the sum by hand."""
    scenario = scenario_wanted("laboratory")
    if full_moon_apart_deg is not None:
        moon = {"illumination": 1.0, "apart_deg": full_moon_apart_deg, "altitude_deg": 45.0}
        scenario = scenario_with(scenario, sky__moonlight=True, sky__moon=moon)
    with tempfile.TemporaryDirectory() as folder:
        [(image, told)] = shoot(
            Path(folder), "--exposure", "600", "--filter", "L", rig=demo_rig(), scenario=scenario
        )
    electrons = (np.median(image) - told["bias_adu"]) * told["electrons_per_adu"] / 600
    by_hand = sky_by_hand_e_s_px(told["altitude_deg"], full_moon_apart_deg)
    return {
        "moon": "down" if full_moon_apart_deg is None else f"full, {full_moon_apart_deg:g}° away",
        "sky_mag_arcsec2": round(told["sky_mag_arcsec2"], 3),
        "error_percent": round(100 * (electrons / by_hand - 1), 4),
    }


# -- places -------------------------------------------------------------------------------------------


def star_places(rig: Rig, hour_angle_deg: float, dec_deg: float) -> dict[str, float]:
    """Centroids of drawn stars at the centre and in the corners, against astropy's apparent places projected
    about the frame's centre; the worst of them, in pixels."""
    scenario = scenario_wanted("laboratory")

    async def work(sim: SimObservatory, clock: ScenarioClock) -> tuple[NDArray[np.uint16], Scene, float]:
        set_up(sim, "L", None)
        ra, dec = unobserve(hour_angle_deg, dec_deg, from_datetimes(clock.utcnow()), rig.site.place())
        altitude_deg = point(sim, (float(ra % 360), float(dec)))
        frame, scene = await expose_at(sim, Exposure(10.0, 100, 50), 0.0)
        return frame.image, scene, altitude_deg

    image, scene, altitude_deg = under_the_sky(rig, scenario, work)
    ra, dec = _measurable(scene)
    expected = by_astropy(ra, dec, scene, rig)
    worst, used = 0.0, 0
    for corner in _corners(scene):
        near = np.argsort(np.hypot(expected[0] - corner[0], expected[1] - corner[1]))[:2]
        for k in near:
            x, y = centroid(image, expected[0][k], expected[1][k])
            worst = max(worst, math.hypot(x - expected[0][k], y - expected[1][k]))
            used += 1
    return {"altitude_deg": round(altitude_deg, 1), "stars": used, "worst_px": round(worst, 4)}


def _corners(scene: Scene) -> list[tuple[float, float]]:
    rows, columns = scene.sensor.shape
    edge = 0.06
    ends = [(columns * x, rows * y) for x in (edge, 1 - edge) for y in (edge, 1 - edge)]
    return [(columns / 2, rows / 2), *ends]


def _measurable(scene: Scene) -> tuple[Floats, Floats]:
    """Stars that stand alone, are neither faint nor saturated, and well inside the frame."""
    stars = star_catalogue().cone(scene.aim.ra_deg, scene.aim.dec_deg, radius_deg(scene))
    x, y, _ = to_pixels(stars.ra_deg, stars.dec_deg, scene)
    rows, columns = scene.sensor.shape
    inside = (x > 30) & (x < columns - 30) & (y > 30) & (y < rows - 30)
    chosen = []
    for k in np.flatnonzero(inside & (stars.mag > 8.5) & (stars.mag < 11.8)):
        if np.count_nonzero(np.hypot(x - x[k], y - y[k]) < 40) == 1:
            chosen.append(k)
    return stars.ra_deg[chosen], stars.dec_deg[chosen]


def by_astropy(ra_deg: Floats, dec_deg: Floats, scene: Scene, rig: Rig) -> tuple[Floats, Floats]:
    """(column, row) of ICRS places by astropy's altitudes and azimuths and a plane about the centre."""
    stay_offline()
    seen, aim = scene.aim.seen, scene.aim
    assert seen is not None
    site = rig.site
    place = EarthLocation.from_geodetic(site.longitude_deg, site.latitude_deg, site.height_m)
    air = seen.site
    frame = AltAz(
        obstime=Time(seen.at),
        location=place,
        pressure=air.pressure_hpa * units.hPa,
        temperature=air.temperature_c * units.deg_C,
        relative_humidity=air.relative_humidity,
        obswl=air.wavelength_um * units.micron,
    )
    centre = SkyCoord(aim.ra_deg, aim.dec_deg, unit="deg")
    above = centre.directional_offset_by(aim.position_angle_deg * units.deg, 60 * units.arcsec)

    def direction(coordinates: SkyCoord) -> Floats:
        there = coordinates.transform_to(frame)
        altitude, azimuth = there.alt.rad, there.az.rad
        return np.stack(
            [
                np.cos(altitude) * np.cos(azimuth),
                np.cos(altitude) * np.sin(azimuth),
                np.sin(altitude),
            ],
            axis=-1,
        )

    v, w = direction(centre), direction(above)
    up = w - (w @ v) * v
    up /= np.linalg.norm(up)
    right = np.cross(up, v)
    stars = direction(SkyCoord(ra_deg, dec_deg, unit="deg"))
    depth = stars @ v
    scale = math.radians(scene.scale_arcsec_px / 3600)
    rows, columns = scene.sensor.shape
    return (
        (stars @ right) / depth / scale + (columns - 1) / 2,
        (stars @ up) / depth / scale + (rows - 1) / 2,
    )


def centroid(image: NDArray[Any], x: float, y: float, half: int = 10) -> tuple[float, float]:
    """Centre of light in a window, the median around it taken off."""
    c, r = round(x), round(y)
    window = image[r - half : r + half + 1, c - half : c + half + 1].astype(float)
    window = window - np.median(np.concatenate([window[0], window[-1], window[:, 0], window[:, -1]]))
    grid = np.arange(-half, half + 1)
    return c + float((window.sum(0) @ grid) / window.sum()), r + float((window.sum(1) @ grid) / window.sum())


# -- focus --------------------------------------------------------------------------------------------


def focus_curve(rig: Rig, reach_steps: int = 200, step: int = 20) -> dict[str, float]:
    """HFR against the focuser's position: the minimum against the model's, the two sides against each other,
    and a hyperbola's residual."""
    scenario = scenario_wanted("laboratory")
    offsets = np.arange(-reach_steps, reach_steps + 1, step)

    async def work(sim: SimObservatory, clock: ScenarioClock) -> list[float]:
        set_up(sim, "L", None)
        point(sim, None)
        sizes = []
        for offset in offsets:
            frame, _ = await expose_at(sim, Exposure(8.0, 100, 50), float(offset))
            sizes.append(measure_image(frame.image, 65535).hfr_px)
        return sizes

    sizes = np.array(under_the_sky(rig, scenario, work))

    def off(values: Floats) -> Floats:
        return np.sqrt(values[0] ** 2 + (values[1] * (offsets - values[2])) ** 2) / sizes - 1

    fitted = least_squares(off, [sizes.min(), 0.02, 3.0])
    zone_um = critical_focus_zone_um(rig.focal_ratio)
    return {
        "least_px": round(float(sizes.min()), 3),
        "most_px": round(float(sizes.max()), 3),
        "residual_percent": round(100 * float(np.abs(off(fitted.x)).max()), 2),
        "asymmetry_percent": round(100 * float(np.abs(sizes / sizes[::-1] - 1).max()), 2),
        "minimum_off_zones": round(abs(float(fitted.x[2])) * rig.focuser.um_per_step / zone_um, 4),
    }


# -- motion -------------------------------------------------------------------------------------------

WORM_S, HARMONICS, DRIFT_ARCSEC_MIN = 480.0, ((1, 8.0), (2, 2.5)), 1.5


def unguided(rig: Rig, worms: int = 3, exposure_s: float = 1.0, every_s: float = 2.0) -> dict[str, float]:
    """A star watched by the guide camera without corrections: periodic error, drift and seeing found in
    its way, against the scenario's."""
    scenario = scenario_with(
        scenario_wanted("laboratory"),
        air__motion_times_theory=1.0,
        sky__refraction=False,
        camera__noise=True,
        mount__periodic_error=[
            {"order": n, "amplitude_arcsec": a, "phase_deg": 40 * n} for n, a in HARMONICS
        ],
        mount__worm_period_s=WORM_S,
        mount__drift_arcsec_min=DRIFT_ARCSEC_MIN,
    )
    seconds = np.arange(0, worms * WORM_S, every_s)

    async def work(sim: SimObservatory, clock: ScenarioClock) -> tuple[Floats, Floats, float, float]:
        set_up(sim, "L", None)
        ra, dec = unobserve(-15.0, 20.0, from_datetimes(clock.utcnow()), rig.site.place())
        point(sim, (float(ra % 360), float(dec)))
        first, scene = await expose_at(sim, Exposure(exposure_s, 100, 20), 0.0, guides=True)
        x, y = _guide_star(first.image)
        half, places, began = 32, [], clock.utcnow()
        region = (round(x) - half, round(y) - half, 2 * half, 2 * half)
        for second in seconds:
            wait_s = second - (clock.utcnow() - began).total_seconds()
            await clock.sleep(max(0.0, wait_s))
            shot = Exposure(exposure_s, 100, 20, region=region)
            frame, scene = await expose_at(sim, shot, 0.0, guides=True)
            r, c = np.unravel_index(np.argmax(frame.image), frame.image.shape)
            places.append(centroid(frame.image, float(c), float(r), half=6))
        chip = guide_chip(rig, 100)
        gear, middle = sim.truth.gear, clock.utcnow()
        mass = float(air_mass(altitude_of(looks_of(gear, sim.truth.mount, chip, middle), gear)))
        seeing = gear.seeing.rms_of_mean_arcsec(middle, mass, chip.optics.aperture_mm, exposure_s)
        return np.array(places), seconds, scene.aim.position_angle_deg, seeing

    places, seconds, angle_deg, seeing = under_the_sky(rig, scenario, work)
    scale = 206264.806 * rig.guider.pixel_um / 1000 / rig.guide_focal_length_mm
    column, row = (places - places.mean(axis=0)).T * scale
    angle = math.radians(angle_deg)
    east = -column * math.cos(angle) + row * math.sin(angle)
    return _fit_motion(seconds, east / math.cos(math.radians(20.0)), east, seeing)


def _guide_star(image: NDArray[np.uint16]) -> tuple[float, float]:
    """The brightest star that doesn't saturate, away from the edges."""
    stars = measure_field(image).stars
    rows, columns = image.shape
    good = (stars.peak_adu < 3000) & (stars.x_px > 80) & (stars.x_px < columns - 80)
    k = np.flatnonzero(good & (stars.y_px > 80) & (stars.y_px < rows - 80))[0]
    return float(stars.x_px[k]), float(stars.y_px[k])


def _fit_motion(seconds: Floats, axis: Floats, east: Floats, seeing: float) -> dict[str, float]:
    orders = [n for n, _ in HARMONICS]
    waves = [f(2 * np.pi * n * seconds / WORM_S) for n in orders for f in (np.sin, np.cos)]
    design = np.stack([np.ones_like(seconds), seconds / 60, *waves], axis=1)
    found, *_ = np.linalg.lstsq(design, axis, rcond=None)
    left = (axis - design @ found) * (east.std() / axis.std())
    errors = {
        f"order_{n}_error_percent": round(100 * (math.hypot(*found[2 + 2 * k : 4 + 2 * k]) / a - 1), 2)
        for k, (n, a) in enumerate(HARMONICS)
    }
    return {
        **errors,
        "drift_error_percent": round(100 * (abs(found[1]) / DRIFT_ARCSEC_MIN - 1), 2),
        "seeing_rms_arcsec": round(float(left.std()), 3),
        "seeing_error_percent": round(100 * (float(left.std()) / seeing - 1), 2),
    }


# -- all of it ----------------------------------------------------------------------------------------


def southern(rig: Rig) -> Rig:
    """The rig at a site as far south as its own is north."""
    return with_value(rig, ("site", "latitude_deg"), -rig.site.latitude_deg)


def positions_to_try(rig: Rig) -> list[tuple[str, Rig, float, float]]:
    """Altitudes 20°, 45° and 80° on both sides of the pier, and within 5° of both poles."""
    latitude = rig.site.latitude_deg
    found = []
    for hour_angle in (-6.0, 6.0):
        for altitude in (20.0, 45.0, 80.0):
            found.append((f"{altitude:g}° high, {hour_angle:+g}°", rig, hour_angle, latitude - 90 + altitude))
        found.append((f"north pole, {hour_angle:+g}°", rig, hour_angle * 8, 86.0))
        found.append((f"south pole, {hour_angle:+g}°", southern(rig), hour_angle * 8, -86.0))
    return found


def campaign() -> dict[str, Any]:
    rig = demo_rig()
    items: list[tuple[str, Any]] = []
    items += [(f"photon transfer, gain {g}", lambda g=g: photon_transfer(rig, g)) for g in range(0, 301, 50)]
    items += [(f"dark at {c:g} °C", lambda c=c: dark_current(rig, c)) for c in (-10.0, 0.0)]
    items.append(("star of magnitude 10", bright_star))
    items += [(f"sky, moon {m}", lambda m=m: sky_level(m)) for m in (None, 40.0)]
    items += [
        (f"places {name}", lambda r=r, h=h, d=d: star_places(r, h, d))
        for name, r, h, d in positions_to_try(rig)
    ]
    items.append(("focus", lambda: focus_curve(rig)))
    items.append(("unguided", lambda: unguided(rig)))
    return run_campaign("physics", items, lambda results: _summary(items, results))


def _summary(items: list[Any], results: list[dict[str, Any]]) -> dict[str, Any]:
    by_key = dict(zip((key for key, _ in items), results, strict=True))
    transfers = [r for k, r in by_key.items() if k.startswith("photon")]
    readable = [r for r in transfers if r["read_noise_adu"] >= _LEAST_READ_NOISE_ADU]
    return {
        "worst_gain_error_percent": max(abs(r["gain_error_percent"]) for r in transfers),
        "worst_read_noise_error_percent": max(abs(r["read_noise_error_percent"]) for r in readable),
        "worst_dark_error_percent": max(abs(r["error_percent"]) for k, r in by_key.items() if "dark" in k),
        "star_error_percent": by_key["star of magnitude 10"]["error_percent"],
        "worst_sky_error_percent": max(
            abs(r["error_percent"]) for k, r in by_key.items() if k.startswith("sky")
        ),
        "worst_place_px": max(r["worst_px"] for k, r in by_key.items() if k.startswith("places")),
        "focus": by_key["focus"],
        "unguided": by_key["unguided"],
    }
