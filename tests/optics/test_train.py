"""The train's numbers against hand calculations (docs/formulas.md)."""

import pytest

from vigil.optics.train import (
    airy_fwhm_arcsec,
    critical_focus_zone_um,
    dawes_limit_arcsec,
    defocus_disc_um,
    field_deg,
    image_scale_arcsec_px,
    longest_unguided_s,
    pixels_per_fwhm,
    sampling_verdict,
)


def test_numbers_of_the_demo_rig() -> None:
    assert image_scale_arcsec_px(480, 3.76) == pytest.approx(1.61574, abs=1e-5)
    assert image_scale_arcsec_px(480, 3.76, binning=2) == pytest.approx(3.23148, abs=1e-5)
    assert critical_focus_zone_um(6.0) == pytest.approx(96.624)
    assert airy_fwhm_arcsec(80) == pytest.approx(1.459, abs=1e-3)
    assert defocus_disc_um(-60, 6.0) == 10


def test_what_follows_from_the_demo_rig() -> None:
    scale = image_scale_arcsec_px(480, 3.76)
    assert field_deg(scale, 3008, 2000) == pytest.approx((1.35004, 0.89763), abs=1e-5)
    assert pixels_per_fwhm(scale, 3.0) == pytest.approx(1.8567, abs=1e-4)
    assert dawes_limit_arcsec(80) == 1.45
    # 15.041 · sin 5′ = 0.021876″/s; 1.61574″ take 73.86 s
    assert longest_unguided_s(scale, 5.0) == pytest.approx(73.86, abs=0.01)
    assert longest_unguided_s(scale, 10.0, drift_px=2.0) == pytest.approx(
        longest_unguided_s(scale, 5.0), rel=1e-5
    )


@pytest.mark.parametrize(
    ("pixels", "verdict"),
    [
        (0.8, "strongly undersampled"),
        (1.2, "slightly undersampled"),
        (1.86, "well sampled"),
        (5.0, "oversampled"),
    ],
)
def test_sampling_in_words(pixels: float, verdict: str) -> None:
    assert sampling_verdict(pixels) == verdict
