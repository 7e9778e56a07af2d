"""What a camera sees: mount, air, sky and gear brought together into one frame's scene."""

from dataclasses import replace
from datetime import datetime, timedelta

import numpy as np
from numpy.typing import NDArray

from vigil.devices.protocols import Exposure
from vigil.simulator.chance import generator
from vigil.simulator.chip import Chip, main_chip, off_axis
from vigil.simulator.frame.scene import Aim, Blur, Region, Scene, Seen, Sensor, Shade, Sky, plane_to_pixels
from vigil.simulator.gear import Gear
from vigil.simulator.lightpath import light_of, panel_before, panel_e_s_px
from vigil.simulator.pointing.axes import Looks, beside, vector
from vigil.simulator.simmount import SimMount
from vigil.sky.brightness import SkyLights, StillMoon, sky_mag_arcsec2
from vigil.sky.horizontal import air_mass, observe, unobserve
from vigil.sky.instants import from_datetimes, from_unix
from vigil.sky.tangent import project

Floats = NDArray[np.float64]
_LOWEST_DEG = 1.0
# an off-axis guider's mirror stands this far beyond the sensor's edge
_PICK_OFF_MM = 3.0
# places on the way of a star during an exposure: one every few seconds
MOST_PLACES = 25
_WALK_EVERY_S, _STANDS_STILL_PX = 4.0, 0.03
_ROW_S = 30e-6
_SHORT_S, _SHORT_BANDS = 0.1, 0.0004
_SHORT_BAND_ROWS = 40.0
# a cloud hides airglow and throws town lights back
_CLOUD_GLOW = 3.0
# a cloud that takes a magnitude from stars takes half of one from the twilight, which comes from all sides
_CLOUD_DIMS = 0.5
_DEW_SPREADS = 0.25


