"""Which calibration frames serve which lights: by what frames say of themselves, never by where they lie."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from enum import StrEnum
from typing import Literal

_SKY_FACTOR = 2**0.5 * 1.001
Kind = Literal["light", "dark", "flat", "dark flat", "bias"]


@dataclass(frozen=True, slots=True)
class Made:
    """A frame by its header; what that doesn't say is None, or "", and stands in nobody's way. `train` is
    telescope, focal length and camera as one text, `rotator_deg` the camera's angle."""

    kind: Kind
    target: str = ""
    filter: str = ""
    exposure_s: float | None = None
    gain: int | None = None
    offset: int | None = None
    binning: int = 1
    temperature_c: float | None = None
    rotator_deg: float | None = None
    focus_position: int | None = None
    camera: str = ""
    train: str = ""
    at: datetime | None = None
    source: str = ""
    """Of a flat what shone, where that is known: "twilight"."""
    panel_level: int | None = None
    ambient_c: float | None = None


@dataclass(frozen=True, slots=True)
class Wanted:
    """How many of each kind a set should have (0: not wanted), and what still counts as the same."""

    darks: int = 20
    flats: int = 30
    dark_flats: int = 30
    biases: int = 50
    within_c: float = 1.0
    within_deg: float = 2.0
    within_steps: int = 200
    exposure_share: float = 0.01
    darks_keep_days: float = 730.0


class Cover(StrEnum):
    """How far a set is there."""

    OK = "ok"
    FEW = "few"
    MISSING = "missing"
    STALE = "stale"


@dataclass(frozen=True, slots=True)
class Standing:
    """`have` are those that serve, of stale ones those that would."""

    state: Cover
    have: int
    wanted: int
    reason: str = ""


@dataclass(frozen=True, slots=True)
class Covered:
    """Lights that want the same, and how they are covered."""

    light: Made
    frames: int
    dark: Standing
    flat: Standing
    dark_flat: Standing
    bias: Standing


@dataclass
class _Library:
    """All calibration frames by kind, and the trains of all frames in the order of time."""

    frames: dict[str, list[Made]] = field(default_factory=dict)
    trains: list[tuple[datetime, str, str]] = field(default_factory=list)
    """When, camera, train."""


def cover(frames: Iterable[Made], wanted: Wanted = Wanted()) -> list[Covered]:
    """Of all frames together, lights and the others; in the order in which lights first come."""
    every, groups = list(frames), list[list[Made]]()
    library = _library(every)
    for frame in every:
        if frame.kind == "light":
            _group(frame, groups, wanted).append(frame)
    return [_covered(lights, library, wanted) for lights in groups]


@dataclass(frozen=True, slots=True)
class Serving:
    """The calibration frames that a light is served by."""

    flats: list[Made]
    dark_flats: list[Made]
    darks: list[Made]
    biases: list[Made]


def that_serve(light: Made, frames: Iterable[Made], wanted: Wanted = Wanted()) -> Serving:
    """Out of all of them, by the same rules as `cover`."""
    return _serving(light, _library(frames), wanted)


def that_serve_each(
    lights: Iterable[Made], frames: Iterable[Made], wanted: Wanted = Wanted()
) -> list[Serving]:
    """The same for many lights, in their order."""
    library = _library(frames)
    return [_serving(light, library, wanted) for light in lights]


def _serving(light: Made, library: _Library, wanted: Wanted) -> Serving:
    flats, _ = _flats(light, library, wanted)
    dark_flats = [
        d for d in library.frames.get("dark flat", []) if any(_matches(d, f, wanted) for f in flats)
    ]
    darks = [d for d in _cold_darks(light, library, wanted) if not _too_old(d, light, wanted)]
    return Serving(flats, dark_flats, darks, _same_biases(light, library))


def _library(frames: Iterable[Made]) -> _Library:
    library = _Library()
    for frame in frames:
        if frame.at is not None and frame.train:
            library.trains.append((frame.at, frame.camera, frame.train))
        if frame.kind != "light":
            library.frames.setdefault(frame.kind, []).append(frame)
    library.trains.sort()
    return library


