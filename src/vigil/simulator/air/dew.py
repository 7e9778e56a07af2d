"""Dew on the optics: it gathers while the glass is colder than the dew point, and dries again."""

from datetime import datetime

import numpy as np

from vigil.simulator.air.weather import Weather

# glass under a clear sky loses this much against the air; a heater at full power gives that much
_RADIATES_C = 1.5
_HEATER_C = 6.0
_GATHERS_PER_C_HOUR, _DRIES_PER_C_HOUR = 0.35, 0.5
_THICKEST = 3.0
_STEP_S = 300.0


def gathered(weather: Weather, before: float, since: datetime, now: datetime, heater_percent: float) -> float:
    """Dew (0 none; light falls as e^−dew) after a stretch of time, from what there was before it."""
    dew, begin, end = before, weather.seconds(since), weather.seconds(now)
    steps = max(1, int(np.ceil((end - begin) / _STEP_S)))
    hours = max(0.0, end - begin) / steps / 3600
    for k in range(steps):
        at = since + (now - since) * ((k + 0.5) / steps)
        glass_c = weather.temperature_c(at) - _RADIATES_C + _HEATER_C * heater_percent / 100
        below_c = weather.dew_point_c(at) - glass_c
        rate = _GATHERS_PER_C_HOUR if below_c > 0 else _DRIES_PER_C_HOUR
        dew = float(np.clip(dew + rate * below_c * hours, 0.0, _THICKEST))
    return dew
