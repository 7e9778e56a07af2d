"""Tilt and curvature out of a run's frames: the stars of each part of the field have a curve of their own."""

from collections.abc import Sequence
from typing import Any

import numpy as np

from vigil.documents.rig import Rig
from vigil.focusing.fit import Point
from vigil.focusing.samestars import StarList, shared_sizes
from vigil.focusing.tilt import FieldFocus, NoField, Zone, field_focus

_ACROSS, _DOWN = 5, 3
_LEAST_STARS = 3
_MEDIAN_ERROR = 1.2533


def field_of(rig: Rig, positions: Sequence[int], stars: Sequence[StarList]) -> dict[str, Any] | None:
    """For the run's numbers; None where it has too few stars to tell. `positions` and `stars` are those of
    the frames that the run's curve was fitted to."""
    camera, focuser = rig.camera, rig.focuser
    assert camera is not None and focuser is not None, "a run needs both"
    width_mm, height_mm = (side * camera.pixel_um / 1000 for side in (camera.columns, camera.rows))
    zones = _zones(rig, positions, stars, width_mm, height_mm)
    try:
        found = field_focus(zones, width_mm, height_mm)
    except NoField:
        return None
    return _numbers(found, width_mm, height_mm)


def _zones(
    rig: Rig, positions: Sequence[int], stars: Sequence[StarList], width_mm: float, height_mm: float
) -> list[Zone]:
    camera, focuser = rig.camera, rig.focuser
    assert camera is not None and focuser is not None
    outward = 1 if focuser.more_is == "outward" else -1
    # the frames' places are brought to one frame's, so that a star stays in its zone
    shared = shared_sizes(stars)
    if shared is None:
        return []
    x_mm = (shared.x_px + 0.5) * camera.pixel_um / 1000 - width_mm / 2
    y_mm = (shared.y_px + 0.5) * camera.pixel_um / 1000 - height_mm / 2
    across = np.clip(((x_mm / width_mm + 0.5) * _ACROSS).astype(int), 0, _ACROSS - 1)
    down = np.clip(((y_mm / height_mm + 0.5) * _DOWN).astype(int), 0, _DOWN - 1)
    zones = []
    for row in range(_DOWN):
        for column in range(_ACROSS):
            here = (across == column) & (down == row)
            points = []
            for k, position in enumerate(positions):
                sizes = shared.sizes_px[k, here]
                sizes = sizes[np.isfinite(sizes)]
                if sizes.size < _LEAST_STARS:
                    continue
                middle = float(np.median(sizes))
                spread = 1.4826 * float(np.median(np.abs(sizes - middle)))
                error = max(_MEDIAN_ERROR * spread / np.sqrt(sizes.size), 0.005 * middle)
                points.append(Point(outward * position * focuser.um_per_step, middle, error))
            if points:
                zones.append(Zone(float(x_mm[here].mean()), float(y_mm[here].mean()), points))
    return zones


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
