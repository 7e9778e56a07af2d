"""What a study of a guide record advises, as values of a rig."""

from typing import Any

from vigil.guiding.study import Study

Values = dict[tuple[str | int, ...], Any]


def study_values(found: Study) -> Values:
    """Exposure and both axes' settings. For the predictive law the worm's wave too, as the study found it:
    what it promises holds for a law that knows it. Another law leaves what the rig has of it."""
    values: Values = {("guider", "exposure_s"): found.exposure_s}
    for name, axis in (("ra", found.ra), ("dec", found.dec)):
        settings = axis.best.settings
        advised: dict[str, Any] = {
            "law": settings.law,
            "strength": settings.strength,
            "dead_band_arcsec": settings.dead_band_arcsec,
        }
        if settings.law == "predictive" and settings.period_s and settings.wave_arcsec:
            advised["period_s"] = round(settings.period_s, 1)
            advised["wave_arcsec"] = round(settings.wave_arcsec, 2)
        values |= {("guider", name, key): value for key, value in advised.items()}
    return values
