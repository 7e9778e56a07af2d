"""Numbers that follow from telescope and camera."""

import math

ARCSEC_PER_RADIAN = 206264.806


def image_scale_arcsec_px(focal_length_mm: float, pixel_um: float, binning: int = 1) -> float:
    """Image scale at the centre of the field: pixel over focal length, small angle."""
    return ARCSEC_PER_RADIAN * pixel_um * binning / (focal_length_mm * 1000.0)


def critical_focus_zone_um(focal_ratio: float, wavelength_um: float = 0.55) -> float:
    """Full depth of the critical focus zone, 4.88 λ F² (the Airy disc's depth of focus)."""
    return 4.88 * wavelength_um * focal_ratio**2


def airy_fwhm_arcsec(aperture_mm: float, wavelength_um: float = 0.55) -> float:
    """Full width at half maximum of the Airy pattern, 1.029 λ/D."""
    return ARCSEC_PER_RADIAN * 1.029 * wavelength_um / (aperture_mm * 1000.0)


def defocus_disc_um(defocus_um: float, focal_ratio: float) -> float:
    """Diameter of the geometric blur of a focal plane missed by `defocus_um`."""
    return abs(defocus_um) / focal_ratio


def field_deg(scale_arcsec_px: float, columns: int, rows: int) -> tuple[float, float]:
    """Width and height of the field on the sky, small angle: pixels times scale."""
    return scale_arcsec_px * columns / 3600.0, scale_arcsec_px * rows / 3600.0


def pixels_per_fwhm(scale_arcsec_px: float, seeing_arcsec: float) -> float:
    """How many pixels the star's full width at half maximum covers under a seeing."""
    return seeing_arcsec / scale_arcsec_px


def sampling_verdict(pixels_per_fwhm: float) -> str:
    """In plain words. Two samples a FWHM are Nyquist's for a Gaussian's finest detail; under about 1.5 stars
    turn square, over about 4 light is spread with no detail gained (Howell 2006, Handbook of CCD Astronomy,
    section 5.6)."""
    if pixels_per_fwhm < 1.0:
        return "strongly undersampled"
    if pixels_per_fwhm < 1.5:
        return "slightly undersampled"
    if pixels_per_fwhm <= 4.0:
        return "well sampled"
    return "oversampled"


def dawes_limit_arcsec(aperture_mm: float) -> float:
    """Resolution of the telescope on double stars: 116″ over the aperture in mm (Dawes 1867)."""
    return 116.0 / aperture_mm


def guide_pixels(main_px: float, main_scale_arcsec_px: float, guide_scale_arcsec_px: float) -> float:
    """A way on the sky in guide-camera pixels that is `main_px` on the main camera: the ratio of scales."""
    return main_px * main_scale_arcsec_px / guide_scale_arcsec_px


def longest_unguided_s(scale_arcsec_px: float, polar_error_arcmin: float, drift_px: float = 1.0) -> float:
    """How long until a polar axis that is off lets stars drift by `drift_px`, where the drift is fastest:
    15.041″ a second times the sine of the error. The mount's periodic error comes on top."""
    drift_arcsec_s = 15.041 * math.sin(math.radians(polar_error_arcmin / 60.0))
    return drift_px * scale_arcsec_px / drift_arcsec_s
