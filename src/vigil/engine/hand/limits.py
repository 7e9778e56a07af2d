"""What is asked of a device by hand, checked before anything moves."""

from typing import Any

from vigil.documents.rig import Rig
from vigil.sky.angles import parse_dec_deg, parse_ra_deg

DIRECTIONS = {"north": (1, 1.0), "south": (1, -1.0), "east": (0, -1.0), "west": (0, 1.0)}
"""Axis and sign: axis 0 counts westward, axis 1 northward."""
_LONGEST_NUDGE_S = 60.0
_LONGEST_EXPOSURE_S = 3600.0


class OutOfLimits(ValueError):
    """A value that can't be; the message says which ones can."""


def check_limits(rig: Rig, device: str, action: str, values: dict[str, Any]) -> None:
    """Raises OutOfLimits."""
    check = _CHECKS.get((device, action))
    if check is not None:
        check(rig, values)


def within(what: str, value: float, low: float, high: float, unit: str = "") -> None:
    """Raises OutOfLimits for a value outside two limits."""
    if not low <= value <= high:
        raise OutOfLimits(f"{what} {value:g}{unit} is not possible: {low:g} to {high:g}{unit}")


def _one_of(what: str, value: str, known: list[str]) -> None:
    if value not in known:
        raise OutOfLimits(f"{what} {value!r} is not known; there is {', '.join(known) or 'none'}")


def _frame(rig: Rig, values: dict[str, Any]) -> None:
    shortest = rig.camera.shortest_exposure_s if rig.camera else 0.0
    within("an exposure of", values["exposure_s"], max(shortest, 0.001), _LONGEST_EXPOSURE_S, " s")
    within("binning", values["binning"], 1, 4)


def _guide_frame(rig: Rig, values: dict[str, Any]) -> None:
    within("an exposure of", values["exposure_s"], 0.001, 60.0, " s")
    within("binning", values["binning"], 1, 4)


def _cool(rig: Rig, values: dict[str, Any]) -> None:
    within("a set-point of", values["set_point_c"], -60, 40, " °C")


def _filter(rig: Rig, values: dict[str, Any]) -> None:
    _one_of("filter", values["filter"], rig.filter_names)


def _focuser_to(rig: Rig, values: dict[str, Any]) -> None:
    if rig.focuser is not None:
        within("position", values["position"], rig.focuser.lowest, rig.focuser.highest)


def _slew(rig: Rig, values: dict[str, Any]) -> None:
    try:
        parse_ra_deg(str(values["ra"])), parse_dec_deg(str(values["dec"]))
    except ValueError as problem:
        raise OutOfLimits(str(problem)) from None


def _reach(rig: Rig, values: dict[str, Any]) -> None:
    _slew(rig, values)
    within("a reach of", values["reach_px"], 1, 100, " px")


def _stored(rig: Rig, values: dict[str, Any]) -> None:
    _one_of("position", values["position"], [p.name for p in rig.mount.positions] if rig.mount else [])


def _nudge(rig: Rig, values: dict[str, Any]) -> None:
    _one_of("direction", values["direction"], list(DIRECTIONS))
    within("a nudge of", values["seconds"], 0.0, _LONGEST_NUDGE_S, " s")
    rates = rig.mount.hand_rates if rig.mount else []
    if values["rate"] not in rates:
        raise OutOfLimits(
            f"a rate of {values['rate']:g} × sidereal is not offered; "
            f"there are {', '.join(f'{rate:g}' for rate in rates)}"
        )


def _turn(rig: Rig, values: dict[str, Any]) -> None:
    if rig.rotator is not None:
        within("angle", values["angle_deg"], rig.rotator.lowest_deg, rig.rotator.highest_deg, "°")


def _panel(rig: Rig, values: dict[str, Any]) -> None:
    within("step", values["step"], 0, max(1, rig.panel.levels) if rig.panel else 1)


def _heater(rig: Rig, values: dict[str, Any]) -> None:
    _one_of("heater", values["heater"], [o.name for o in rig.heaters.outputs] if rig.heaters else [])
    within("a level of", values["percent"], 0, 100, " %")


def _outlet(rig: Rig, values: dict[str, Any]) -> None:
    _one_of("outlet", values["outlet"], [o.name for o in rig.power.outlets] if rig.power else [])


_CHECKS = {
    ("camera", "take"): _frame,
    ("camera", "loop"): _frame,
    ("guide camera", "take"): _guide_frame,
    ("guide camera", "loop"): _guide_frame,
    ("camera", "cool"): _cool,
    ("filter wheel", "to"): _filter,
    ("focuser", "to"): _focuser_to,
    ("mount", "slew"): _slew,
    ("mount", "centre"): _reach,
    ("mount", "frame"): _reach,
    ("mount", "to"): _stored,
    ("mount", "nudge"): _nudge,
    ("rotator", "to"): _turn,
    ("flat panel", "level"): _panel,
    ("heaters", "level"): _heater,
    ("power", "switch"): _outlet,
}
