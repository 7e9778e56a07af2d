"""Tilt and curvature out of a run's frames."""

from collections.abc import Sequence
from typing import Any

import numpy as np

from vigil.documents.rig import Rig
from vigil.focusing.samestars import StarList, shared_sizes
from vigil.focusing.tilt import FieldFocus, FieldStars, NoField, field_focus


def field_of(rig: Rig, positions: Sequence[int], stars: Sequence[StarList]) -> dict[str, Any] | None:
    """For the run's numbers; None where it has too few stars to tell. `positions` and `stars` are those of
    the frames that the run's curve was fitted to."""
    camera, focuser = rig.camera, rig.focuser
    assert camera is not None and focuser is not None, "a run needs both"
    width_mm, height_mm = (side * camera.pixel_um / 1000 for side in (camera.columns, camera.rows))
    # the frames' places are brought to one frame's: a star stays where it is
    shared = shared_sizes(stars)
    if shared is None:
        return None
    outward = 1 if focuser.more_is == "outward" else -1
    seen = FieldStars(
        outward * focuser.um_per_step * np.array(positions, dtype=np.float64),
        (shared.x_px + 0.5) * camera.pixel_um / 1000 - width_mm / 2,
        (shared.y_px + 0.5) * camera.pixel_um / 1000 - height_mm / 2,
        shared.sizes_px,
    )
    try:
        return _numbers(field_focus(seen, width_mm, height_mm), width_mm, height_mm)
    except NoField:
        return None


def _numbers(found: FieldFocus, width_mm: float, height_mm: float) -> dict[str, Any]:
    return {
        "tilt_um": round(found.tilt_um, 1),
        "tilt_deg": round(found.tilt_deg, 4),
        "tilt_sigma_deg": round(found.tilt_sigma_deg, 4),
        "towards_deg": round(found.towards_deg, 1),
        "curvature_um": round(found.curvature_um, 1),
        "curvature_sigma_um": round(found.curvature_sigma_um, 1),
        "centre_um": round(found.centre_um, 1),
        "width_mm": round(width_mm, 3),
        "height_mm": round(height_mm, 3),
        "zones": [
            [round(z.x_mm, 2), round(z.y_mm, 2), round(z.best_um - found.centre_um, 1), round(z.sigma_um, 1)]
            for z in found.zones
        ],
    }
