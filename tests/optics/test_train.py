"""The train's numbers against hand calculations (docs/formulas.md)."""

import pytest

from vigil.optics.train import (
    airy_fwhm_arcsec,
    critical_focus_zone_um,
    defocus_disc_um,
    image_scale_arcsec_px,
)


def test_numbers_of_the_demo_rig() -> None:
    assert image_scale_arcsec_px(480, 3.76) == pytest.approx(1.61574, abs=1e-5)
    assert image_scale_arcsec_px(480, 3.76, binning=2) == pytest.approx(3.23148, abs=1e-5)
    assert critical_focus_zone_um(6.0) == pytest.approx(96.624)
    assert airy_fwhm_arcsec(80) == pytest.approx(1.459, abs=1e-3)
    assert defocus_disc_um(-60, 6.0) == 10
