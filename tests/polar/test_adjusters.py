"""What to turn next, learnt from what turning has done."""

import pytest

from vigil.polar.adjusters import Effect, Gain, Turn, effect_of, gain_of, jumped, next_words, turn_words


@pytest.mark.parametrize(
    ("before", "after", "effect", "words"),
    [
        (12.0, 12.02, Effect.STUCK, "it did not move: a little more, the same way"),
        (12.0, 6.0, Effect.NEARER, "the same way, about as much"),
        (12.0, 3.0, Effect.NEARER, "the same way, about a third as much"),
        (12.0, -4.0, Effect.OVERSHOT, "the other way, about a quarter as much"),
        (-12.0, -15.0, Effect.AWAY, "the other way, much more"),
        (-12.0, -24.0, Effect.AWAY, "the other way, about twice as much"),
        (12.0, 0.04, Effect.THERE, "there"),
        (12.0, 0.5, Effect.NEARER, "the same way, a touch"),
    ],
)
def test_a_turn_says_what_comes_next(before: float, after: float, effect: Effect, words: str) -> None:
    turn = Turn(before, after, 0.01)
    assert effect_of(turn) is effect and next_words(turn) == words


def test_noise_is_no_movement() -> None:
    assert effect_of(Turn(3.0, 2.2, 0.4)) is Effect.STUCK
    assert effect_of(Turn(3.0, 0.9, 0.2), wanted_arcmin=1.0) is Effect.THERE


def test_sign_and_gain_are_learnt_and_one_jump_is_told_from_them() -> None:
    """A screw that lowers by 8′ a turn clockwise; once it stuck, once it let go."""
    turns = [
        Turn(10, 6, 0.02, 0.5),
        Turn(6, 6.01, 0.02, 0.25),
        Turn(6, -4, 0.02, 0.5),
        Turn(-4, -2, 0.02, -0.25),
    ]
    gain = gain_of(turns)
    assert gain == Gain(-8.0, pytest.approx(0.0), 3), "the median of −8, −20 and −8"
    assert [jumped(turn, gain) for turn in turns] == [False, False, True, False]
    assert turn_words("altitude", 6.0, gain) == "lower the axis by 6.0′: about ¾ of a turn clockwise"
    assert turn_words("altitude", -1.0, gain) == "raise the axis by 1.0′: about ⅛ of a turn anticlockwise"
    assert turn_words("azimuth", 3.2) == "turn the axis west by 3.2′"
    assert gain_of(turns[1:2]) is None
