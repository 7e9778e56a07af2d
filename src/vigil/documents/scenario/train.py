"""Telescope, camera, focuser, wheel and flat panel."""

from typing import Annotated

from pydantic import Field

from vigil.documents.rig.part import NotNegative, Part, Positive, Shown


class OpticsEffects(Part):
    """What light meets on its way to the sensor."""

    throughput: Annotated[
        float, Field(gt=0, le=1), Shown("throughput", help="telescope, filter and sensor together")
    ] = 0.6
    moffat_beta: Annotated[float, Field(ge=1.5, le=20), Shown("star profile", help="Moffat's β")] = 4.0
    focus_steps_per_c: Annotated[float, Shown("focus moves", "steps/°C")] = -7.0
    focus_filter_scatter_steps: Annotated[
        NotNegative, Shown("filters scatter", "steps", help="around the offsets that the rig has")
    ] = 1.0
    focus_side_steps: Annotated[
        float, Shown("focus east of the pier", "steps", help="against west of it")
    ] = 0.0
    tilt_um: Annotated[
        tuple[float, float], Shown("sensor tilt", "µm", help="at right and upper edge, against the centre")
    ] = (3.0, -2.0)
    curvature_um: Annotated[float, Shown("field curvature", "µm", help="in the corner")] = 10.0
    vignetting: Annotated[float, Field(ge=0, lt=1), Shown("vignetting", help="share lost in the corner")] = (
        0.18
    )
    dust: Annotated[int, Field(ge=0, le=200), Shown("dust specks")] = 6


class CameraEffects(Part):
    """The sensor. Gain, read noise, full well and download are the rig's."""

    noise: Annotated[bool, Shown("noise", help="of photons, dark current and readout")] = True
    dark_e_s_at_minus_10: Annotated[NotNegative, Shown("dark current at −10 °C", "e⁻/s")] = 0.002
    dark_doubles_in_c: Annotated[Positive, Shown("dark current doubles in", "°C")] = 6.5
    hot_share: Annotated[float, Field(ge=0, le=0.05), Shown("hot pixels", help="share")] = 3e-4
    banding: Annotated[
        bool, Shown("bands", help="rows lit unevenly in very short exposures; a panel's flicker in bands")
    ] = True
    adu_per_offset: Annotated[NotNegative, Shown("a step of offset", "ADU")] = 10.0
    download_times: Annotated[Positive, Shown("download takes", "×", help="times what the rig says")] = 1.0
    cooler_c_per_min: Annotated[Positive, Shown("cooler", "°C/min")] = 1.5


class FocuserEffects(Part):
    """The drawtube behind the motor."""

    backlash_steps: Annotated[NotNegative, Shown("backlash", "steps")] = 60.0
    steps_per_s: Annotated[Positive, Shown("turns", "steps/s")] = 80.0


class WheelEffects(Part):
    """The wheel stops beside its slot, by a different way from each side."""

    stops_off_um: Annotated[NotNegative, Shown("stops off by", "µm")] = 20.0


class PanelEffects(Part):
    """The flat panel's light."""

    brightest_e_s: Annotated[
        Positive,
        Shown("brightest", "e⁻/s", help="a square µm of sensor at f/5 through 100 nm at 550 nm"),
    ] = 900.0
    gamma: Annotated[Positive, Shown("dims by power", help="light against steps; 1 is linear")] = 1.3
    flicker: Annotated[float, Field(ge=0, le=1), Shown("flickers by", help="share")] = 0.1
    flicker_hz: Annotated[Positive, Shown("flickers at", "Hz")] = 240.0
    left_on: Annotated[bool, Shown("left on", help="laid on by hand, or lit, and forgotten there")] = False
    cloth_share: Annotated[
        Annotated[float, Field(gt=0, le=1)] | None,
        Shown("cloth passes", "share", help="of a cloth that lies on the telescope; empty: none lies there"),
    ] = None
