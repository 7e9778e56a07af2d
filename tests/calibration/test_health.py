"""A camera's health by its darks."""

from datetime import UTC, datetime, timedelta
from pathlib import Path

import numpy as np
import pytest

from vigil.calibration.health import health_of
from vigil.files.camerahealth import camera_health
from vigil.files.fits import Header, write_frame


def dark(e_s: float, hot: int, exposure_s: float, seed: int = 1) -> np.ndarray:
    """Of 0.5 e⁻/ADU, 500 ADU without exposure, 3 e⁻ of read noise."""
    rng = np.random.default_rng(seed)
    electrons = rng.poisson(e_s * exposure_s, (300, 400)) + rng.normal(0, 3, (300, 400))
    image = 500 + electrons / 0.5
    image.flat[rng.choice(image.size, hot, replace=False)] += 4000
    return np.clip(np.rint(image), 0, 65535).astype(np.uint16)


@pytest.mark.parametrize("e_s", [0.002, 0.02, 0.2])
def test_dark_current_and_hot_pixels(e_s: float) -> None:
    found = health_of(dark(e_s, 60, 600), 500.0, 0.5, 600)
    assert found.dark_e_s == pytest.approx(e_s, rel=0.05, abs=5e-5)
    assert found.hot_share == pytest.approx(60 / 120_000, rel=0.02)


def test_no_exposure_tells_nothing() -> None:
    with pytest.raises(ValueError, match="no dark current"):
        health_of(dark(0.1, 0, 1), 500.0, 0.5, 0.0)


def test_through_the_years(tmp_path: Path) -> None:
    at = datetime(2026, 1, 1, 8, tzinfo=UTC)
    for year, e_s in ((0, 0.01), (1, 0.03)):
        when = at + timedelta(days=365 * year)
        for name, kind, exposure_s, image in (
            ("dark", "DARK", 300.0, dark(e_s, 40, 300)),
            ("short", "DARK", 60.0, dark(e_s, 40, 60)),
            ("bias", "BIAS", 0.0, dark(0.0, 0, 1)),
        ):
            header: Header = {
                "IMAGETYP": (kind, ""), "EXPTIME": (exposure_s, ""), "INSTRUME": ("Wren", ""),
                "DATE-OBS": (f"{when:%Y-%m-%dT%H:%M:%S}", ""), "GAIN": (100, ""), "CCD-TEMP": (-10.0, ""),
                "EGAIN": (0.5, ""),
            }  # fmt: skip
            write_frame(tmp_path / f"{name}-{year}.fits", image, header)
    first, second = camera_health([tmp_path], 1.0)
    assert first.at == at and first.dark_e_s == pytest.approx(0.01, rel=0.1)
    assert second.dark_e_s == pytest.approx(0.03, rel=0.1)
    assert camera_health([tmp_path / "none"], 1.0) == []
