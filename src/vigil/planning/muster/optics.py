"""Telescope, reducer, guider, rotator."""

from collections.abc import Iterator

from vigil.documents.rig import Rig
from vigil.optics.train import guide_pixels, image_scale_arcsec_px
from vigil.planning.muster.finding import Finding, Known

_FASTEST, _SLOWEST = 1.0, 40.0
_SCALES = 0.1, 120.0
_MOST_MAIN_PX_IN_A_GUIDE_PX = 8.0
_HALF_TURN_DEG = 180.0


def findings(rig: Rig, known: Known) -> Iterator[Finding]:
    """Everything about the optics."""
    yield from _train(rig)
    yield from _guider(rig)
    yield from _rotator(rig)


def _train(rig: Rig) -> Iterator[Finding]:
    telescope = rig.telescope
    if telescope is None:
        yield Finding(("telescope",), "There is no telescope: no scale, no field, no night.")
        return
    ratio = rig.focal_ratio or 0.0
    if not _FASTEST <= ratio <= _SLOWEST:
        yield Finding(
            ("telescope", "aperture_mm"),
            f"{rig.focal_length_mm:g} mm through {telescope.aperture_mm:g} mm is f/{ratio:.3g}, "
            f"which no telescope is: f/{_FASTEST:g} to f/{_SLOWEST:g}.",
        )
    if telescope.obstruction_mm >= telescope.aperture_mm:
        yield Finding(
            ("telescope", "obstruction_mm"),
            f"An obstruction of {telescope.obstruction_mm:g} mm covers the whole aperture of "
            f"{telescope.aperture_mm:g} mm.",
        )
    if rig.camera is not None:
        scale = rig.scale_arcsec_px()
        if not _SCALES[0] <= scale <= _SCALES[1]:
            yield Finding(
                ("camera", "pixel_um"),
                f"{rig.camera.pixel_um:g} µm at {rig.focal_length_mm:g} mm are {scale:.3g}″ a pixel; "
                f"{_SCALES[0]:g} to {_SCALES[1]:g}″ make sense.",
            )


def _guider(rig: Rig) -> Iterator[Finding]:
    guider = rig.guider
    if guider is None:
        return
    length_mm = rig.guide_focal_length_mm
    if length_mm is None:
        yield Finding(
            ("guider", "focal_length_mm"),
            f"{guider.name} has no focal length: its scale, and what a dither is for it, are unknown.",
        )
        return
    if rig.camera is None or rig.focal_length_mm is None:
        return
    scale, guide_scale = rig.scale_arcsec_px(), image_scale_arcsec_px(length_mm, guider.pixel_um)
    if guide_scale / scale > _MOST_MAIN_PX_IN_A_GUIDE_PX:
        yield Finding(
            ("guider", "focal_length_mm"),
            f"A guide pixel of {guide_scale:.2f}″ is {guide_scale / scale:.1f} main pixels; over "
            f"{_MOST_MAIN_PX_IN_A_GUIDE_PX:g} the guider can't see what moves the main star.",
            doubt=True,
        )
    dither = guide_pixels(guider.dither_px, scale, guide_scale)
    if 0 < dither < 0.5:
        yield Finding(
            ("guider", "dither_px"),
            f"A dither of {guider.dither_px:g} main pixels is {dither:.2f} guide pixels: it drowns in the "
            "guider's own noise; half a guide pixel is the least.",
            doubt=True,
        )


def _rotator(rig: Rig) -> Iterator[Finding]:
    rotator = rig.rotator
    if rotator is not None and rotator.highest_deg - rotator.lowest_deg < _HALF_TURN_DEG:
        yield Finding(
            ("rotator", "highest_deg"),
            f"{rotator.lowest_deg:g} to {rotator.highest_deg:g}° is less than half a turn: not every framing "
            "can be reached.",
            doubt=True,
        )
