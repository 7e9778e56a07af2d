"""The size of stars far out of focus, on simulated frames: discs and rings, few and many, and nothing."""

from pathlib import Path

import numpy as np
import pytest

from campaigns.demo import quick_rig
from campaigns.rigs import example, small
from campaigns.shooting import shoot
from vigil.imaging.doughnuts import doughnuts_in

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
