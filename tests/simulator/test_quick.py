"""Quick measurements against those of pixels."""

import asyncio
from dataclasses import replace

import numpy as np
import pytest

from campaigns.demo import quick_rig
from campaigns.solvefields import field_scene
from vigil.files.solver import Search, solve_picture
from vigil.imaging.measuring import measure_image
from vigil.simulator.frame.draw import draw
from vigil.simulator.quick import QuickMeasurer, figures_of, quick_frame, solution_of, star_count
from vigil.sky.angles import separation_deg
from vigil.sky.turns import turn_to_deg
from vigil.solving.near import Hint

SCENE = replace(field_scene(quick_rig(), 3), exposure_s=20.0)


@pytest.mark.parametrize("defocus_um", [0.0, 60.0, 150.0])
def test_sizes_and_background_are_those_of_the_pixels(defocus_um: float) -> None:
    scene = replace(SCENE, blur=replace(SCENE.blur, defocus_um=defocus_um))
    quick, measured = figures_of(scene), measure_image(draw(scene), scene.sensor.full_scale_adu)
    assert quick.hfr_px == pytest.approx(measured.hfr_px, rel=0.2)
    assert quick.background_adu == pytest.approx(measured.background_adu, rel=0.05)
    assert 0.3 < quick.stars / measured.stars < 3


def test_its_solution_is_that_of_the_pixels() -> None:
    scale = SCENE.scale_arcsec_px
    hint = Hint(SCENE.aim.ra_deg, SCENE.aim.dec_deg, 0.98 * scale, 1.02 * scale)
    solved = solve_picture(draw(SCENE), Search(hint)).solution.wcs
    quick = solution_of(SCENE).wcs
    assert solved is not None and quick is not None
    assert 3600 * separation_deg(solved.ra_deg, solved.dec_deg, quick.ra_deg, quick.dec_deg) < 3
    assert abs(turn_to_deg(solved.position_angle_deg, quick.position_angle_deg)) < 0.05
    assert quick.scale_arcsec_px == pytest.approx(solved.scale_arcsec_px, rel=1e-3)
    assert quick.mirrored == solved.mirrored and quick.shape == solved.shape


def test_clouds_take_the_stars_away() -> None:
    assert SCENE.sky is not None
    counts = [star_count(replace(SCENE, sky=replace(SCENE.sky, cloud_mag=mag))) for mag in (0, 2, 5, 12)]
    assert counts == sorted(counts, reverse=True) and counts[0] > 200 and counts[-1] == 0
    hidden = replace(SCENE, sky=replace(SCENE.sky, cloud_mag=12.0))
    assert not solution_of(hidden).solved and np.isnan(figures_of(hidden).hfr_px)
    assert not solution_of(replace(SCENE, sky=None)).solved, "a closed cover shows no stars"


def test_a_frame_with_pixels_is_refused() -> None:
    with pytest.raises(ValueError, match="with pixels"):
        asyncio.run(QuickMeasurer().measure(np.zeros((4, 4), np.uint16), 65535))
    frame = quick_frame(SCENE)
    assert frame.shape == SCENE.sensor.shape
    assert asyncio.run(QuickMeasurer().measure(frame, 65535)) == figures_of(SCENE)
