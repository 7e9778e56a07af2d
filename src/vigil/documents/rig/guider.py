"""The guider."""

from typing import Annotated, Literal

from pydantic import Field

from vigil.documents.rig.part import Name, NotNegative, Part, Positive, Shown


class GuideAxis(Part):
    """How one axis is corrected."""

    law: Annotated[
        Literal["proportional", "predictive", "damped", "one-sided"], Shown("method", safe=True)
    ] = "proportional"
    strength: Annotated[
        float, Field(ge=0, le=2), Shown("strength", safe=True, help="share of the error that is taken back")
    ] = 0.6
    dead_band_arcsec: Annotated[
        NotNegative, Shown("dead band", "″", safe=True, help="a smaller error is let be")
    ] = 0.2
    longest_pulse_ms: Annotated[int, Field(ge=10, le=20_000), Shown("longest pulse", "ms", safe=True)] = 2000
    period_s: Annotated[
        Positive | None,
        Shown("worm's period", "s", safe=True, help="for the predictive method; empty: it looks for it"),
    ] = None
    wave_arcsec: Annotated[
        Positive | None, Shown("worm's wave", "″", safe=True, help="how far it swings to each side, about")
    ] = None


class GuideSet(Part):
    """Settings kept under a name: for long and short focal lengths, calm and rough air."""

    name: Name
    exposure_s: Annotated[Positive, Shown("exposure", "s", safe=True)] = 2.0
    ra: Annotated[GuideAxis, Shown("right ascension")] = GuideAxis()
    dec: Annotated[GuideAxis, Shown("declination")] = GuideAxis()


class GuiderPart(Part):
    """A guide scope, or an off-axis guider behind the main telescope, with its camera."""

    name: Name
    kind: Annotated[Literal["guide scope", "off-axis"], Shown("kind")] = "guide scope"
    focal_length_mm: Annotated[
        Positive | None, Shown("focal length", "mm", help="empty: off-axis, the telescope's")
    ] = None
    columns: Annotated[int, Field(ge=64, le=100_000), Shown("columns", "px")] = 1200
    rows: Annotated[int, Field(ge=64, le=100_000), Shown("rows", "px")] = 900
    pixel_um: Annotated[float, Field(gt=0.2, lt=100), Shown("pixel", "µm")] = 4.0
    bit_depth: Annotated[int, Field(ge=8, le=16), Shown("depth", "bit")] = 12
    exposure_s: Annotated[Positive, Shown("exposure", "s", safe=True)] = 2.0
    gain: Annotated[int, Field(ge=0), Shown("gain", safe=True)] = 100
    ra: Annotated[GuideAxis, Shown("right ascension")] = GuideAxis()
    dec: Annotated[GuideAxis, Shown("declination")] = GuideAxis(law="damped")
    settle_within_arcsec: Annotated[
        Positive | None,
        Shown("settled within", "″", safe=True, help="empty: twice what the guiding's own rms is"),
    ] = None
    settle_dwell_s: Annotated[NotNegative, Shown("settled for", "s", safe=True)] = 10.0
    settle_longest_s: Annotated[Positive, Shown("settles in", "s at most", safe=True)] = 120.0
    rests_while_reading: Annotated[
        bool,
        Shown("rests while the camera is read out", safe=True, help="where both hang on one slow cable"),
    ] = False
    dither_way: Annotated[Literal["random", "spiral"], Shown("dithers go", safe=True)] = "random"
    dither_px: Annotated[NotNegative, Shown("dither", "main px", safe=True)] = 5.0
    sets: Annotated[list[GuideSet], Field(max_length=30), Shown("kept settings", safe=True)] = []  # noqa: RUF012

    def kept_as(self, name: str) -> list[GuideSet]:
        """The sets with the present settings under a name; one of that name gives way."""
        others = [kept for kept in self.sets if kept.name != name]
        return [*others, GuideSet(name=name, exposure_s=self.exposure_s, ra=self.ra, dec=self.dec)]
