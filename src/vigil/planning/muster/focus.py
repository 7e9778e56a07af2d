"""The focuser."""

from collections.abc import Iterator

from vigil.documents.rig import Rig
from vigil.documents.rig.focuser import FocuserPart
from vigil.optics.train import critical_focus_zone_um
from vigil.planning.muster.finding import Finding, Known, Remedy

_FEWEST_STEPS = 2.0
_SAMPLES_EACH_WAY = 5


def findings(rig: Rig, known: Known) -> Iterator[Finding]:
    """Everything about the focuser."""
    focuser, ratio = rig.focuser, rig.focal_ratio
    if focuser is None:
        return
    if ratio is not None:
        zone_um = critical_focus_zone_um(ratio)
        steps = zone_um / focuser.um_per_step
        if steps < _FEWEST_STEPS:
            yield Finding(
                ("focuser", "um_per_step"),
                f"At f/{ratio:.3g} the critical focus zone is {zone_um:.1f} µm, {steps:.1f} steps of "
                f"{focuser.um_per_step:g} µm; under {_FEWEST_STEPS:g} sharp focus can't be hit.",
            )
    yield from _range(focuser)
    yield from _backlash(focuser)
    if focuser.steps_per_c is not None and focuser.probe == "none":
        yield Finding(
            ("focuser", "probe"),
            f"{focuser.steps_per_c:g} steps for each °C are asked for, but no probe says the temperature.",
        )
    if focuser.probe == "weather station" and rig.weather is None:
        yield Finding(
            ("focuser", "probe"), "The temperature is to come from a weather station, and the rig has none."
        )
    if focuser.coarse_step < focuser.fine_step:
        yield Finding(
            ("focuser", "coarse_step"),
            f"The coarse step of {focuser.coarse_step} is smaller than the fine one of {focuser.fine_step}.",
        )


def _range(focuser: FocuserPart) -> Iterator[Finding]:
    said = f"{focuser.lowest} to {focuser.highest}"
    if not focuser.lowest <= focuser.start <= focuser.highest:
        yield Finding(
            ("focuser", "start"), f"The usual position {focuser.start} is outside the range {said}."
        )
        return
    if focuser.search_step is None:
        return
    reach = _SAMPLES_EACH_WAY * focuser.search_step
    if focuser.start - reach < focuser.lowest or focuser.start + reach > focuser.highest:
        yield Finding(
            ("focuser", "search_step"),
            f"A focus run with steps of {focuser.search_step} reaches {reach} to each side of "
            f"{focuser.start}, "
            f"beyond the range {said}.",
        )


def _backlash(focuser: FocuserPart) -> Iterator[Finding]:
    place = ("focuser", "controller_steps")
    if focuser.backlash_by == "Vigil" and focuser.controller_steps:
        yield Finding(
            place,
            f"Backlash is made up for twice: Vigil overshoots by {focuser.overshoot_steps} steps, and the "
            f"controller adds {focuser.controller_steps}.",
            remedy=Remedy("leave it to Vigil", 0),
        )
    if focuser.backlash_by == "controller" and not focuser.controller_steps:
        yield Finding(place, "The controller is to make up for backlash, but it is set to 0 steps.")
    if focuser.backlash_by == "nobody" and focuser.controller_steps:
        yield Finding(
            place,
            "Nobody is to make up for backlash, but the controller is set to "
            f"{focuser.controller_steps} steps.",
            remedy=Remedy("Set to 0", 0),
        )
    if focuser.backlash_by != "Vigil":
        return
    if focuser.overshoot_steps == 0:
        yield Finding(
            ("focuser", "overshoot_steps"),
            "Vigil is to make up for backlash with an overshoot of 0 steps, which is none.",
        )
    upward = focuser.approach == "upward"
    room = focuser.start - focuser.lowest if upward else focuser.highest - focuser.start
    if 0 <= room < focuser.overshoot_steps:
        end = focuser.lowest if upward else focuser.highest
        yield Finding(
            ("focuser", "overshoot_steps"),
            f"From {focuser.start} an overshoot of {focuser.overshoot_steps} steps runs beyond "
            f"the end at {end}.",
        )
