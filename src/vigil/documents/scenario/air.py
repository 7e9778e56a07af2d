"""The air: seeing, clouds, wind, temperature, dew."""

from typing import Annotated

from pydantic import Field

from vigil.documents.rig.part import NotNegative, Part, Percent, Positive, Shown


class Cloud(Part):
    """A cloud that arrives, covers and passes. Minutes count from the evening's beginning."""

    arrives_min: Annotated[float, Field(ge=-1440, le=2880), Shown("arrives", "min")]
    minutes: Annotated[Positive, Shown("for", "min")]
    thickness_mag: Annotated[NotNegative, Shown("dims by", "mag", help="at its thickest")] = 2.0
    edge_min: Annotated[
        NotNegative, Shown("edges", "min", help="how long it takes to thicken and to thin")
    ] = 5.0


class AirEffects(Part):
    """Functions of time and seed; an empty value is drawn by the seed."""

    seeing_arcsec: Annotated[
        Annotated[float, Field(gt=0, le=20)] | None,
        Shown("seeing", "″", help="FWHM at the zenith; empty: by seed"),
    ] = None
    seeing_flickers: Annotated[
        float, Field(ge=0, le=0.5), Shown("seeing flickers by", help="share, over seconds")
    ] = 0.0
    seeing_wanders: Annotated[
        float, Field(ge=0, le=1), Shown("seeing wanders by", help="share, over hours")
    ] = 0.1
    motion_times_theory: Annotated[
        float, Field(ge=0, le=5), Shown("image motion", "×", help="times that of Kolmogorov turbulence")
    ] = 1.0
    evening_c: Annotated[
        Annotated[float, Field(ge=-50, le=50)] | None, Shown("evening", "°C", help="empty: by seed")
    ] = None
    falls_c: Annotated[
        Annotated[float, Field(ge=-30, le=30)] | None, Shown("falls by", "°C", help="empty: by seed")
    ] = None
    probe_gusts_c: Annotated[NotNegative, Shown("gusts on the probes", "°C", help="rms")] = 0.05
    humidity_percent: Annotated[Percent | None, Shown("humidity", "%", help="empty: rises as it cools")] = (
        None
    )
    wind_m_s: Annotated[
        Annotated[float, Field(ge=0, le=60)] | None,
        Shown("wind", "m/s", help="mean; empty: a light one by seed"),
    ] = None
    gusts: Annotated[float, Field(ge=0, le=3), Shown("gusts", help="share of the wind, rms")] = 0.35
    shake_arcsec: Annotated[
        NotNegative, Shown("shakes the mount by", "″", help="rms at 10 m/s; grows as its square")
    ] = 1.5
    clouds: Annotated[list[Cloud], Field(max_length=50), Shown("clouds")] = []  # noqa: RUF012
    overcast_mag: Annotated[
        NotNegative, Shown("cloud all over", "mag", help="all night, on top of the clouds that pass")
    ] = 0.0
    dew: Annotated[bool, Shown("dew")] = True
