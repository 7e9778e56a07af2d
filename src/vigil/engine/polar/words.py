"""What people are told of measurements and turns."""

from vigil.documents.polar import PolarRecord
from vigil.polar.adjusters import Turn, effect_of, next_words


def turn_said(turn: Turn, wanted_arcmin: float) -> str:
    """ "+12.0′ → −4.0′, overshot: the other way, about a quarter as much"."""
    effect, words = effect_of(turn, wanted_arcmin), next_words(turn, wanted_arcmin)
    said = words if effect.value == words else f"{effect.value}: {words}"
    return f"{turn.before_arcmin:+.1f}′ → {turn.after_arcmin:+.1f}′, {said}"


def record_said(record: PolarRecord) -> str:
    """ "the axis is 12.3′ ± 0.1′ too high, 4.5′ ± 0.1′ west of the pole: 13.1′ in all"."""
    told = []
    if record.altitude_arcmin is not None:
        high = "too high" if record.altitude_arcmin > 0 else "too low"
        told.append(f"{abs(record.altitude_arcmin):.1f}′ ± {record.sigma_altitude_arcmin or 0:.1f}′ {high}")
    if record.azimuth_arcmin is not None:
        side = "east" if record.azimuth_arcmin > 0 else "west"
        told.append(
            f"{abs(record.azimuth_arcmin):.1f}′ ± {record.sigma_azimuth_arcmin or 0:.1f}′ {side} of the pole"
        )
    said = f"the axis is {', '.join(told)}"
    return said if record.total_arcmin is None else f"{said}: {record.total_arcmin:.1f}′ in all"
