"""Safe by every sensor that the rig has; a stale or silent one means unsafe."""

from collections.abc import Mapping
from datetime import datetime
from typing import Any

from vigil.devices.protocols import SafetyState, WeatherState
from vigil.documents.night import RunState
from vigil.documents.rig import Rig
from vigil.engine.check import Check, Condition, Gauge, Standing
from vigil.engine.remedy import Hold, Remedy
from vigil.engine.view import View


class Safe(Condition):
    name = "safe"
    place = 20
    hard = True

    def remedy(self, view: View) -> Remedy:
        return Hold(sky_check(view.rig, view.states, view.at, view.night.run is RunState.HELD).words)

    def ends_exposure(self, view: View, start: datetime, end: datetime) -> str | None:
        check = self.check(view, start, end)
        return None if check.met else check.words

    def check(self, view: View, start: datetime, end: datetime) -> Check:
        return sky_check(view.rig, view.states, view.at, view.night.run is RunState.HELD)


def sky_check(rig: Rig, states: Mapping[str, Any], at: datetime, held: bool) -> Check:
    """What the rig's sensors say. To resume from a hold the weather has to be better than to go on: the
    limits are the rig's share of theirs then."""
    gauges: list[Gauge] = []
    wrong: list[str] = []
    safety, weather = rig.safety, rig.weather
    if safety is not None:
        told: SafetyState | None = states.get("safety sensor")
        if told is None:
            wrong.append("the safety sensor says nothing")
        else:
            gauges.append(_age(at, "safety sensor silent for", told.measured_at, safety.stale_after_s))
            if not told.safe:
                wrong.append("the safety sensor says unsafe")
    if weather is not None:
        air: WeatherState | None = states.get("weather station")
        if air is None:
            wrong.append("the weather station says nothing")
        else:
            gauges.append(_age(at, "weather station silent for", air.measured_at, weather.stale_after_s))
            share = weather.resumes_at_percent / 100 if held else 1.0
            for words, value, limit, unit in (
                ("wind", air.wind_m_s, weather.wind_limit_m_s, "m/s"),
                ("humidity", air.humidity_percent, weather.humidity_limit_percent, "%"),
                ("cloud", air.cloud_percent, weather.cloud_limit_percent, "%"),
            ):
                if limit is not None and value is not None:
                    gauges.append(Gauge(words, value, round(share * limit, 1), unit))
    wrong += [f"{g.words} {g.value:g} {g.unit}, limit {g.limit:g}" for g in gauges if g.value > g.limit]
    if wrong:
        return Check(Standing.NOT_MET, "; ".join(wrong), tuple(gauges))
    return Check(Standing.MET, "safe by every sensor", tuple(gauges))


def _age(at: datetime, words: str, measured_at: datetime, limit_s: float) -> Gauge:
    return Gauge(words, max(0.0, round((at - measured_at).total_seconds())), limit_s, "s")
