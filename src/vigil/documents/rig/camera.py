"""The main camera and its cooler."""

from itertools import pairwise
from typing import Annotated, Literal

from pydantic import Field, model_validator

from vigil.documents.rig.part import Name, NotNegative, Part, Positive, Shown

Binning = Annotated[int, Field(ge=1, le=4)]


class GainPoint(Part):
    """The sensor's figures at one gain (or ISO) setting."""

    gain: Annotated[int, Field(ge=0), Shown("gain")]
    electrons_per_adu: Annotated[Positive, Shown("electrons", "e⁻/ADU")]
    read_noise_e: Annotated[NotNegative, Shown("read noise", "e⁻")]
    full_well_e: Annotated[Positive, Shown("full well", "e⁻")]


class ReadoutMode(Part):
    """One way of reading the sensor out."""

    name: Name
    gains: Annotated[list[GainPoint], Field(min_length=1), Shown("by gain")]

    @model_validator(mode="after")
    def _rising(self) -> "ReadoutMode":
        gains = [point.gain for point in self.gains]
        if sorted(set(gains)) != gains:
            raise ValueError(f"gains must rise from one to the next, found {', '.join(map(str, gains))}")
        return self

    def at(self, gain: int) -> GainPoint:
        """The figures at a gain: straight lines between the points, the nearest one beyond them."""
        points = self.gains
        if gain <= points[0].gain or len(points) == 1:
            return points[0].model_copy(update={"gain": gain})
        for low, high in pairwise(points):
            if gain <= high.gain:
                share = (gain - low.gain) / (high.gain - low.gain)
                mixed = {
                    name: (1 - share) * getattr(low, name) + share * getattr(high, name)
                    for name in ("electrons_per_adu", "read_noise_e", "full_well_e")
                }
                return GainPoint(gain=gain, **mixed)
        return points[-1].model_copy(update={"gain": gain})


class FrameSettings(Part):
    """What frames of one kind are taken with; an empty gain or offset is that of the lights."""

    gain: Annotated[Annotated[int, Field(ge=0)] | None, Shown("gain", safe=True)] = None
    offset: Annotated[Annotated[int, Field(ge=0)] | None, Shown("offset", safe=True)] = None
    binning: Annotated[Binning, Shown("binning", "×", safe=True)] = 1


class CoolerPart(Part):
    """What the cooler can do, and what is asked of it."""

    set_point_c: Annotated[float, Field(ge=-60, le=40), Shown("set-point", "°C")] = -10.0
    deepest_below_ambient_c: Annotated[
        Positive, Shown("below ambient", "°C", help="the deepest it reaches")
    ] = 35.0
    minutes_to_cool: Annotated[Positive, Shown("reaches it in", "min", safe=True)] = 10.0
    warm_to_c: Annotated[float, Field(ge=-40, le=40), Shown("warms up to", "°C", safe=True)] = 5.0
    warm_minutes_limit: Annotated[Positive, Shown("warming at most", "min", safe=True)] = 20.0


class CameraPart(Part):
    """The main camera; binning adds pixels up."""

    name: Name
    sensor: Annotated[Literal["mono", "colour"], Shown("sensor")] = "mono"
    bayer: Annotated[
        Literal["RGGB", "BGGR", "GRBG", "GBRG"] | None,
        Shown("Bayer pattern", help="the picture's lowest two rows, left to right"),
    ] = None
    columns: Annotated[int, Field(ge=64, le=100_000), Shown("columns", "px")]
    rows: Annotated[int, Field(ge=64, le=100_000), Shown("rows", "px")]
    pixel_um: Annotated[float, Field(gt=0.2, lt=100), Shown("pixel", "µm")]
    bit_depth: Annotated[int, Field(ge=8, le=16), Shown("depth", "bit")] = 16
    full_scale_adu: Annotated[int, Field(ge=255, le=65535), Shown("full scale", "ADU")] = 65535
    gain_is: Annotated[Literal["gain", "ISO"], Shown("set by")] = "gain"
    readout_modes: Annotated[list[ReadoutMode], Field(min_length=1), Shown("readout modes")]
    readout_mode: Annotated[str, Shown("readout mode")]
    lights: Annotated[FrameSettings, Shown("lights")] = FrameSettings(gain=100, offset=50)
    framing: Annotated[FrameSettings, Shown("framing")] = FrameSettings()
    focusing: Annotated[FrameSettings, Shown("focusing")] = FrameSettings()
    solving: Annotated[FrameSettings, Shown("solving")] = FrameSettings()
    download_s: Annotated[
        list[Positive],
        Field(min_length=1, max_length=4),
        Shown("download", "s", safe=True, help="one for each binning, from 1 × 1 on"),
    ] = [2.0]  # noqa: RUF012 (pydantic copies defaults)
    shortest_exposure_s: Annotated[
        NotNegative, Shown("shortest exposure", "s", safe=True, help="the shortest that comes out clean")
    ] = 0.01
    cooler: Annotated[CoolerPart | None, Shown("cooler")] = None

    @model_validator(mode="after")
    def _consistent(self) -> "CameraPart":
        names = [mode.name for mode in self.readout_modes]
        if self.readout_mode not in names:
            raise ValueError(f"no readout mode is called {self.readout_mode!r}; there are {', '.join(names)}")
        if (self.sensor == "colour") != (self.bayer is not None):
            raise ValueError(
                "a colour sensor needs its Bayer pattern"
                if self.sensor == "colour"
                else f"a mono sensor has no Bayer pattern, found {self.bayer}"
            )
        return self

    def settings_for(self, use: Literal["lights", "framing", "focusing", "solving"]) -> FrameSettings:
        """Gain, offset and binning of one kind of frame, nothing left open."""
        wanted: FrameSettings = getattr(self, use)
        gain = wanted.gain if wanted.gain is not None else self.lights.gain
        offset = wanted.offset if wanted.offset is not None else self.lights.offset
        return FrameSettings(gain=gain or 0, offset=offset or 0, binning=wanted.binning)

    def at_gain(self, gain: int) -> GainPoint:
        """The sensor's figures at a gain, in the readout mode in use."""
        return next(mode for mode in self.readout_modes if mode.name == self.readout_mode).at(gain)

    def download_of(self, binning: int) -> float:
        """Seconds from the shutter's closing to the frame, at a binning."""
        return self.download_s[min(binning, len(self.download_s)) - 1]
