"""Where dithers go: by chance, never near a recent place, or along a spiral; in pixels of the main camera."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import groupby
from typing import Literal

import numpy as np


@dataclass(frozen=True, slots=True)
class Reached:
    """A place beside the target (east, north; main-camera pixels) as it was asked for, and where the frames
    taken there lay in the mean."""

    asked_px: tuple[float, float]
    reached_px: tuple[float, float]
    frames: int

    @property
    def missed_px(self) -> float:
        return math.dist(self.asked_px, self.reached_px)


def reached_places(frames: Sequence[tuple[tuple[float, float], tuple[float, float]]]) -> list[Reached]:
    """Of frames in order: where each was to lie, and how far beside that its solved centre was. What all of
    them are beside in common, the centring's own remainder, is no dither's: it is taken out by the median."""
    if not frames:
        return []
    common = np.median([off for _, off in frames], axis=0)
    told: list[Reached] = []
    for asked, group in groupby(frames, key=lambda frame: frame[0]):
        offs = np.array([off for _, off in group]) - common
        east, north = np.asarray(asked) + offs.mean(axis=0)
        told.append(Reached(asked, (float(east), float(north)), len(offs)))
    return told


Way = Literal["random", "spiral"]
WAYS: tuple[Way, ...] = ("random", "spiral")

_REMEMBERED = 20
_TRIES = 60
_GOLDEN_RAD = math.radians(137.50776)


def least_apart_px(most_px: float) -> float:
    """What any two of the last twenty places are apart at least: discs of that size, of whom so many find
    room by chance in one of the radius `most_px` (a random packing fills about half: Hinrichsen, Feder &
    Jøssang 1986, J. Stat. Phys. 44, 793; a bit less is asked, so that a place is always found)."""
    return 0.26 * most_px


def next_place(
    way: Way, most_px: float, places: Sequence[tuple[float, float]], rng: np.random.Generator
) -> tuple[float, float]:
    """(east, north) against the first place, from those that were before (the oldest first)."""
    if way == "spiral":
        number = len(places) % _REMEMBERED + 1
        radius = most_px * math.sqrt((number - 0.5) / _REMEMBERED)
        turn = (len(places) + 1) * _GOLDEN_RAD
        return radius * math.sin(turn), radius * math.cos(turn)
    recent = np.array(list(places)[-_REMEMBERED + 1 :]).reshape(-1, 2)
    best, best_away = (0.0, 0.0), -1.0
    for _ in range(_TRIES):
        radius, turn = most_px * math.sqrt(rng.uniform()), rng.uniform(0, 2 * math.pi)
        place = radius * math.sin(turn), radius * math.cos(turn)
        away = float(np.hypot(*(recent - place).T).min()) if len(recent) else math.inf
        if away >= least_apart_px(most_px):
            return place
        if away > best_away:
            best, best_away = place, away
    return best
