"""What turning an adjuster has done, and what to turn next: for a hand that doesn't know its screws."""

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum
from typing import Literal

import numpy as np

AdjusterName = Literal["altitude", "azimuth"]
RIGHT_ARCMIN = 0.3
"""So near an axis needs no more turning."""
_NOISE, _LEAST_ARCMIN = 2.5, 0.05
"""A change of so many standard errors is one, and one of less never is."""
_JUMPED = 2.0
"""Times what was to be expected of a turn, or its inverse: the screw stuck and let go, or slipped."""
_AMOUNTS = (
    (0.08, "a touch"), (0.15, "a tenth as much"), (0.22, "a fifth as much"), (0.29, "a quarter as much"),
    (0.42, "a third as much"), (0.58, "half as much"), (0.85, "three quarters as much"),
    (1.2, "as much"), (1.75, "half as much again"), (2.5, "twice as much"), (4.0, "three times as much"),
)  # fmt: skip
WAYS: dict[AdjusterName, tuple[str, str]] = {
    "altitude": ("raise the axis", "lower the axis"),
    "azimuth": ("turn the axis east", "turn the axis west"),
}
"""What mends an error below 0, and one above."""


class Effect(StrEnum):
    """Of a turn of one adjuster."""

    STUCK = "stuck"
    NEARER = "nearer"
    THERE = "there"
    OVERSHOT = "overshot"
    AWAY = "the wrong way"


@dataclass(frozen=True, slots=True)
class Turn:
    """An adjuster's error before and after somebody turned it (arc-minutes), its standard error, and by how
    much it was turned, where that is known: turns of the screw, + clockwise."""

    before_arcmin: float
    after_arcmin: float
    sigma_arcmin: float
    turns: float | None = None

    @property
    def moved_arcmin(self) -> float:
        return self.after_arcmin - self.before_arcmin

    @property
    def noise_arcmin(self) -> float:
        """A smaller difference of the two says nothing."""
        return max(_NOISE * 2**0.5 * self.sigma_arcmin, _LEAST_ARCMIN)


@dataclass(frozen=True, slots=True)
class Gain:
    """What is learnt of an adjuster: arc-minutes that one turn clockwise adds to the error (raises, or moves
    east), from so many turns; `spread` is the scatter of those, as a share."""

    arcmin_per_turn: float
    spread: float
    count: int


def effect_of(turn: Turn, wanted_arcmin: float = 0.0) -> Effect:
    """What it has done to an error that is to be no more than wanted."""
    if abs(turn.moved_arcmin) <= turn.noise_arcmin:
        return Effect.STUCK
    if abs(turn.after_arcmin) <= max(wanted_arcmin, turn.noise_arcmin):
        return Effect.THERE
    if turn.before_arcmin * turn.after_arcmin < 0:
        return Effect.OVERSHOT
    return Effect.NEARER if abs(turn.after_arcmin) < abs(turn.before_arcmin) else Effect.AWAY


def next_words(turn: Turn, wanted_arcmin: float = 0.0) -> str:
    """What to do after it, measured by that turn itself: "the other way, about a third as much"."""
    effect = effect_of(turn, wanted_arcmin)
    if effect is Effect.STUCK:
        return "it did not move: a little more, the same way"
    if effect is Effect.THERE:
        return "there"
    more = -turn.after_arcmin / turn.moved_arcmin
    amount = next((words for most, words in _AMOUNTS if abs(more) <= most), "much more")
    about = amount if amount in ("a touch", "much more") else f"about {amount}"
    return f"the other way, {about}" if more < 0 else f"the same way, {about}"


def gain_of(turns: Sequence[Turn]) -> Gain | None:
    """From turns whose amount is known; None while none of them has moved anything. The median, so that a
    screw that stuck once and then jumped doesn't count."""
    found = [
        turn.moved_arcmin / turn.turns
        for turn in turns
        if turn.turns and abs(turn.moved_arcmin) > turn.noise_arcmin
    ]
    if not found:
        return None
    middle = float(np.median(found))
    spread = float(1.4826 * np.median(np.abs(np.array(found) - middle)) / abs(middle)) if middle else 1.0
    return Gain(middle, spread, len(found))


def jumped(turn: Turn, gain: Gain | None) -> bool:
    """Whether it moved far more, or far less, than such a turn has until now."""
    if gain is None or not turn.turns or abs(turn.moved_arcmin) <= turn.noise_arcmin:
        return False
    share = turn.moved_arcmin / (gain.arcmin_per_turn * turn.turns)
    return not 1 / _JUMPED < share < _JUMPED


def turn_words(name: AdjusterName, error_arcmin: float, gain: Gain | None = None) -> str:
    """ "lower the axis by 2.3′", with what is learnt "about ¾ of a turn clockwise"."""
    way = WAYS[name][error_arcmin > 0]
    said = f"{way} by {abs(error_arcmin):.1f}′"
    if gain is None or gain.arcmin_per_turn == 0:
        return said
    turns = -error_arcmin / gain.arcmin_per_turn
    return f"{said}: about {_turns(abs(turns))} {'clockwise' if turns > 0 else 'anticlockwise'}"


def _turns(amount: float) -> str:
    if amount >= 1.9:
        return f"{amount:.0f} turns"
    eighths = max(1, round(8 * amount))
    names = {1: "⅛", 2: "¼", 3: "⅜", 4: "½", 5: "⅝", 6: "¾", 7: "⅞"}
    if eighths in names:
        return f"{names[eighths]} of a turn"
    return "a turn" if eighths <= 9 else "1½ turns"
