"""What is to be taken so that lights are covered: gaps made into sets, each wanted once."""

from collections.abc import Iterable
from dataclasses import dataclass, replace

from vigil.levels.matching import Cover, Covered, Standing


@dataclass(frozen=True, slots=True)
class SetWanted:
    """Darks, or with an exposure of 0 bias frames; the fields are those of a set as it is asked for."""

    exposure_s: float
    count: int
    gain: int | None
    offset: int | None
    binning: int
    temperature_c: float | None


@dataclass(frozen=True, slots=True)
class FlatsWanted:
    """Flats of a filter, and how many of them and of dark flats are missing."""

    filter: str
    binning: int
    count: int
    dark_flats: int


def sets_wanted(covered: Iterable[Covered]) -> list[SetWanted]:
    """Darks and bias frames, in the order in which lights want them; of several that want the same the
    most."""
    found: dict[tuple[object, ...], SetWanted] = {}
    for one in covered:
        light = one.light
        if missing := _missing(one.dark):
            temperature_c = None if light.temperature_c is None else float(round(light.temperature_c))
            _add(
                found,
                SetWanted(
                    light.exposure_s or 0.0, missing, light.gain, light.offset, light.binning, temperature_c
                ),
            )
        if missing := _missing(one.bias):
            _add(found, SetWanted(0.0, missing, light.gain, light.offset, light.binning, None))
    return list(found.values())


def flats_wanted(covered: Iterable[Covered]) -> list[FlatsWanted]:
    """Of every filter and binning that lights were taken with."""
    found: dict[tuple[str, int], FlatsWanted] = {}
    for one in covered:
        key = one.light.filter, one.light.binning
        before = found.get(key, FlatsWanted(*key, 0, 0))
        found[key] = replace(
            before,
            count=max(before.count, _missing(one.flat)),
            dark_flats=max(before.dark_flats, _missing(one.dark_flat)),
        )
    return [one for one in found.values() if one.count or one.dark_flats]


def _missing(standing: Standing) -> int:
    """Stale ones are to be taken again, all of them."""
    if standing.state is Cover.OK:
        return 0
    return standing.wanted - (standing.have if standing.state is Cover.FEW else 0)


def _add(found: dict[tuple[object, ...], SetWanted], one: SetWanted) -> None:
    key = one.exposure_s, one.gain, one.offset, one.binning, one.temperature_c
    before = found.get(key)
    if before is None or before.count < one.count:
        found[key] = one
