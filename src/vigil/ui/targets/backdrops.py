"""One's own pictures on the chart: solved once, kept as backdrops of their region."""

import json
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np
from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QImage, QPainter, QPolygonF, QTransform

from vigil.files.atomic import write_bytes
from vigil.files.pictures import read_picture
from vigil.imaging.shrink import shrunk
from vigil.imaging.stretch import auto_stretch, table
from vigil.sky.charting import ChartPlane
from vigil.solving.wcs import Wcs
from vigil.ui.theme import theme

_THUMB_PX = 1000


@dataclass(frozen=True, slots=True)
class Backdrop:
    """A solved picture made small: `grey` [row, column], row 0 at the bottom, and where it lies."""

    path: Path
    wcs: Wcs
    grey: np.ndarray
    images: dict[str, QImage] = field(default_factory=dict)


def load_backdrop(path: Path, wcs: Wcs) -> Backdrop:
    """Read and shrink a picture: for a worker thread. Raises BadFrame."""
    plane = read_picture(path).mono
    times = max(1, int(np.ceil(max(plane.shape) / _THUMB_PX)))
    small = shrunk(plane, times)
    levels = _as_levels(small)
    return Backdrop(path, wcs, table(auto_stretch(levels))[levels])


def _as_levels(plane: np.ndarray) -> np.ndarray:
    """Sixteen bits, whatever the picture had: eight, sixteen, or shares of one."""
    values = np.nan_to_num(plane)
    top = float(values.max(initial=0.0))
    scale = 65535.0 if top <= 1.5 else 257.0 if top <= 255.0 else 1.0
    return np.clip(values * scale, 0, 65535).astype(np.uint16)


def paint_backdrop(painter: QPainter, plane: ChartPlane, backdrop: Backdrop) -> None:
    """Laid on its four corners."""
    ra, dec = (np.array(v) for v in zip(*backdrop.wcs.outline(), strict=True))
    x, y = plane.place(ra, dec)
    if not np.all(np.isfinite(x)) or np.ptp(x) < 4:
        return
    if not (x.max() > 0 and x.min() < plane.width_px and y.max() > 0 and y.min() < plane.height_px):
        return
    image = _image(backdrop)
    wide, high = image.width(), image.height()
    # rows of the image count from the top
    source = QPolygonF([QPointF(0, high), QPointF(wide, high), QPointF(wide, 0), QPointF(0, 0)])
    target = QPolygonF([QPointF(a, b) for a, b in zip(x.tolist(), y.tolist(), strict=True)])
    turn = QTransform()
    if not QTransform.quadToQuad(source, target, turn):
        return
    painter.save()
    painter.setTransform(turn, True)
    painter.setOpacity(0.9)
    painter.drawImage(0, 0, image)
    painter.restore()


def _image(backdrop: Backdrop) -> QImage:
    """In the light that the window has."""
    light = theme.light.value
    if light not in backdrop.images:
        backdrop.images.clear()
        grey = np.ascontiguousarray(backdrop.grey[::-1])
        rows, columns = grey.shape
        tones = np.array(theme.greys(), dtype=np.uint32)
        image = QImage(tones[grey].tobytes(), columns, rows, 4 * columns, QImage.Format.Format_RGB32)
        backdrop.images[light] = image.copy()
    return backdrop.images[light]


def wcs_values(wcs: Wcs) -> dict[str, Any]:
    """As plain values; distortion doesn't show on a chart."""
    return {
        "ra_deg": wcs.ra_deg,
        "dec_deg": wcs.dec_deg,
        "cd_deg_px": [list(row) for row in wcs.cd_deg_px],
        "shape": list(wcs.shape),
    }


def wcs_from(values: dict[str, Any]) -> Wcs:
    """The inverse of `wcs_values`. Raises KeyError, TypeError or ValueError for other values."""
    (a, b), (c, d) = ((float(v) for v in row) for row in values["cd_deg_px"])
    rows, columns = (int(v) for v in values["shape"])
    return Wcs(float(values["ra_deg"]), float(values["dec_deg"]), ((a, b), (c, d)), (rows, columns))


def kept_backdrops(path: Path) -> list[tuple[Path, Wcs]]:
    """The list on disk; pictures that are gone, and what can't be read, are left out."""
    try:
        rows = json.loads(path.read_text(encoding="utf-8"))["backdrops"]
        return [(Path(r["path"]), wcs_from(r["wcs"])) for r in rows if Path(r["path"]).is_file()]
    except (OSError, ValueError, KeyError, TypeError):
        return []


def keep_backdrops(path: Path, backdrops: list[Backdrop]) -> None:
    """Raises OSError."""
    rows = [{"path": str(b.path), "wcs": wcs_values(b.wcs)} for b in backdrops]
    path.parent.mkdir(parents=True, exist_ok=True)
    write_bytes(path, json.dumps({"backdrops": rows}, indent=1).encode())
