"""Light through filters, star counts, deep-sky objects."""

from dataclasses import replace

import numpy as np
import pytest

from campaigns.demo import quick_rig
from campaigns.shooting import scenario_with, under_the_sky
from vigil.cli.files import scenario_wanted
from vigil.devices.protocols import Exposure
from vigil.files.deepsky import find_object
from vigil.runtime.clock import ScenarioClock
from vigil.simulator.above.counts import galactic_deg, stars_per_deg2
from vigil.simulator.above.deepsky import H_ALPHA_NM, sources_near
from vigil.simulator.above.light import OPEN_BAND, RAYLEIGH_S_CM2_ARCSEC2, Light
from vigil.simulator.byhand import expose_at, point, set_up
from vigil.simulator.frame.draw import draw
from vigil.simulator.frame.scene import Scene
from vigil.simulator.observatory import SimObservatory
from vigil.sky.photometry import extinction_mag, photons_s_cm2_nm, rayleigh_mag

L = Light(50.0, 0.6, OPEN_BAND, 0.2, 780.0)
HA = replace(L, bands=((656.3, 7.0),))


def test_light_through_filters() -> None:
    assert photons_s_cm2_nm(545.0) == pytest.approx(9962, rel=1e-3), "about 1000 s⁻¹ cm⁻² Å⁻¹ in V"
    assert L.star_e_s(10.0, 0.0) == pytest.approx(L.zero_point_e_s * 1e-4)
    assert L.star_e_s(10.0, 1.5) / L.star_e_s(10.0, 0.0) == pytest.approx(10 ** (-0.4 * 0.3), rel=1e-6)
    two = replace(L, bands=((500.7, 4.0), (656.3, 6.0)))
    assert two.zero_point_e_s == pytest.approx(
        30 * (4 * float(photons_s_cm2_nm(500.7)) + 6 * float(photons_s_cm2_nm(656.3)))
    )
    assert HA.line_e_s_arcsec2(100.0, 656.3) == L.line_e_s_arcsec2(100.0, 656.3) > 0
    assert HA.line_e_s_arcsec2(100.0, 500.7) == 0
    # a rayleigh is 10⁶/4π photons s⁻¹ cm⁻² sr⁻¹
    assert RAYLEIGH_S_CM2_ARCSEC2 * (180 / np.pi * 3600) ** 2 == pytest.approx(1e6 / (4 * np.pi))


def test_extinction_is_stronger_in_the_blue_and_adds_up_to_what_is_wanted() -> None:
    assert extinction_mag(550.0, 0.2, 780.0) == pytest.approx(0.2)
    assert extinction_mag(438.0, 0.2, 780.0) > 0.3 > 0.15 > extinction_mag(641.0, 0.2, 780.0)
    assert extinction_mag(438.0, 0.0, 780.0) == 0
    assert extinction_mag(550.0, 0.05, 780.0) == pytest.approx(0.05), "less than clean air has"
    # Hayes & Latham 1975: 0.107 mag in V at sea level
    assert rayleigh_mag(550.0, 0.0) == pytest.approx(0.107, abs=0.002)


def test_galactic_counts() -> None:
    assert galactic_deg(192.859, 27.128)[1] == pytest.approx(90, abs=0.01)
    assert galactic_deg(266.405, -28.936) == (pytest.approx(0, abs=0.01), pytest.approx(0, abs=0.01))
    counts = [float(stars_per_deg2(m, 90.0, 90.0)) for m in (12, 14, 16, 18)]
    growth = np.diff(np.log10(counts)) / 2
    assert all(0.2 < g < 0.35 for g in growth) and list(growth) == sorted(growth, reverse=True)
    assert stars_per_deg2(16, 90, 5) == stars_per_deg2(16, 90, 20) > 5 * stars_per_deg2(16, 90, 90)


def source_named(name: str) -> object:
    entry = find_object(name)
    return next(s for s in sources_near(entry.ra_deg, entry.dec_deg, 0.2) if s.name == entry.name)


@pytest.mark.parametrize(("name", "mag"), [("M 81", 6.94), ("M 13", 5.80), ("M 57", 8.80)])
def test_the_whole_light_of_an_object_is_its_magnitude(name: str, mag: float) -> None:
    source = source_named(name)
    reach = source.reach * source.half_major_arcsec
    axis = np.linspace(-reach, reach, 1201)
    step = axis[1] - axis[0]
    light = source.shape(*np.meshgrid(axis, axis)).sum() * step**2
    assert source.mag_arcsec2 - 2.5 * np.log10(light) == pytest.approx(mag, abs=0.15)


def test_nebulae_have_structure_and_always_the_same() -> None:
    source = source_named("IC 405")
    axis = np.linspace(-800, 800, 60)
    first, again = (source.shape(*np.meshgrid(axis, axis)) for _ in range(2))
    assert np.array_equal(first, again)
    inner = first[20:40, 20:40]
    assert 0.2 < inner.std() / inner.mean() < 2
    assert source.shape(np.array([6000.0]), np.array([0.0]))[0] < 1e-3
    assert source.rayleigh(H_ALPHA_NM) > 30


def shot_of(name: str, through: str, sky_only: bool = False) -> tuple[Scene, np.ndarray]:
    rig, entry = quick_rig(), find_object(name)
    scenario = scenario_with(scenario_wanted("laboratory"), sky__deep_sky=not sky_only)

    async def work(sim: SimObservatory, clock: ScenarioClock) -> Scene:
        set_up(sim, through, None)
        point(sim, (entry.ra_deg, entry.dec_deg))
        _, scene = await expose_at(sim, Exposure(300.0, 100, 50), 0.0)
        return scene

    scene = under_the_sky(rig, scenario, work)
    return scene, draw(scene).astype(float) - 500


def test_a_hydrogen_nebula_stands_out_more_through_its_line() -> None:
    """Nebula over sky in the middle of IC 405, through Ha and through L."""
    contrast = {}
    for through in ("Ha", "L"):
        lit, bare = (
            np.median(shot_of("IC 405", through, only)[1][480:520, 480:520]) for only in (False, True)
        )
        contrast[through] = (lit - bare) / bare
    assert contrast["Ha"] > 0.8 and contrast["L"] < 0.2
    assert contrast["Ha"] > 10 * contrast["L"]


def test_a_galaxy_shines_through_clouds_as_little_as_stars_do() -> None:
    scene, clear = shot_of("NGC 2403", "L")
    assert scene.sky is not None
    veiled = draw(replace(scene, sky=replace(scene.sky, cloud_mag=2.0))).astype(float) - 500
    core = (slice(490, 512), slice(490, 512))
    sky = np.median(clear)
    left = (veiled[core].mean() - sky) / (clear[core].mean() - sky)
    assert 0.05 < left < 0.4, "two magnitudes, a little more or less where the cloud is patchy"
