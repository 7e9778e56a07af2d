"""The numbers that follow from a rig: each with its formula and where that is from."""

from dataclasses import dataclass

from vigil.documents.rig import Rig
from vigil.optics.train import (
    critical_focus_zone_um,
    dawes_limit_arcsec,
    field_deg,
    guide_pixels,
    image_scale_arcsec_px,
    longest_unguided_s,
    pixels_per_fwhm,
    sampling_verdict,
)

SEEING_ARCSEC = 3.0
POLAR_ERROR_ARCMIN = 5.0
USUAL_WAVELENGTH_UM = 0.55
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
    rig: Rig,
    seeing_arcsec: float = SEEING_ARCSEC,
    free_bytes: int | None = None,
    through: str | None = None,
) -> list[RigNumber]:
    """All that can be computed of a rig: what needs a part that is missing is left out.

    The critical focus zone is that of the filter `through`, else of green light. Frames per free space only
    where that is known.
    """
    found = [*_of_the_camera(rig, seeing_arcsec), *_of_the_focus(rig, through), *_of_the_guider(rig)]
    if rig.camera is not None:
        frame_bytes = _BYTES_PER_PIXEL * rig.camera.columns * rig.camera.rows + _HEADER_BYTES
        found.append(RigNumber("frame", frame_bytes / 1e6, "MB", "16 bit", "2 bytes a pixel and the header"))
        if free_bytes is not None:
            found.append(
                RigNumber(
                    "free disk holds",
                    free_bytes / frame_bytes,
                    "frames",
                    "",
                    "free bytes on the disk / frame",
                )
            )
            found.append(RigNumber("frames a GB", 1e9 / frame_bytes, "", "", "1 000 000 000 bytes / frame"))
    return found


def _of_the_camera(rig: Rig, seeing_arcsec: float) -> list[RigNumber]:
    length_mm, camera = rig.focal_length_mm, rig.camera
    if length_mm is None or camera is None:
        return []
    scale = image_scale_arcsec_px(length_mm, camera.pixel_um)
    wide, high = field_deg(scale, camera.columns, camera.rows)
    per_fwhm = pixels_per_fwhm(scale, seeing_arcsec)
    reduced = "" if rig.reducer is None or rig.reducer.factor == 1 else f"at {length_mm:.4g} mm"
    return [
        RigNumber("image scale", scale, "″/px", reduced, "206264.8 · pixel / focal length (small angle)"),
        RigNumber("field", wide, "°", f"by {high:.2f}°", "image scale · pixels"),
        RigNumber(
            f"in {seeing_arcsec:g}″ seeing",
            per_fwhm,
            "px",
            sampling_verdict(per_fwhm),
            "seeing / image scale; two pixels a FWHM are Nyquist's (Howell 2006)",
        ),
        RigNumber(
            "longest unguided",
            longest_unguided_s(scale, POLAR_ERROR_ARCMIN),
            "s",
            f"axis {POLAR_ERROR_ARCMIN:g}′ off",
            "one pixel of drift at 15.041″/s · sin(polar error)",
        ),
    ]


def _of_the_focus(rig: Rig, through: str | None) -> list[RigNumber]:
    telescope, ratio = rig.telescope, rig.focal_ratio
    if telescope is None or ratio is None:
        return []
    band = next((f for f in rig.wheel.filters if f.name == through), None) if rig.wheel else None
    wavelength_um = band.centre_nm / 1000 if band else USUAL_WAVELENGTH_UM
    zone_um = critical_focus_zone_um(ratio, wavelength_um)
    steps = f"{zone_um / rig.focuser.um_per_step:.0f} steps" if rig.focuser else ""
    return [
        RigNumber(
            "critical focus zone", zone_um, "µm", steps, f"4.88 λ F², λ = {wavelength_um:.4g} µm, full depth"
        ),
        RigNumber("focal ratio", ratio, "", f"{telescope.aperture_mm:g} mm", "focal length / aperture"),
        RigNumber(
            "resolution",
            dawes_limit_arcsec(telescope.aperture_mm),
            "″",
            "",
            "116″ / aperture in mm (Dawes 1867)",
        ),
    ]


def _of_the_guider(rig: Rig) -> list[RigNumber]:
    guider, length_mm = rig.guider, rig.guide_focal_length_mm
    if guider is None or length_mm is None:
        return []
    guide_scale = image_scale_arcsec_px(length_mm, guider.pixel_um)
    found = [
        RigNumber(
            "guide scale",
            guide_scale,
            "″/px",
            f"at {length_mm:.4g} mm",
            "206264.8 · guide pixel / focal length",
        )
    ]
    if rig.focal_length_mm is not None and rig.camera is not None:
        scale = rig.scale_arcsec_px()
        found += [
            RigNumber("guide to main", guide_scale / scale, "×", "", "guide scale / image scale"),
            RigNumber(
                f"{guider.dither_px:g} px dither",
                guide_pixels(guider.dither_px, scale, guide_scale),
                "guide px",
                "",
                "main pixels · image scale / guide scale",
            ),
        ]
    return found
