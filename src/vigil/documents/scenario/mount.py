"""What the mount does instead of what it says."""

from typing import Annotated

from pydantic import Field

from vigil.documents.rig.part import NotNegative, Part, Positive, Shown

Arcmin = Annotated[float, Field(ge=-600, le=600)]


class Harmonic(Part):
    """One wave of the periodic error: so many times in a turn of the worm."""

    order: Annotated[int, Field(ge=1, le=50), Shown("order")] = 1
    amplitude_arcsec: Annotated[NotNegative, Shown("amplitude", "″")] = 1.0
    phase_deg: Annotated[float, Shown("phase", "°")] = 0.0


class MountEffects(Part):
    """Axes, gears and clock. Where a value is empty it is drawn by the seed."""

    polar_altitude_arcmin: Annotated[Arcmin, Shown("axis too high by", "′")] = 0.8
    polar_azimuth_arcmin: Annotated[
        Arcmin, Shown("axis too far east by", "′", help="turned about the zenith")
    ] = -1.0
    adjuster_sticks_arcmin: Annotated[
        NotNegative, Shown("adjusters stick", "′", help="a turn smaller than this moves nothing")
    ] = 0.3
    adjuster_jumps: Annotated[
        float,
        Field(ge=0, le=1),
        Shown("adjusters jump", help="share that a turn goes too far or not far enough"),
    ] = 0.1
    worm_period_s: Annotated[Positive, Shown("worm", "s")] = 480.0
    periodic_error: Annotated[list[Harmonic], Field(max_length=20), Shown("periodic error")] = [  # noqa: RUF012
        Harmonic(order=1, amplitude_arcsec=1.0),
        Harmonic(order=2, amplitude_arcsec=0.35, phase_deg=70),
        Harmonic(order=5, amplitude_arcsec=0.15, phase_deg=200),
    ]
    drift_arcsec_min: Annotated[float, Field(ge=-600, le=600), Shown("drifts", "″/min", help="westward")] = (
        0.0
    )
    dec_backlash_arcsec: Annotated[NotNegative, Shown("declination backlash", "″")] = 2.0
    index_arcmin: Annotated[
        tuple[Arcmin, Arcmin] | None,
        Shown("index errors", "′", help="hour angle, declination; empty: by seed"),
    ] = None
    cone_arcmin: Annotated[Arcmin | None, Shown("cone error", "′", help="empty: by seed")] = None
    flexure_arcsec: Annotated[NotNegative, Shown("tube sags by", "″", help="at the horizon")] = 25.0
    guide_flexure_arcsec: Annotated[
        NotNegative, Shown("guide scope sags by", "″", help="at the horizon, against the telescope")
    ] = 6.0
    slew_scatter_arcsec: Annotated[
        NotNegative, Shown("slews scatter by", "″", help="at most; short ones less")
    ] = 8.0
    settle_arcsec: Annotated[NotNegative, Shown("swings by", "″", help="just after a slew")] = 6.0
    settle_s: Annotated[Positive, Shown("swing dies away in", "s", help="to a third")] = 1.0
    hits_pier_after_min: Annotated[
        Annotated[float, Field(ge=0, le=360)] | None,
        Shown("hits the pier", "min", help="of hour angle past the meridian; empty: never"),
    ] = None
    clock_off_s: Annotated[float, Field(ge=-86400, le=86400), Shown("clock ahead by", "s")] = 0.2
    pulse_response: Annotated[
        tuple[NotNegative, NotNegative], Shown("pulses act", "×", help="right ascension, declination")
    ] = (1.0, 1.0)
    shortest_pulse_ms: Annotated[
        NotNegative, Shown("shortest pulse", "ms", help="shorter ones do nothing")
    ] = 5.0
    mirror_shift_arcsec: Annotated[
        NotNegative, Shown("mirror shifts by", "″", help="at a flip, where the telescope's mirror moves")
    ] = 25.0
    own_rates: Annotated[
        list[Positive] | None,
        Shown("its only rates", "×", help="times sidereal: a move by hand takes the nearest; empty: any"),
    ] = None
    tells_pier_side: Annotated[bool | None, Shown("tells pier side", help="empty: as the rig says")] = None
