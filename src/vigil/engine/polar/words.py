"""What people are told of turns."""

from vigil.polar.adjusters import Turn, effect_of, next_words


def turn_said(turn: Turn, wanted_arcmin: float) -> str:
    """ "+12.0′ → −4.0′, overshot: the other way, about a quarter as much"."""
    effect, words = effect_of(turn, wanted_arcmin), next_words(turn, wanted_arcmin)
    said = words if effect.value == words else f"{effect.value}: {words}"
    return f"{turn.before_arcmin:+.1f}′ → {turn.after_arcmin:+.1f}′, {said}"
