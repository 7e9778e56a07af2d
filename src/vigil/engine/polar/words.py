"""What people are told of turns."""

from vigil.polar.adjusters import AdjusterName, Gain, Turn, effect_of, jumped, next_words


def turn_said(turn: Turn, wanted_arcmin: float) -> str:
    """ "+12.0′ → −4.0′, overshot: the other way, about a quarter as much"."""
    effect, words = effect_of(turn, wanted_arcmin), next_words(turn, wanted_arcmin)
    said = words if effect.value == words else f"{effect.value}: {words}"
    return f"{turn.before_arcmin:+.1f}′ → {turn.after_arcmin:+.1f}′, {said}"


def learnt_said(name: AdjusterName, turn: Turn, wanted_arcmin: float, gain: Gain | None) -> str:
    """The same with the adjuster's name, and whether it did something quite unlike what it did before."""
    said = f"{name}: {turn_said(turn, wanted_arcmin)}"
    if jumped(turn, gain):
        said += "; it jumped: that was far from what such a turn has done before"
    return said
