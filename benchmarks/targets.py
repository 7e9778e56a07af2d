"""Targets' speed: a keystroke's search, the ranking of a night, a repaint of the chart."""

import os

import numpy as np

from benchmarks.ratio import Ratio, compare
from campaigns.demo import demo_rig
from vigil.files.deepsky import name_key, objects_by_key
from vigil.files.search import search
from vigil.planning.offer import Wish, dark_times, rank, whole_catalogue
from vigil.sky.horizontal import local_sidereal_deg
from vigil.sky.instants import from_unix

_KEYSTROKE_LIMIT, _MISSPELT_LIMIT, _RANK_LIMIT, _CHART_LIMIT = 3.0, 10.0, 4.0, 20.0
_TYPED = ("m", "ng", "ngc 7", "ic 405", "nebula", "flaming", "sh2-2", "california")
_MISSPELT = ("caliphornia", "andromida", "horshead", "NCG 1499", "rosete")
_WORK_AREA = (668, 474)


def keystroke(misspelt: bool = False) -> Ratio:
    """Every text in turn, against asking each name whether it holds it."""
    names = list(objects_by_key())
    typed = _MISSPELT if misspelt else _TYPED
    keys = [name_key(text) for text in typed]
    search("m 31")
    return compare(
        f"{'misspelt' if misspelt else 'typed'}: search of all names",
        lambda: [search(text) for text in typed],
        lambda: [[name for name in names if key in name] for key in keys],
        _MISSPELT_LIMIT if misspelt else _KEYSTROKE_LIMIT,
    )


def ranking() -> Ratio:
    """The whole catalogue weighed for a night, against its bare altitudes and azimuths every five minutes."""
    rig, known = demo_rig(), whole_catalogue()
    assert rig.simulated is not None
    at = rig.simulated.starts_at
    times = dark_times(rig, at, "astronomical")
    latitude = np.radians(rig.site.latitude_deg)

    def bare() -> tuple[np.ndarray, np.ndarray]:
        sidereal = local_sidereal_deg(from_unix(times), rig.site.place())
        hour = np.radians(sidereal[None, :] - known.ra_deg[:, None])
        dec = np.radians(known.dec_deg)[:, None]
        altitude = np.arcsin(np.sin(latitude) * np.sin(dec) + np.cos(latitude) * np.cos(dec) * np.cos(hour))
        azimuth = np.arctan2(
            -np.cos(dec) * np.sin(hour),
            np.cos(latitude) * np.sin(dec) - np.sin(latitude) * np.cos(dec) * np.cos(hour),
        )
        return altitude, azimuth

    return compare("a night's ranking", lambda: rank(known, rig, at, Wish()), bare, _RANK_LIMIT)


def chart(moving: bool = False) -> Ratio:
    """A repaint at the work area's size against a plain fill of it; `moving` draws the sky beneath anew, as
    each step of a drag does."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from PyQt6.QtGui import QColor, QImage, QPainter

    from vigil.files.deepsky import find_object
    from vigil.ui.app import make_application
    from vigil.ui.targets.chart import Chart
    from vigil.ui.targets.field import load_field
    from vigil.ui.targets.framemodel import FrameModel

    make_application(["vigil"])
    rig = demo_rig()
    frame = FrameModel(lambda: rig, lambda: None)
    shown = Chart(frame)
    shown.resize(*_WORK_AREA)
    frame.show_object(find_object("IC 405"))
    shown.look_at_frame()
    plane = shown.plane
    shown.show_field(load_field(plane.ra_deg, plane.dec_deg, 1.1 * plane.radius_deg))
    image = QImage(*_WORK_AREA, QImage.Format.Format_RGB32)

    def repaint() -> None:
        if moving:
            shown.redraw()
        shown.render(image)

    def fill() -> None:
        painter = QPainter(image)
        painter.fillRect(image.rect(), QColor(10, 12, 16))
        painter.end()

    words = "chart redrawn while it moves (no limit set)" if moving else "chart repainted"
    return compare(words, repaint, fill, float("inf") if moving else _CHART_LIMIT, 25)