def _group(light: Made, groups: list[list[Made]], wanted: Wanted) -> list[Made]:
    """The lights that want the same frames as this one; a new group where there are none yet."""
    for group in groups:
        first = group[0]
        alike = _key(first) == _key(light) and _same_warmth(first, light, wanted)
        if alike and _turned_deg(first, light) <= wanted.within_deg:
            return group
    groups.append([])
    return groups[-1]


def _key(light: Made) -> tuple[object, ...]:
    settings = light.exposure_s, light.gain, light.offset, light.binning
    return light.target, light.filter, *settings, light.train or light.camera


def _covered(lights: Sequence[Made], library: _Library, wanted: Wanted) -> Covered:
    light = max(lights, key=lambda one: one.at.timestamp() if one.at is not None else 0.0)
    flats, flat = _flats(light, library, wanted)
    return Covered(
        light,
        len(lights),
        _darks(light, library, wanted),
        flat,
        _dark_flats(flats, library, wanted),
        _biases(light, library, wanted),
    )


# -- each kind -----------------------------------------------------------------------------------------------


def _darks(light: Made, library: _Library, wanted: Wanted) -> Standing:
    alike = _alike_darks(light, library, wanted)
    cold = _cold_darks(light, library, wanted)
    if not cold and alike:
        there = sorted({round(d.temperature_c) for d in alike if d.temperature_c is not None})
        told = ", ".join(f"{c:+d} °C" for c in there).replace("-", "−")
        return _standing(0, wanted.darks, f"{len(alike)} at {told} only")
    fresh = [dark for dark in cold if not _too_old(dark, light, wanted)]
    if len(fresh) < wanted.darks and len(fresh) < len(cold):
        years = wanted.darks_keep_days / 365
        return Standing(
            Cover.STALE, len(cold), wanted.darks, f"{len(cold) - len(fresh)} are over {years:g} years old"
        )
    return _standing(len(fresh), wanted.darks, f"no dark of {_seconds(light)} with these settings")


def _alike_darks(light: Made, library: _Library, wanted: Wanted) -> list[Made]:
    """At whatever temperature."""
    return [
        dark
        for dark in library.frames.get("dark", [])
        if _same_settings(dark, light) and _same_exposure(dark, light, wanted)
    ]


def _cold_darks(light: Made, library: _Library, wanted: Wanted) -> list[Made]:
    return [dark for dark in _alike_darks(light, library, wanted) if _same_warmth(dark, light, wanted)]


def _flats(light: Made, library: _Library, wanted: Wanted) -> tuple[list[Made], Standing]:
    """Those that serve too: dark flats go by them."""
    alike = [
        flat
        for flat in library.frames.get("flat", [])
        if flat.filter.casefold() == light.filter.casefold()
        and flat.binning == light.binning
        and _same_text(flat.camera, light.camera)
    ]
    why: dict[str, int] = {}
    good = []
    for flat in alike:
        reason = _why_stale(flat, light, library, wanted)
        if reason:
            why[reason] = why.get(reason, 0) + 1
        else:
            good.append(flat)
    if not good and why and wanted.flats:
        reason, count = max(why.items(), key=lambda item: item[1])
        return [], Standing(Cover.STALE, count, wanted.flats, reason)
    through = light.filter or "no filter"
    return good, _standing(len(good), wanted.flats, f"no flat through {through}, binning {light.binning}")


def _why_stale(flat: Made, light: Made, library: _Library, wanted: Wanted) -> str:
    """What has changed between a flat and a light; empty where it serves."""
    if not _same_text(flat.train, light.train):
        return f"taken with {flat.train}"
    if (turned := _turned_deg(flat, light)) > wanted.within_deg:
        return f"the camera was turned by {turned:.0f}° since"
    if flat.focus_position is not None and light.focus_position is not None:
        moved = abs(flat.focus_position - light.focus_position)
        if moved > wanted.within_steps:
            return f"focus is {moved} steps away"
    if flat.at is not None and light.at is not None:
        first, last = sorted((flat.at, light.at))
        for at, camera, train in library.trains:
            if first < at < last and camera == light.camera and light.train and train != light.train:
                return f"the train was changed on {at:%Y-%m-%d}"
    return ""


