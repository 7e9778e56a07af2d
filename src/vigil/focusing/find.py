"""From anywhere in the focuser's travel to near focus, by the size of the doughnuts.

A star out of focus is a disc of the diameter |defocus| / focal ratio, so that its radius says how far away
focus is, but not on which side. The next look, taken where focus would be on the likelier side, tells that
too. The search holds no device: it is asked where to look next, with the looks so far.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

_MOST_LOOKS, _MOST_BLIND = 18, 12
_RADIUS_ERROR = 0.08
"""Of a radius, as a share."""
_SCALES = tuple(np.geomspace(0.6, 1 / 0.6, 15).tolist())
_SCALE_SPREAD = 0.15
"""What the rig says of focal ratio and steps may be wrong: the looks tell by how much."""
_AS_LIKELY = 2.0


@dataclass(frozen=True, slots=True)
class Travel:
    """Where the focuser may go, and how many steps away from focus a radius of one pixel means. Looks at
    stars no larger than `near_px` are near enough for a fine run."""

    lowest: int
    highest: int
    steps_a_px: float
    near_px: float
    most_blind: int = _MOST_BLIND
    """Looks that may show nothing at all before it is given up."""

    @classmethod
    def of(
        cls,
        lowest: int,
        highest: int,
        focal_ratio: float,
        pixel_um: float,
        um_per_step: float,
        near_px: float,
    ) -> "Travel":
        """By the optics: a radius r on the sensor is a defocus of 2 · r · focal ratio."""
        return cls(lowest, highest, 2 * pixel_um * focal_ratio / um_per_step, near_px)


@dataclass(frozen=True, slots=True)
class Look:
    """A frame at a position, and the radius of its stars (unbinned px); None where there was nothing to see:
    stars too far out of focus, or cloud."""

    position: int
    radius_px: float | None


@dataclass(frozen=True, slots=True)
class GoOn:
    """Look there next; `why` says so in words."""

    position: int
    why: str


@dataclass(frozen=True, slots=True)
class Near:
    """Near enough: a fine run may begin around here."""

    position: int
    why: str


@dataclass(frozen=True, slots=True)
class NotFound:
    """Nothing more can be tried."""

    reason: str


def next_look(travel: Travel, start: int, looks: Sequence[Look]) -> GoOn | Near | NotFound:
    """What to do after these looks; `start` is where the focuser stood."""
    if not looks:
        return GoOn(start, "a first look from where it stands")
    seen = [look for look in looks if look.radius_px is not None]
    last = looks[-1]
    if last.radius_px is not None and last.radius_px <= travel.near_px:
        return Near(last.position, f"stars have a radius of {last.radius_px:.1f} px: near enough")
    if len(looks) >= _MOST_LOOKS:
        return NotFound(f"not near focus after {len(looks)} looks{_smallest(travel, seen)}")
    if not seen:
        if len(looks) >= travel.most_blind:
            low, high = min(look.position for look in looks), max(look.position for look in looks)
            return NotFound(
                f"nothing to see in {len(looks)} looks from {low} to {high}: cloud, a cap, or far off"
            )
        return _scan(travel, looks)
    there, why = _likeliest(travel, seen, looks)
    if there is None:
        return NotFound(f"by the size of the stars focus lies outside {travel.lowest} to {travel.highest}")
    if any(abs(there - look.position) < travel.steps_a_px for look in looks):
        # it was looked there already, and the size said otherwise: beside it
        return _scan(travel, looks)
    return GoOn(there, why)


def _smallest(travel: Travel, seen: Sequence[Look]) -> str:
    """Where it came nearest, in words."""
    if not seen:
        return ""
    look = min(seen, key=lambda look: look.radius_px or 0.0)
    ends = [end for end in (travel.lowest, travel.highest) if abs(look.position - end) < travel.steps_a_px]
    where = f"{look.position}, the end of the travel" if ends else f"{look.position}"
    return f"; the smallest discs have a radius of {look.radius_px:.1f} px, at {where}"


def _likeliest(travel: Travel, seen: Sequence[Look], looks: Sequence[Look]) -> tuple[int | None, str]:
    """Where focus is by the look nearest to it, on the side that the other looks speak for."""
    best = min(seen, key=lambda look: look.radius_px or 0.0)
    assert best.radius_px is not None
    away = best.radius_px * travel.steps_a_px
    middle = (travel.lowest + travel.highest) / 2
    tried = []
    for sign in (-1, 1):
        for scale in _SCALES:
            there = best.position + sign * scale * away
            if _just_out(travel, there):
                against = _against(travel, there, scale, looks) + (np.log(scale) / _SCALE_SPREAD) ** 2
                tried.append((against, abs(there - middle), there, sign))
    if not tried:
        return None, ""
    # a radius that is a little too large must not lead out of the travel
    against, _, there, sign = min(tried)
    there = round(min(max(there, travel.lowest), travel.highest))
    either = any(other[3] != sign and other[0] < against + _AS_LIKELY for other in tried)
    return there, (
        f"stars with a radius of {best.radius_px:.0f} px at {best.position}: focus is about "
        f"{abs(there - best.position)} steps {'up' if sign > 0 else 'down'}, at {there}"
        + (", or as far on the other side" if either else "")
    )


def _just_out(travel: Travel, position: float) -> bool:
    slack = 0.3 * (travel.highest - travel.lowest)
    return travel.lowest - slack <= position <= travel.highest + slack


def _against(travel: Travel, focus: float, scale: float, looks: Sequence[Look]) -> float:
    """How much the looks speak against a focus, with so many times the rig's steps a pixel: squared errors of
    the radii that they would have had; one that saw nothing speaks against focus near it."""
    total = 0.0
    largest = max(look.radius_px or 0.0 for look in looks)
    for look in looks:
        expected = abs(look.position - focus) / (travel.steps_a_px * scale)
        if look.radius_px is None:
            total += max(0.0, 1 - expected / max(largest, 1.0)) / _RADIUS_ERROR**2
        else:
            total += ((look.radius_px - expected) / (_RADIUS_ERROR * max(look.radius_px, expected, 1.0))) ** 2
    return total


def _scan(travel: Travel, looks: Sequence[Look]) -> GoOn | NotFound:
    """The middle of the widest stretch that was not looked at."""
    edges = sorted({travel.lowest, travel.highest, *(look.position for look in looks)})
    stretches = list(pairwise(edges))
    if not stretches:
        return NotFound("the focuser has no travel")
    low, high = max(stretches, key=lambda stretch: stretch[1] - stretch[0])
    if high - low < 2 * travel.steps_a_px:
        return NotFound(
            "nothing was seen anywhere in the focuser's travel: cloud, a cap, or the wrong end of it"
        )
    return GoOn(round((low + high) / 2), "nothing to see here: on to where it has not been looked yet")
