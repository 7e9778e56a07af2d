"""What people ask of flats and darks."""

from collections.abc import Iterable, Mapping
from typing import Annotated, Any, Literal

from pydantic import AwareDatetime, BaseModel, ConfigDict, Field, model_validator

from vigil.documents.rig.filters import WheelPart

FLATS, DARKS = "flats", "darks"
Percent = Annotated[float, Field(gt=0, le=100)]
Count = Annotated[int, Field(ge=0, le=500)]
Seconds = Annotated[float, Field(gt=0, le=600)]


class LevelWindow(BaseModel):
    """Where a flat's mean may lie, and where it is wanted, in per cent of full scale."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    aim_percent: Percent = 35.0
    low_percent: Percent = 30.0
    high_percent: Percent = 40.0

    @model_validator(mode="after")
    def _aim_inside(self) -> "LevelWindow":
        if not self.low_percent <= self.aim_percent <= self.high_percent:
            raise ValueError(
                f"the aim, {self.aim_percent:g} %, must lie in its window, {self.low_percent:g} to "
                f"{self.high_percent:g} %"
            )
        return self


class FlatsWish(LevelWindow):
    """Flats: `filters` (empty: all that stand in slots), `count` of each and as many dark flats
    (`dark_flats`; empty: the same number, 0: none), the level aimed at and its window in per cent of full
    scale, and how long an exposure may be (empty: the panel's and the camera's shortest clean one)."""

    filters: tuple[str, ...] = ()
    count: Count = 30
    dark_flats: Count | None = None
    binning: Annotated[int, Field(ge=1, le=4)] = 1
    binnings: tuple[Annotated[int, Field(ge=1, le=4)], ...] = ()
    """Several, one after another, in place of the one; what is counted by filter is by `L@2` then."""
    gain: Annotated[int, Field(ge=0)] | None = None
    windows: dict[str, LevelWindow] = Field(default_factory=dict)
    """Of filters that have another level window than the rest."""
    least_exposure_s: Seconds | None = None
    most_exposure_s: Seconds = 30.0
    source: Literal["panel", "person", "cloth", "twilight"] | None = None
    """A panel, one that a person dims, a cloth by day, the twilight sky; empty: the panel as the rig says."""
    when: Literal["dusk", "dawn"] | None = None
    """Which twilight; empty: the next one."""
    until: AwareDatetime | None = None
    """When the twilight that was chosen ends: after a crash."""
    move: bool = True
    """Whether the mount parks and the cover closes first; else nothing moves at all."""
    trial: bool = False
    """One of each only, to look at."""
    ready: bool = False
    """What a person has to see to is seen to: nothing is asked."""
    have: dict[str, Count] = Field(default_factory=dict)
    """Flats that are there already, by filter: after a crash."""
    have_dark: dict[str, Count] = Field(default_factory=dict)
    taken_s: tuple[Seconds, ...] = ()
    """Exposures of the sky that are there already: dark flats go by them."""
    found: dict[str, tuple[int, float]] = Field(default_factory=dict)
    """Level and exposure by filter, where they are known."""

    @property
    def of_the_sky(self) -> bool:
        """Whether the tube looks at the open sky."""
        return self.source in ("cloth", "twilight")

    @property
    def each_binning(self) -> tuple[int, ...]:
        """In the order in which they are taken."""
        return self.binnings or (self.binning,)

    def at_binning(self, binning: int) -> "FlatsWish":
        """What is wanted of one of several."""
        if not self.binnings:
            return self

        def own(counts: dict[str, Any]) -> dict[str, Any]:
            return {k.split("@")[0]: v for k, v in counts.items() if k.endswith(f"@{binning}")}

        there = {name: own(getattr(self, name)) for name in ("have", "have_dark", "found")}
        return self.model_copy(update={"binning": binning, "binnings": (), **there})

    def window_of(self, name: str) -> LevelWindow:
        """A filter's level window."""
        return self.windows.get(name, self)

    def filters_in(self, wheel: WheelPart | None) -> list[str]:
        """Those that are wanted, in the order of the slots; without a wheel one nameless filter."""
        if wheel is None:
            return [""]
        return [name for name in wheel.in_slots if not self.filters or name in self.filters]

    @model_validator(mode="after")
    def _in_order(self) -> "FlatsWish":
        if self.source == "twilight" and len(self.binnings) > 1:
            raise ValueError("the twilight sky waits for nobody: one binning at a time")
        if self.when is not None and self.source != "twilight":
            raise ValueError(f"{self.when} goes with the twilight sky as the light")
        if self.least_exposure_s is not None and self.least_exposure_s > self.most_exposure_s:
            raise ValueError(
                f"the shortest exposure, {self.least_exposure_s:g} s, is over the longest, "
                f"{self.most_exposure_s:g} s"
            )
        return self


class DarkSet(BaseModel):
    """So many darks, or with an exposure of 0 bias frames; what is left out is as for the lights."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    exposure_s: Annotated[float, Field(ge=0, le=7200)]
    count: Annotated[int, Field(ge=1, le=500)] = 20
    gain: Annotated[int, Field(ge=0)] | None = None
    offset: Annotated[int, Field(ge=0)] | None = None
    binning: Annotated[int, Field(ge=1, le=4)] = 1
    temperature_c: Annotated[float, Field(ge=-60, le=40)] | None = None

    @property
    def words(self) -> str:
        """ "20 × 300 s", "50 bias"."""
        return f"{self.count} × {self.exposure_s:g} s" if self.exposure_s else f"{self.count} bias"


class DarksWish(BaseModel):
    """Sets of darks and bias frames. `have` counts what is there of each, by its place: after a crash."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    sets: Annotated[tuple[DarkSet, ...], Field(min_length=1)]
    dark: bool = False
    """Whether it is dark: telescope covered, nothing is asked."""
    have: dict[str, Count] = Field(default_factory=dict)


BROADBAND, NARROWBAND = "broadband", "narrowband"
_NARROW_NM = 20.0


def in_groups(names: Iterable[str], widths_nm: Mapping[str, float]) -> list[str]:
    """Filters by their names, or all of a group: narrowband passes less than 20 nm, broadband more."""
    found: list[str] = []
    for name in names:
        if name == BROADBAND:
            found += [f for f, width in widths_nm.items() if width >= _NARROW_NM]
        elif name == NARROWBAND:
            found += [f for f, width in widths_nm.items() if width < _NARROW_NM]
        else:
            found.append(name)
    return found