def scene_of(
    gear: Gear,
    mount: SimMount,
    chip: Chip,
    exposure: Exposure,
    at: datetime,
    count: int,
    sensor_c: float,
    most_places: int = MOST_PLACES,
) -> Scene:
    """The scene of an exposure that began at `at`; `most_places` on the way of a star are reckoned."""
    middle = at + timedelta(seconds=exposure.exposure_s / 2)
    scale = chip.optics.scale_arcsec_px(exposure.binning)
    places = int(np.clip(exposure.exposure_s / _WALK_EVERY_S, 3, most_places)) | 1
    later_s = (np.arange(places) + 0.5) / places * exposure.exposure_s
    way = looks_of(gear, mount, chip, at, later_s)
    looks = way.at(places // 2)
    altitude_deg = altitude_of(looks, gear)
    mass = float(air_mass(max(altitude_deg, _LOWEST_DEG)))
    dance = gear.seeing.dance(
        at, gear.weather.seconds(at), exposure.exposure_s, mass, chip.optics.aperture_mm
    )
    aim = _aim(gear, beside(looks, -dance.across_arcsec / 3600, -dance.up_arcsec / 3600), mount, chip, middle)
    dew = 0.0 if chip.guides else gear.dew(middle)
    blur = Blur(
        fwhm_px=round(chip.optics.core_px(dance.fwhm_arcsec * (1 + _DEW_SPREADS * dew), exposure.binning), 3),
        beta=gear.scenario.optics.moffat_beta,
        focal_ratio=chip.optics.focal_ratio,
        obstruction=round(chip.optics.obstruction_mm / chip.optics.aperture_mm, 3),
        walk_px=_walk(gear, mount, chip, way, at, later_s, scale),
    )
    where = float(looks.hour_angle_deg[0]), float(looks.dec_deg[0])
    shut = _shut(gear, chip, where)
    panel_e_s = panel_e_s_px(gear, chip, exposure.binning, where) if exposure.light else 0.0
    sky = None
    if exposure.light and not shut and not gear.scenario.panel.left_on:
        sky = _sky(gear, aim, middle, dew, scale * chip.columns / exposure.binning / 3600)
    if sky is not None and gear.scenario.panel.cloth_share is not None and not chip.guides:
        # a cloth spreads whatever shines on it evenly over the field
        sky_e_s = light_of(gear, chip).sky_e_s_arcsec2(sky.mag_arcsec2) * scale**2
        panel_e_s += gear.scenario.panel.cloth_share * sky_e_s
        sky = None
    return Scene(
        noise_key=(gear.state.seed, chip.name, count),
        aim=aim,
        scale_arcsec_px=scale,
        exposure_s=exposure.exposure_s,
        light=light_of(gear, chip),
        sensor=_sensor(gear, chip, exposure, sensor_c),
        blur=blur if chip.guides else replace(blur, **_focus(gear, middle)),
        shade=_shade(gear, chip, exposure, panel_e_s, count),
        sky=sky,
        panel_e_s_px=panel_e_s,
    )


def looks_of(gear: Gear, mount: SimMount, chip: Chip, at: datetime, later_s: Floats | None = None) -> Looks:
    """Where a camera's middle looks; the guide camera sees beside the telescope."""
    looks = mount.looks(at, later_s, guides=chip.guides)
    if not chip.guides:
        return looks
    rig = gear.rig
    if off_axis(rig) and rig.camera is not None and rig.focal_length_mm is not None:
        main_mm = rig.camera.rows * rig.camera.pixel_um / 2000
        own_mm = chip.rows * chip.optics.pixel_um / 2000
        return beside(looks, 0.0, float(np.degrees((main_mm + own_mm + _PICK_OFF_MM) / rig.focal_length_mm)))
    across, along = generator(gear.state.seed, "guide scope").normal(0, 0.1, 2)
    return beside(looks, float(across), float(along))


def altitude_of(looks: Looks, gear: Gear) -> float:
    """Of the first of its directions, refraction included."""
    up = vector(looks.hour_angle_deg[0], looks.dec_deg[0]) @ vector(0.0, gear.rig.site.latitude_deg)
    return float(np.degrees(np.arcsin(np.clip(up, -1, 1))))


def rows_angle_deg(looks: Looks, gear: Gear, mount: SimMount, chip: Chip) -> Floats:
    """Position angle of a camera's rows as the site sees them."""
    turns = not chip.guides or off_axis(gear.rig)
    return (looks.up_deg + mount.camera_angle_deg + (gear.state.rotator_deg if turns else 0.0)) % 360.0


def _aim(gear: Gear, looks: Looks, mount: SimMount, chip: Chip, at: datetime) -> Aim:
    site, now = gear.site(), from_datetimes(at)
    ha_deg, dec_deg = float(looks.hour_angle_deg[0]), float(looks.dec_deg[0])
    angle_deg = float(rows_angle_deg(looks, gear, mount, chip)[0])
    ra_deg, declination_deg = unobserve(ha_deg, dec_deg, now, site)
    return Aim(
        float(ra_deg % 360),
        float(declination_deg),
        _icrs_angle_deg(looks, angle_deg - float(looks.up_deg[0]), at, gear),
        Seen(at, site, ha_deg, dec_deg, angle_deg),
    )


def _icrs_angle_deg(looks: Looks, from_up_deg: float, at: datetime, gear: Gear) -> float:
    """The position angle in the catalogue's sky of a direction fixed to the tube."""
    step_deg = 1 / 60
    turn = np.radians(from_up_deg)
    there = beside(looks, float(-step_deg * np.sin(turn)), float(step_deg * np.cos(turn)))
    both = np.array(
        [[looks.hour_angle_deg[0], there.hour_angle_deg[0]], [looks.dec_deg[0], there.dec_deg[0]]]
    )
    ra_deg, dec_deg = unobserve(both[0], both[1], from_datetimes(at), gear.site())
    xi, eta = project(ra_deg[1], dec_deg[1], float(ra_deg[0]), float(dec_deg[0]))
    return float(np.degrees(np.arctan2(xi, eta)) % 360)


def position_angle_deg(gear: Gear, mount: SimMount, at: datetime) -> float:
    """Of the main camera's rows, ICRS."""
    chip = main_chip(gear.rig, 0)
    looks = mount.looks(at)
    angle = float(rows_angle_deg(looks, gear, mount, chip)[0]) - float(looks.up_deg[0])
    return _icrs_angle_deg(looks, angle, at, gear)


def _walk(
    gear: Gear,
    mount: SimMount,
    chip: Chip,
    looks: Looks,
    at: datetime,
    later_s: Floats,
    scale: float,
) -> tuple[tuple[float, float], ...]:
    """Where the star in the middle stands during the exposure, looked at like this so many seconds after its
    beginning, against its place half way; empty when that is nowhere else."""
    half = len(later_s) // 2
    middle = at + timedelta(seconds=float(later_s[half]))
    ra_deg, dec_deg = unobserve(
        looks.hour_angle_deg[half], looks.dec_deg[half], from_datetimes(middle), gear.site()
    )
    star = observe(float(ra_deg), float(dec_deg), from_unix(at.timestamp() + later_s), gear.site())
    xi, eta = project(
        -star.hour_angle_deg,
        star.dec_deg,
        -looks.hour_angle_deg,
        looks.dec_deg,  # type: ignore[arg-type]
    )
    angle = np.radians(rows_angle_deg(looks, gear, mount, chip))
    column, row = plane_to_pixels(xi, eta, angle, scale)
    if np.hypot(column, row).max() < _STANDS_STILL_PX:
        return ()
    return tuple((round(float(c), 2), round(float(r), 2)) for c, r in zip(column, row, strict=True))


def sky_lights(gear: Gear, at: datetime) -> SkyLights:
    """What lights the sky up now, clouds reckoned in."""
    sky = gear.scenario.sky
    cloud_mag = gear.weather.cloud_mag(at)
    covered = 1 - 10 ** (-0.4 * cloud_mag)
    pollution = sky.light_pollution_mag_arcsec2
    return SkyLights(
        sky.natural_mag_arcsec2 + cloud_mag,
        None if pollution is None else pollution - 2.5 * float(np.log10(1 + _CLOUD_GLOW * covered)),
        sky.town_azimuth_deg,
        sky.moonlight,
        StillMoon(sky.moon.illumination, sky.moon.apart_deg, sky.moon.altitude_deg) if sky.moon else None,
        sky.twilight,
        sky.twilight_fainter_mag + _CLOUD_DIMS * cloud_mag,
        sky.twilight_fainter_mag_deg,
        sky.extinction_mag,
    )


def _sky(gear: Gear, aim: Aim, at: datetime, dew: float, width_deg: float) -> Sky:
    effects, seen = gear.scenario.sky, aim.seen
    assert seen is not None
    return Sky(
        seed=gear.state.seed,
        mag_arcsec2=sky_mag_arcsec2(aim.ra_deg, aim.dec_deg, at, seen.site, sky_lights(gear, at)),
        faint_to_mag=effects.faint_stars_to_mag,
        catalogue_errors=effects.catalogue_errors,
        deep_sky=effects.deep_sky,
        cloud_mag=round(gear.weather.cloud_mag(at), 4),
        # a cloud 3 km up in a wind of 10 m/s moves 0.2° a second
        cloud_drift=round(0.2 * gear.weather.seconds(at) / width_deg, 3),
        dimmed=float(np.exp(-dew)),
    )


def _sensor(gear: Gear, chip: Chip, exposure: Exposure, sensor_c: float) -> Sensor:
    effects = gear.scenario.camera
    warmth = 2 ** ((sensor_c + 10) / effects.dark_doubles_in_c)
    binning = exposure.binning
    return Sensor(
        shape=(chip.rows // binning, chip.columns // binning),
        pixel_um=chip.optics.pixel_um,
        binning=binning,
        electrons_per_adu=chip.electrons_per_adu,
        bias_adu=exposure.offset * effects.adu_per_offset,
        read_noise_e=chip.read_noise_e,
        full_well_e=chip.full_well_e,
        full_scale_adu=chip.full_scale_adu,
        dark_e_s=effects.dark_e_s_at_minus_10 * warmth,
        hot_share=effects.hot_share,
        hot_seed=gear.state.seed + (1 if chip.guides else 0),
        noise=effects.noise,
        often=chip.guides,
        bayer=chip.bayer,
        region=Region(*exposure.region) if exposure.region else None,
    )


def _focus(gear: Gear, at: datetime) -> dict[str, float | tuple[float, float]]:
    """How the main camera's focal plane is missed."""
    steps = gear.state.drawtube_steps - gear.best_focus_steps(gear.state.slot, at)
    optics = gear.scenario.optics
    return {
        "defocus_um": round(steps * gear.focuser_um_per_step, 3),
        "tilt_um": optics.tilt_um,
        "curvature_um": optics.curvature_um,
    }


def _shade(gear: Gear, chip: Chip, exposure: Exposure, panel_e_s: float, count: int) -> Shade:
    effects, state = gear.scenario, gear.state
    phase = float(generator(state.seed, "bands", count).uniform(0, 2 * np.pi))
    bands = (0.0, _SHORT_BAND_ROWS, phase)
    if effects.camera.banding:
        turns = np.pi * effects.panel.flicker_hz * exposure.exposure_s
        flicker = effects.panel.flicker * abs(float(np.sin(turns) / turns)) if panel_e_s else 0.0
        short = _SHORT_BANDS / exposure.exposure_s if exposure.exposure_s < _SHORT_S else 0.0
        if flicker > short:
            bands = (flicker, 1 / (effects.panel.flicker_hz * _ROW_S) / exposure.binning, phase)
        elif short:
            bands = (min(short, 0.3), _SHORT_BAND_ROWS, phase)
    if chip.guides:
        return Shade(bands=bands)
    stops_off = effects.wheel.stops_off_um if gear.rig.wheel else 0.0
    # it rests on one edge of its detent or on the other, by where it came from
    beside_slot = np.sign(state.slot - state.wheel_from) * stops_off
    return Shade(
        effects.optics.vignetting,
        effects.optics.dust,
        state.seed,
        state.slot,
        (float(beside_slot), 0.3 * float(beside_slot)),
        bands,
    )


def _shut(gear: Gear, chip: Chip, where: tuple[float, float]) -> bool:
    """Whether a cover (main camera), the roof, or a panel laid on keeps the sky out."""
    rig, shutters = gear.rig, gear.state.shutters
    behind_cover = rig.cover is not None and (not chip.guides or off_axis(rig))
    cover_shut = behind_cover and shutters.get("cover", "closed") != "open"
    roof_shut = rig.roof is not None and shutters.get("roof", "closed") != "open"
    # one that is laid on for flats is lit; dark, it lies beside the telescope
    state = gear.state
    before = panel_before(gear, where) and (state.panel_level > 0 or state.panel_laid_on)
    return cover_shut or roof_shut or (before and not chip.guides)
