"""Numbers that follow from telescope and camera."""

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
