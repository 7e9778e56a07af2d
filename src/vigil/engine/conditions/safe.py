"""Safe by every sensor that the rig has; a stale or silent one means unsafe."""

from datetime import datetime

from vigil.devices.protocols import SafetyState, WeatherState
from vigil.documents.rig import Rig
from vigil.engine.check import Check, Condition, Gauge, Standing
from vigil.engine.view import View


class Safe(Condition):
    name = "safe"
    place = 20
    hard = True
    may_return = True

    @classmethod
    def wanted(cls, rig: Rig) -> bool:
        return rig.weather is not None or rig.safety is not None

    def ends_exposure(self, view: View, start: datetime, end: datetime) -> str | None:
        check = self.check(view, start, end)
        return None if check.met else check.words

    def check(self, view: View, start: datetime, end: datetime) -> Check:
        gauges: list[Gauge] = []
        wrong: list[str] = []
        safety, weather = view.rig.safety, view.rig.weather
        if safety is not None:
            told: SafetyState | None = view.states.get("safety sensor")
            if told is None:
                wrong.append("the safety sensor says nothing")
            else:
                gauges.append(_age(view, "safety sensor silent for", told.measured_at, safety.stale_after_s))
                if not told.safe:
                    wrong.append("the safety sensor says unsafe")
        if weather is not None:
            air: WeatherState | None = view.states.get("weather station")
            if air is None:
                wrong.append("the weather station says nothing")
            else:
                gauges.append(
                    _age(view, "weather station silent for", air.measured_at, weather.stale_after_s)
                )
                for words, value, limit, unit in (
                    ("wind", air.wind_m_s, weather.wind_limit_m_s, "m/s"),
                    ("humidity", air.humidity_percent, weather.humidity_limit_percent, "%"),
                    ("cloud", air.cloud_percent, weather.cloud_limit_percent, "%"),
                ):
                    if limit is not None and value is not None:
                        gauges.append(Gauge(words, value, limit, unit))
        wrong += [f"{g.words} {g.value:g} {g.unit}, limit {g.limit:g}" for g in gauges if g.value > g.limit]
        if wrong:
            return Check(Standing.NOT_MET, "; ".join(wrong), tuple(gauges))
        return Check(Standing.MET, "safe by every sensor", tuple(gauges))


def _age(view: View, words: str, measured_at: datetime, limit_s: float) -> Gauge:
    return Gauge(words, max(0.0, round((view.at - measured_at).total_seconds())), limit_s, "s")
