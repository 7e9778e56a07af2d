"""How the simulated gear stands when a keeper begins: fresh, or as the one before has left it."""

from datetime import datetime
from pathlib import Path

from vigil.documents.rig import Rig
from vigil.documents.scenario import Scenario
from vigil.simulator.air.weather import Weather
from vigil.simulator.chance import generator
from vigil.simulator.simmount import park_position
from vigil.simulator.state import SimState

_STAYS = (
    "counters",
    "adjusted_arcmin",
    "synced_deg",
    "focuser_position",
    "drawtube_steps",
    "focus_lost_steps",
    "slot",
    "wheel_from",
    "rotator_deg",
    "panel_laid_on",
)
"""What a person, or a motor without power, leaves where it is until somebody moves it."""


def load_state(path: Path | None) -> SimState | None:
    """The gear as an earlier keeper left it, if there is any."""
    if path is None or not path.exists():
        return None
    return SimState.model_validate_json(path.read_text())


def fresh_state(rig: Rig, seed: int, scenario: Scenario, at: datetime | None = None) -> SimState:
    """The gear at a moment, else in the evening: parked, warm, focuser somewhere near."""
    assert rig.simulated is not None
    at = at or rig.simulated.starts_at
    ra_deg, dec_deg = park_position(rig.site.place(), at)
    rng = generator(seed, "evening")
    start = (rig.focuser.start if rig.focuser else 0) + (int(rng.integers(-40, 41)) if rig.focuser else 0)
    weather = Weather(seed, rig.simulated.starts_at, scenario.air)
    return SimState(
        seed=seed,
        at=at,
        ra_deg=ra_deg,
        dec_deg=dec_deg,
        since=at,
        sensor_c=weather.temperature_c(at),
        sensor_at=at,
        focuser_position=start,
        drawtube_steps=float(start),
    )


def state_at(left: SimState | None, rig: Rig, seed: int, scenario: Scenario, at: datetime) -> SimState:
    """The gear when a keeper begins at a moment with nothing under way.

    Later than it was `left` it is as it was left; earlier, on an evening that is played again, what stays
    where it was put is still there. Another seed is another observatory.
    """
    if left is None or left.seed != seed:
        return fresh_state(rig, seed, scenario, at)
    if at >= left.at:
        return left.model_copy(update={"scenario": "", "connected": {}})
    stays = {name: getattr(left, name) for name in _STAYS}
    return fresh_state(rig, seed, scenario, at).model_copy(update=stays)
