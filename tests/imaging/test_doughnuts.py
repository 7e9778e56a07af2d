"""The size of stars far out of focus, on simulated frames: discs and rings, few and many, and nothing."""

from pathlib import Path

import numpy as np
import pytest

from campaigns.demo import quick_rig
from campaigns.rigs import example, small
from campaigns.shooting import shoot
from vigil.imaging.doughnuts import doughnuts_in
from vigil.simulator.frame.psf import Spot, points_on, smear

RIGS = {"refractor": quick_rig(), "reflector": small(example("stork-1600"), 4)}


@pytest.mark.parametrize(("name", "steps"), [("refractor", 250), ("refractor", -900), ("reflector", 1200)])
def test_the_radius_of_discs_and_rings(tmp_path: Path, name: str, steps: int) -> None:
    rig = RIGS[name]
    assert rig.camera is not None and rig.telescope is not None and rig.focal_length_mm is not None
    [(image, told)] = shoot(
        tmp_path, "--exposure", "10", "--focus-offset", str(steps), "--filter", "L", rig=rig
    )
    obstruction = (rig.telescope.obstruction_mm or 0.0) / rig.telescope.aperture_mm
    ratio = rig.focal_length_mm / rig.telescope.aperture_mm
    expected = abs(told["defocus_um"]) / ratio / 2 / rig.camera.pixel_um
    found = doughnuts_in(image, obstruction)
    assert found is not None and found.radius_px == pytest.approx(expected, rel=0.12)


def test_an_empty_frame_shows_none() -> None:
    rng = np.random.default_rng(2)
    sky = rng.normal(1000, 12, (500, 700)) + np.linspace(0, 80, 700)
    sky[rng.integers(0, 500, 60), rng.integers(0, 700, 60)] = 40000  # hot pixels
    assert doughnuts_in(sky) is None


@pytest.mark.parametrize(("radius_px", "obstruction"), [(24.0, 0.0), (70.0, 0.4), (150.0, 0.0)])
def test_discs_that_overlap_and_leave_the_frame(radius_px: float, obstruction: float) -> None:
    rng = np.random.default_rng(int(radius_px))
    rows, columns = 600, 800
    spot = Spot(4.0, 2 * radius_px, obstruction)
    half = spot.half_px(bright=True)
    x, y = rng.uniform(0, columns + 2 * half, 60), rng.uniform(0, rows + 2 * half, 60)
    light = 2e3 * radius_px**2 * rng.pareto(1.5, 60)
    drawn = smear(points_on((rows + 2 * half, columns + 2 * half), x, y, light), spot, half)
    frame = rng.poisson(1000 + np.maximum(drawn[half:-half, half:-half], 0)) + np.linspace(0, 60, columns)
    found = doughnuts_in(frame, obstruction)
    assert found is not None and found.radius_px == pytest.approx(radius_px, rel=0.02)


def test_half_a_disc_at_the_edge_is_as_large_as_a_whole_one() -> None:
    rng = np.random.default_rng(5)
    y, x = np.mgrid[:600, :800]
    frame = rng.normal(1000, 10, (600, 800)) + 40.0 * (np.hypot(x - 790, y - 300) < 120)
    found = doughnuts_in(frame)
    assert found is not None and found.radius_px == pytest.approx(120, rel=0.02)
    assert abs(found.x_px - 790) < 10 and abs(found.y_px - 300) < 10
