"""The numbers that follow from a rig: each with its formula and where that is from."""

from dataclasses import dataclass

from vigil.documents.rig import Rig
from vigil.optics.train import (
    critical_focus_zone_um,
    dawes_limit_arcsec,
    field_deg,
    image_scale_arcsec_px,
    longest_unguided_s,
    pixels_per_fwhm,
    sampling_verdict,
)

SEEING_ARCSEC = 3.0
POLAR_ERROR_ARCMIN = 5.0
_HEADER_BYTES = 5760
_BYTES_PER_PIXEL = 2


@dataclass(frozen=True, slots=True)
class RigNumber:
    """One number: `value` in `unit`, `also` beside it in words; the formula with its source."""

    name: str
    value: float
    unit: str
    also: str
    formula: str


def rig_numbers(
    rig: Rig, seeing_arcsec: float = SEEING_ARCSEC, free_bytes: int | None = None
) -> list[RigNumber]:
    """All that can be computed of a rig; frames per free space only where that is known."""
    telescope, camera = rig.telescope, rig.camera
    scale = image_scale_arcsec_px(telescope.focal_length_mm, camera.pixel_um)
    wide, high = field_deg(scale, camera.columns, camera.rows)
    per_fwhm = pixels_per_fwhm(scale, seeing_arcsec)
    zone_um = critical_focus_zone_um(telescope.focal_ratio)
    frame_bytes = _BYTES_PER_PIXEL * camera.columns * camera.rows + _HEADER_BYTES
    found = [
        RigNumber("image scale", scale, "″/px", "", "206264.8 · pixel / focal length (small angle)"),
        RigNumber("field", wide, "°", f"by {high:.2f}°", "image scale · pixels"),
        RigNumber(
            f"in {seeing_arcsec:g}″ seeing",
            per_fwhm,
            "px",
            sampling_verdict(per_fwhm),
            "seeing / image scale; two pixels a FWHM are Nyquist's (Howell 2006)",
        ),
        RigNumber(
            "critical focus zone",
            zone_um,
            "µm",
            f"{zone_um / rig.focuser.um_per_step:.0f} steps",
            "4.88 λ F², λ = 0.55 µm, full depth",
        ),
        RigNumber(
            "focal ratio",
            telescope.focal_ratio,
            "",
            f"{telescope.aperture_mm:g} mm",
            "focal length / aperture",
        ),
        RigNumber("frame", frame_bytes / 1e6, "MB", "16 bit", "2 bytes a pixel and the header"),
        RigNumber(
            "resolution",
            dawes_limit_arcsec(telescope.aperture_mm),
            "″",
            "",
            "116″ / aperture in mm (Dawes 1867)",
        ),
        RigNumber(
            "unguided",
            longest_unguided_s(scale, POLAR_ERROR_ARCMIN),
            "s",
            f"axis off {POLAR_ERROR_ARCMIN:g}′",
            "one pixel of drift at 15.041″/s · sin(polar error)",
        ),
    ]
    if free_bytes is not None:
        found.append(
            RigNumber("room for", free_bytes / frame_bytes, "frames", "", "free bytes on the disk / frame")
        )
    return found
