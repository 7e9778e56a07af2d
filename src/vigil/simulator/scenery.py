"""Playing with the scenario while the observatory runs: what is now, other values, a fault at once."""

from typing import Any

from pydantic import ValidationError

from vigil.documents.refusal import in_words
from vigil.documents.rig.change import brief, path_of, with_values, words_for
from vigil.documents.scenario import Fault, Scenario
from vigil.documents.store import dump
from vigil.simulator.observatory import SimObservatory

_DECIMALS = 3


class SimScenery:
    """Implements the keeper's Scenery."""

    def __init__(self, observatory: SimObservatory) -> None:
        self._observatory = observatory

    def told(self) -> dict[str, Any]:
        """The scenario's text, what the sky and the air are like now, and the faults that are on."""
        gear = self._observatory.truth.gear
        at, air = gear.clock.utcnow(), gear.weather
        now = {
            "seeing_arcsec": air.seeing_arcsec(at),
            "cloud_mag": air.cloud_mag(at),
            "cloud_percent": air.cloud_percent(at),
            "wind_m_s": air.wind_m_s(at),
            "temperature_c": air.temperature_c(at),
            "humidity_percent": air.humidity_percent(at),
            "dew": gear.dew(at),
        }
        minute = gear.minutes(at)
        return {
            "scenario": dump(self._observatory.scenario),
            "at": at.isoformat(),
            "minute": round(minute, 2),
            "now": {key: round(value, _DECIMALS) for key, value in now.items()},
            "faults": [spell.words(minute) for spell in gear.faults.on_at(minute)],
        }

    def change(self, asked: dict[str, Any]) -> str:
        """`values` sets fields by their paths, `fault` (its fields) begins now where it says no time,
        `scenario` replaces the whole, `adjusters` turns the polar axis's screws (arc-minutes higher, east),
        `camera_turn_deg` the camera in its collar, as a person would. Returns what was done, in words.
        Raises ValueError."""
        unknown = asked.keys() - {"values", "fault", "scenario", "adjusters", "camera_turn_deg"}
        if unknown:
            raise ValueError(f"the scenario knows nothing of {', '.join(sorted(unknown))}")
        said = []
        if "scenario" in asked:
            scenario = _checked(lambda: Scenario.model_validate(asked["scenario"]))
            self._observatory.take_scenario(scenario)
            said.append(f"the scenario is {scenario.name} now")
        if "values" in asked:
            said.append(self._set(asked["values"]))
        if "fault" in asked:
            said.append(self._add_fault(asked["fault"]))
        if "adjusters" in asked:
            said.append(self._turn(asked["adjusters"]))
        if "camera_turn_deg" in asked:
            said.append(self._turn_camera(asked["camera_turn_deg"]))
        return "; ".join(said)

    def _set(self, values: dict[str, Any]) -> str:
        try:
            changed = with_values(self._observatory.scenario, {path_of(k): v for k, v in values.items()})
        except KeyError as problem:
            raise ValueError(str(problem.args[0])) from None
        self._observatory.change_scenario(changed)
        return "; ".join(f"{words_for(path_of(k), Scenario)} {brief(v)}" for k, v in values.items())

    def _add_fault(self, asked: dict[str, Any]) -> str:
        observatory = self._observatory
        gear = observatory.truth.gear
        if asked.get("at_min") is None and asked.get("per_hour") is None:
            asked = {**asked, "at_min": gear.minutes(gear.clock.utcnow())}
        fault = _checked(lambda: Fault.model_validate(asked))
        if fault.befalls is not None and fault.befalls not in gear.rig.device_names:
            raise ValueError(f"{gear.rig.name} has no {fault.befalls} that a computer drives")
        scenario = observatory.scenario
        observatory.change_scenario(scenario.model_copy(update={"faults": [*scenario.faults, fault]}))
        return fault.words

    def _turn_camera(self, asked: Any) -> str:
        if isinstance(asked, bool) or not isinstance(asked, int | float):
            raise ValueError(f"camera_turn_deg: a number of degrees, found {asked!r}")
        gear = self._observatory.truth.gear
        gear.state.rotator_deg = (gear.state.rotator_deg + float(asked)) % 360
        gear.save()
        return f"the camera was turned by {asked:+.1f}°"

    def _turn(self, asked: Any) -> str:
        try:
            higher, east = (float(turn) for turn in asked)
        except (TypeError, ValueError):
            raise ValueError(
                f"adjusters: two numbers, arc-minutes higher and east, found {asked!r}"
            ) from None
        went = self._observatory.truth.mount.turn_adjusters(higher, east)
        return f"the polar axis went {went[0]:+.2f}′ higher, {went[1]:+.2f}′ east"


def _checked(make: Any) -> Any:
    try:
        return make()
    except ValidationError as problem:
        raise ValueError(in_words(problem)) from None
