"""Where the guide camera looks while the main one is framed."""

from vigil.documents.rig import Rig
from vigil.optics.footprint import Footprint, subtended_deg
from vigil.optics.train import image_scale_arcsec_px

# an off-axis guider's mirror stands about this far beyond the sensor's edge
PICK_OFF_MM = 3.0


def guide_field(main: Footprint, rig: Rig) -> Footprint | None:
    """The guider's field: off axis above the sensor's rows, a guide scope's around the same middle; None
    without a guider or where its focal length isn't known."""
    guider, length_mm = rig.guider, rig.guide_focal_length_mm
    if guider is None or length_mm is None:
        return None
    scale = image_scale_arcsec_px(length_mm, guider.pixel_um)
    width, height = subtended_deg(scale, guider.columns), subtended_deg(scale, guider.rows)
    if guider.kind != "off-axis" or rig.camera is None:
        return Footprint(main.ra_deg, main.dec_deg, main.position_angle_deg, width, height)
    half_mm = rig.camera.rows * rig.camera.pixel_um / 2000
    away_mm = half_mm + guider.rows * guider.pixel_um / 2000 + PICK_OFF_MM
    return main.beside(0.0, away_mm / half_mm, width, height)