def _dark_flats(flats: Sequence[Made], library: _Library, wanted: Wanted) -> Standing:
    """For every exposure of the flats as many; the worst of them counts."""
    if not wanted.dark_flats:
        return Standing(Cover.OK, 0, 0, "not wanted")
    if not flats:
        return Standing(Cover.MISSING, 0, wanted.dark_flats, "there are no flats that they would match")
    kinds = {
        (f.exposure_s, f.gain, f.offset, f.binning, f.temperature_c, f.camera, f.source): f for f in flats
    }
    each: list[tuple[int, Made]] = []
    for flat in kinds.values():
        matching = sum(_matches(dark, flat, wanted) for dark in library.frames.get("dark flat", []))
        each.append((matching, flat))
    have, worst = min(each, key=lambda item: item[0])
    return _standing(have, wanted.dark_flats, f"no dark flat of {_seconds(worst)} as the flats'")


def _matches(dark: Made, flat: Made, wanted: Wanted) -> bool:
    """A dark flat, and a flat."""
    exposed = _same_exposure(dark, flat, wanted) or _near_enough(dark, flat)
    return exposed and _same_settings(dark, flat) and _same_warmth(dark, flat, wanted)


def _near_enough(dark: Made, flat: Made) -> bool:
    """The twilight's exposures all differ: a dark flat serves those that are no more than √2 away."""
    if flat.source != "twilight" or dark.exposure_s is None or flat.exposure_s is None:
        return False
    shorter, longer = sorted((dark.exposure_s, flat.exposure_s))
    return longer <= _SKY_FACTOR * shorter


def _biases(light: Made, library: _Library, wanted: Wanted) -> Standing:
    return _standing(len(_same_biases(light, library)), wanted.biases, "no bias with these settings")


def _same_biases(light: Made, library: _Library) -> list[Made]:
    return [bias for bias in library.frames.get("bias", []) if _same_settings(bias, light)]


def _standing(have: int, wanted: int, nothing: str) -> Standing:
    if not wanted:
        return Standing(Cover.OK, have, 0, "not wanted")
    if not have:
        return Standing(Cover.MISSING, 0, wanted, nothing)
    if have < wanted:
        return Standing(Cover.FEW, have, wanted, f"{wanted - have} more are wanted")
    return Standing(Cover.OK, have, wanted)


# -- what counts as the same ---------------------------------------------------------------------------------


def _same_settings(one: Made, other: Made) -> bool:
    """Of camera, gain, offset and binning."""
    return (
        _same_text(one.camera, other.camera)
        and _same(one.gain, other.gain)
        and _same(one.offset, other.offset)
        and one.binning == other.binning
    )


def _same(one: int | None, other: int | None) -> bool:
    return one is None or other is None or one == other


def _same_text(one: str, other: str) -> bool:
    return not one or not other or one.casefold() == other.casefold()


def _same_exposure(one: Made, other: Made, wanted: Wanted) -> bool:
    if one.exposure_s is None or other.exposure_s is None:
        return False
    return abs(one.exposure_s - other.exposure_s) <= wanted.exposure_share * max(
        one.exposure_s, other.exposure_s
    )


def _same_warmth(one: Made, other: Made, wanted: Wanted) -> bool:
    if one.temperature_c is None or other.temperature_c is None:
        return True
    return abs(one.temperature_c - other.temperature_c) <= wanted.within_c


def _turned_deg(one: Made, other: Made) -> float:
    """Half a turn is the same."""
    if one.rotator_deg is None or other.rotator_deg is None:
        return 0.0
    return abs((one.rotator_deg - other.rotator_deg + 90) % 180 - 90)


def _too_old(dark: Made, light: Made, wanted: Wanted) -> bool:
    if dark.at is None or light.at is None:
        return False
    return abs((light.at - dark.at).total_seconds()) > wanted.darks_keep_days * 86400


def _seconds(frame: Made) -> str:
    return "an unknown exposure" if frame.exposure_s is None else f"{frame.exposure_s:g} s"
