"""What the two cameras are made of, and what stands before them."""

from dataclasses import dataclass

from vigil.documents.rig import Rig
from vigil.simulator.frame.optics import Optics

_GUIDE_ELECTRONS_PER_ADU = 0.25
_GUIDE_READ_NOISE_E = 1.2
_GUIDE_FULL_WELL_E = 16_000.0
_GUIDE_SCOPE_RATIO = 4.0
_GUIDE_DOWNLOAD_S = 0.3
_NO_TELESCOPE_MM = (500.0, 50.0)


@dataclass(frozen=True, slots=True)
class Chip:
    """What a camera is made of, and what stands before it."""

    name: str
    optics: Optics
    columns: int
    rows: int
    electrons_per_adu: float
    read_noise_e: float
    full_well_e: float
    full_scale_adu: int
    bayer: str | None
    downloads_s: tuple[float, ...]
    figures: dict[str, float | int]
    guides: bool

    def download_s(self, binning: int) -> float:
        return self.downloads_s[min(binning, len(self.downloads_s)) - 1]


def main_chip(rig: Rig, gain: int) -> Chip:
    """The main camera behind the telescope."""
    camera, telescope = rig.camera, rig.telescope
    assert camera is not None
    point = camera.at_gain(gain)
    length, aperture = _NO_TELESCOPE_MM
    optics = Optics(
        rig.focal_length_mm or length,
        telescope.aperture_mm if telescope else aperture,
        camera.pixel_um,
        telescope.obstruction_mm if telescope else 0.0,
    )
    figures = {f"camera.{name}": getattr(camera, name) for name in ("columns", "rows", "pixel_um")}
    return Chip(
        "camera",
        optics,
        camera.columns,
        camera.rows,
        point.electrons_per_adu,
        point.read_noise_e,
        point.full_well_e,
        camera.full_scale_adu,
        camera.bayer,
        tuple(camera.download_s),
        figures,
        guides=False,
    )


def guide_chip(rig: Rig, gain: int) -> Chip:
    """The guide camera behind its own scope, or beside the main sensor."""
    guider = rig.guider
    assert guider is not None
    length = rig.guide_focal_length_mm or 200.0
    aperture, obstruction = length / _GUIDE_SCOPE_RATIO, 0.0
    if off_axis(rig) and rig.telescope is not None:
        aperture, obstruction = rig.telescope.aperture_mm, rig.telescope.obstruction_mm
    figures = {f"guider.{name}": getattr(guider, name) for name in ("columns", "rows", "pixel_um")}
    return Chip(
        "guide camera",
        Optics(length, aperture, guider.pixel_um, obstruction),
        guider.columns,
        guider.rows,
        _GUIDE_ELECTRONS_PER_ADU * 4096 / 2**guider.bit_depth * 4,
        _GUIDE_READ_NOISE_E,
        _GUIDE_FULL_WELL_E,
        2**guider.bit_depth - 1,
        None,
        (_GUIDE_DOWNLOAD_S,),
        figures,
        guides=True,
    )


def off_axis(rig: Rig) -> bool:
    """Whether the guide camera looks through the telescope, and turns with its camera."""
    return rig.guider is not None and rig.guider.kind == "off-axis"
