"""What a study of a guide record advises, as values of a rig."""

from typing import Any

from vigil.guiding.study import AxisStudy, Study

Values = dict[tuple[str | int, ...], Any]


def study_values(found: Study) -> Values:
    """Exposure and both axes' settings."""
    values: Values = {("guider", "exposure_s"): found.exposure_s}
    for name, axis in (("ra", found.ra), ("dec", found.dec)):
        values |= {("guider", name, key): value for key, value in advised_axis(axis).items()}
    return values


def advised_axis(axis: AxisStudy) -> dict[str, Any]:
    """By the names of a rig's guide axis. For the predictive law the worm's wave too, as the study found it:
    what it promises holds for a law that knows it. Another law leaves what the rig has of it."""
    settings = axis.best.settings
    told: dict[str, Any] = {
        "law": settings.law,
        "strength": settings.strength,
        "dead_band_arcsec": settings.dead_band_arcsec,
    }
    if settings.period_s is not None and settings.wave_arcsec is not None:
        told |= {"period_s": round(settings.period_s, 1), "wave_arcsec": round(settings.wave_arcsec, 2)}
    return told
