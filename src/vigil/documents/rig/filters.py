"""Filters, in a wheel or put in by hand."""

from typing import Annotated, Literal

from pydantic import Field, model_validator

from vigil.documents.rig.part import Name, Part, Positive, Shown


class Passband(Part):
    """A range of wavelengths that a filter lets through."""

    centre_nm: Annotated[float, Field(ge=200, le=2000), Shown("centre", "nm")]
    width_nm: Annotated[Positive, Shown("width", "nm")]


class FilterPart(Part):
    """A filter; slots count from 1. Offsets are focuser steps against the set's reference."""

    name: Name
    letter: Annotated[str, Field(max_length=3), Shown("short", safe=True)] = ""
    swatch: Annotated[
        Annotated[str, Field(pattern=r"^#[0-9a-fA-F]{6}$")] | None,
        Shown("swatch", safe=True, help="#rrggbb; empty: by its name"),
    ] = None
    slot: Annotated[Annotated[int, Field(ge=1)] | None, Shown("slot", help="empty: put in by hand")] = None
    passbands: Annotated[list[Passband], Field(min_length=1), Shown("passbands")]
    focus_offset_steps: Annotated[int, Shown("focus offset", "steps", safe=True)] = 0
    focus_exposure_s: Annotated[Positive, Shown("to focus", "s", safe=True, help="exposure for focusing")] = (
        5.0
    )
    solve_exposure_s: Annotated[Positive, Shown("to solve", "s", safe=True, help="exposure for solving")] = (
        5.0
    )
    gain: Annotated[Annotated[int, Field(ge=0)] | None, Shown("gain", safe=True)] = None

    @property
    def width_nm(self) -> float:
        """All passbands together."""
        return sum(band.width_nm for band in self.passbands)

    @property
    def centre_nm(self) -> float:
        """The mean wavelength, by width."""
        return sum(band.centre_nm * band.width_nm for band in self.passbands) / self.width_nm


class FilterSet(Part):
    """The filters that are in together, and through which to focus and to solve."""

    name: Name
    filters: Annotated[list[FilterPart], Field(min_length=1), Shown("filters")]
    reference: Annotated[str | None, Shown("offsets against", help="empty: the filter to focus through")] = (
        None
    )
    focus_through: Annotated[str, Shown("focus through", safe=True)]
    solve_through: Annotated[str, Shown("solve through", safe=True)]

    @model_validator(mode="after")
    def _consistent(self) -> "FilterSet":
        names = [f.name for f in self.filters]
        slots = [f.slot for f in self.filters if f.slot is not None]
        if len(set(names)) != len(names) or len(set(slots)) != len(slots):
            raise ValueError("each filter needs a name and a slot of its own")
        for name in (self.focus_through, self.solve_through, self.reference):
            if name is not None and name not in names:
                raise ValueError(f"no filter is called {name!r}; the set has {', '.join(names)}")
        return self


class WheelPart(Part):
    """The filter wheel or drawer, and the sets of filters for it."""

    name: Name
    kind: Annotated[Literal["wheel", "drawer"], Shown("kind", help="a drawer is changed by hand")] = "wheel"
    slots: Annotated[int, Field(ge=1, le=20), Shown("slots")]
    one_way: Annotated[bool, Shown("one way only", safe=True)] = False
    sets: Annotated[list[FilterSet], Field(min_length=1), Shown("filter sets")]
    in_use: Annotated[str, Shown("set in use")]

    @model_validator(mode="after")
    def _consistent(self) -> "WheelPart":
        names = [s.name for s in self.sets]
        if self.in_use not in names:
            raise ValueError(f"no filter set is called {self.in_use!r}; there are {', '.join(names)}")
        slots = [f.slot for s in self.sets for f in s.filters if f.slot is not None]
        if any(s > self.slots for s in slots):
            raise ValueError(f"a filter stands in slot {max(slots)}, the wheel has {self.slots}")
        return self

    @property
    def current(self) -> FilterSet:
        return next(s for s in self.sets if s.name == self.in_use)

    @property
    def filters(self) -> list[FilterPart]:
        """Those of the set in use."""
        return self.current.filters

    @property
    def in_slots(self) -> list[str]:
        """Names of those that stand in slots, in the slots' order: so the wheel turns one way."""
        there = [f for f in self.filters if f.slot is not None]
        return [f.name for f in sorted(there, key=lambda f: f.slot or 0)]

    @property
    def focus_through(self) -> str:
        return self.current.focus_through

    @property
    def solve_through(self) -> str:
        return self.current.solve_through

    def filter(self, name: str) -> FilterPart:
        """The filter of this name. Raises KeyError with those there are."""
        for part in self.filters:
            if part.name == name:
                return part
        raise KeyError(
            f"no filter is called {name!r}; the wheel has {', '.join(f.name for f in self.filters)}"
        )
