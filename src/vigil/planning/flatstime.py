"""How long a job of flats takes, before a frame has shown anything."""

from vigil.documents.flats import FlatsWish
from vigil.documents.rig import Rig

_TRIALS, _TRIAL_S = 2, 4.0
"""Of a filter, and for each beside its exposure."""


def minutes_of(rig: Rig, wish: FlatsWish, least_exposure_s: float) -> tuple[float, float]:
    """With the shortest exposures, and with the longest; cooling is not in it."""
    assert rig.camera is not None, "asked for before"
    names = wish.filters_in(rig.wheel)
    darks = wish.count if wish.dark_flats is None else wish.dark_flats
    binnings = len(wish.each_binning)
    frames = binnings * len(names) * (wish.count + darks)
    each_s = rig.camera.download_of(wish.each_binning[0])

    def minutes(exposure_s: float) -> float:
        trials_s = binnings * len(names) * _TRIALS * (_TRIAL_S + exposure_s)
        return (trials_s + frames * (each_s + exposure_s)) / 60

    return round(minutes(least_exposure_s), 1), round(minutes(wish.most_exposure_s), 1)
