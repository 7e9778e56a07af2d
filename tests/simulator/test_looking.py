"""What the scenario makes of a frame on its way: wheel, focus, panel, bands, clouds, dew, subframes."""

from collections.abc import Callable
from datetime import timedelta
from typing import Any

import numpy as np
import pytest

from campaigns.demo import quick_rig
from campaigns.shooting import scenario_with, under_the_sky
from vigil.devices.protocols import Exposure
from vigil.documents.scenario import Scenario
from vigil.runtime.clock import ScenarioClock
from vigil.simulator.byhand import expose_at, lay_panel_on, point, set_up
from vigil.simulator.chip import main_chip
from vigil.simulator.frame.scene import Scene
from vigil.simulator.lightpath import panel_share
from vigil.simulator.looking import scene_of
from vigil.simulator.observatory import SimObservatory

RIG = quick_rig()


def looked(work: Callable[[Callable[..., Scene], SimObservatory], Any], **changes: Any) -> Any:
    """Run `work(scene, sim)` with the telescope on the sky; `scene(exposure_s, light)` is what it sees."""

    async def run(sim: SimObservatory, clock: ScenarioClock) -> Any:
        set_up(sim, "L", None)
        point(sim, None)

        def scene(exposure_s: float = 60.0, light: bool = True, later_s: float = 0.0) -> Scene:
            exposure = Exposure(exposure_s, 100, 50, light=light)
            at = clock.utcnow() + timedelta(seconds=later_s)
            return scene_of(sim.truth.gear, sim.truth.mount, main_chip(RIG, 100), exposure, at, 1, -10.0)

        return work(scene, sim)

    return under_the_sky(RIG, scenario_with(Scenario(), **changes), run)


def test_the_wheel_stops_beside_its_slot_by_direction() -> None:
    def work(scene: Callable[..., Scene], sim: SimObservatory) -> list[float]:
        state, found = sim.truth.gear.state, []
        for came_from in (2, 4):
            state.slot, state.wheel_from = 3, came_from
            found.append(scene().shade.shift_um[0])
        return found

    assert looked(work, wheel__stops_off_um=15.0) == [15.0, -15.0]


def test_focus_moves_with_warmth_filter_and_side() -> None:
    def work(scene: Callable[..., Scene], sim: SimObservatory) -> None:
        gear = sim.truth.gear
        now = gear.clock.utcnow()
        best = gear.best_focus_steps(1, now)
        colder = gear.best_focus_steps(1, now - timedelta(hours=4))
        fell_c = gear.weather.temperature_c(now - timedelta(hours=4)) - gear.weather.temperature_c(now)
        assert best - colder == pytest.approx(7 * fell_c)
        assert gear.best_focus_steps(2, now) - best == pytest.approx(12, abs=4), "R's offset, to a step or so"
        side = {"west": 0.0, "east": 30.0}[gear.state.pier_side]
        gear.state.pier_side = "east" if gear.state.pier_side == "west" else "west"
        assert gear.best_focus_steps(1, now) - best == pytest.approx(30.0 - 2 * side)
        gear.state.drawtube_steps = gear.best_focus_steps(1, now) + 20
        assert scene(1.0).blur.defocus_um == pytest.approx(20 * 3.5, abs=0.5)

    looked(work, optics__focus_side_steps=30.0)


def test_a_panel_is_dimmed_by_whole_steps_and_not_evenly() -> None:
    def work(scene: Callable[..., Scene], sim: SimObservatory) -> list[float]:
        lights = []
        for level in (0, 128, 255):
            lay_panel_on(sim, level)
            made = scene(1.0)
            assert made.sky is None, "it keeps the sky out"
            lights.append(made.panel_e_s_px)
        assert scene(1.0, light=False).panel_e_s_px == 0
        assert panel_share(sim.truth.gear, 255) == 1
        return lights

    off, half, full = looked(work, panel__gamma=1.5)
    assert off == 0 and half / full == pytest.approx((128 / 255) ** 1.5)


def test_a_panel_left_on_is_in_every_light() -> None:
    made = looked(lambda scene, sim: scene(), panel__left_on=True)
    assert made.sky is None and made.panel_e_s_px > 100


def test_short_frames_have_bands_and_a_panel_flickers_in_them() -> None:
    def work(scene: Callable[..., Scene], sim: SimObservatory) -> tuple[float, float, float, float]:
        sky = [scene(t).shade.bands[0] for t in (0.002, 1.0)]
        lay_panel_on(sim, 200)
        lit = [scene(t).shade.bands[0] for t in (0.0031, 2.0031)]
        return (*sky, *lit)

    short, long, flicker, steady = looked(work, panel__flicker=0.2)
    assert short > 0.05 and long == 0
    assert flicker > 0.04 and steady < 0.001
    assert looked(lambda scene, sim: scene(0.002).shade.bands[0], camera__banding=False) == 0


def test_clouds_dim_stars_and_throw_the_towns_light_back() -> None:
    clear = looked(lambda scene, sim: scene(), air__overcast_mag=0.0).sky
    veiled = looked(lambda scene, sim: scene(), air__overcast_mag=2.5).sky
    assert clear.cloud_mag == 0 and veiled.cloud_mag > 0.8
    assert veiled.mag_arcsec2 < clear.mag_arcsec2 - 0.2
    country = looked(
        lambda scene, sim: scene(), air__overcast_mag=2.5, sky__light_pollution_mag_arcsec2=None
    ).sky
    assert country.mag_arcsec2 > clear.mag_arcsec2, "without a town clouds are dark"


def test_dew_dims_and_spreads() -> None:
    def work(scene: Callable[..., Scene], sim: SimObservatory) -> tuple[float, float]:
        sim.truth.gear.dew(sim.truth.gear.clock.utcnow())
        made = scene(later_s=4 * 3600.0)
        assert made.sky is not None
        return made.sky.dimmed, made.blur.fwhm_px

    damp = {"air__humidity_percent": 96.0, "air__seeing_wanders": 0.0, "air__wind_m_s": 0.0}
    dimmed, wide = looked(work, **damp)
    clear, sharp = looked(work, air__dew=False, **damp)
    assert dimmed < 0.7 and clear == 1.0 and wide > 1.05 * sharp


def test_a_bad_polar_axis_makes_stars_walk() -> None:
    walk = looked(lambda scene, sim: scene(300.0), mount__polar_altitude_arcmin=40.0).blur.walk_px
    lengths = np.hypot(*np.array(walk).T)
    assert len(walk) == 25 and lengths.max() > 3 and lengths[len(walk) // 2] < 0.1
    laboratory = looked(
        lambda scene, sim: scene(5.0),
        mount__polar_altitude_arcmin=0.0,
        mount__polar_azimuth_arcmin=0.0,
        mount__periodic_error=[],
    )
    assert laboratory.blur.walk_px == ()


def test_a_subframe_is_asked_for_and_a_slow_download_waited_for() -> None:
    async def work(sim: SimObservatory, clock: ScenarioClock) -> None:
        set_up(sim, "L", None)
        point(sim, None)
        began = clock.utcnow()
        part, _ = await expose_at(sim, Exposure(2.0, 100, 50, region=(100, 200, 64, 32)), 0.0)
        assert part.image.shape == (32, 64)
        assert (clock.utcnow() - began).total_seconds() == pytest.approx(2 + 5 * RIG.readout_s())

    under_the_sky(RIG, scenario_with(Scenario(), camera__download_times=5.0), work)
