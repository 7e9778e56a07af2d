"""What the simulated devices share: rig, scenario, state, clock, air."""

from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import datetime
from pathlib import Path

from vigil.devices.errors import NotConnected
from vigil.documents.rig import Rig
from vigil.documents.scenario import Scenario
from vigil.documents.store import dump
from vigil.runtime.clock import Clock
from vigil.runtime.workshop import Workshop
from vigil.simulator.air.dew import gathered
from vigil.simulator.air.seeing import Seeing
from vigil.simulator.air.weather import Weather
from vigil.simulator.chance import generator
from vigil.simulator.faults import Faults
from vigil.simulator.state import SimState
from vigil.sky.site import Site


@dataclass(slots=True)
class Gear:
    """The shared part of the observatory; rig and scenario may change under it."""

    rig: Rig
    scenario: Scenario
    state: SimState
    clock: Clock
    workshop: Workshop
    path: Path | None
    on_line: Callable[[], None] = lambda: None
    """Called when a device is connected."""
    weather: Weather = field(init=False)
    seeing: Seeing = field(init=False)
    faults: Faults = field(init=False)

    def __post_init__(self) -> None:
        self.take_scenario(self.scenario)

    @property
    def starts_at(self) -> datetime:
        """The evening's beginning."""
        assert self.rig.simulated is not None
        return self.rig.simulated.starts_at

    def take_scenario(self, scenario: Scenario) -> None:
        """Another scenario from now on."""
        seed = self.state.seed
        self.scenario = scenario
        self.state.scenario = dump(scenario)
        self.weather = Weather(seed, self.starts_at, scenario.air)
        air = scenario.air
        self.seeing = Seeing(self.weather, seed, air.motion_times_theory, air.seeing_flickers)
        self.faults = Faults(scenario.faults, self.rig, seed)

    def save(self) -> None:
        """Put the state on disk; to be called before an effect."""
        self.state.at = self.clock.utcnow()
        self.state.save(self.path)

    async def connect(self, name: str, seconds: float) -> None:
        await self.clock.sleep(seconds)
        self.state.connected[name] = True
        self.save()
        self.on_line()

    def disconnect(self, name: str) -> None:
        self.state.connected[name] = False
        self.save()

    def need(self, name: str) -> None:
        """Raises NotConnected."""
        if not self.state.connected.get(name):
            raise NotConnected(f"{name}: not connected")

    def minutes(self, at: datetime) -> float:
        """Since the evening's beginning, as faults and clouds are timed."""
        return (at - self.starts_at).total_seconds() / 60

    def site(self) -> Site:
        """The place under its air, or without it where the scenario has no refraction."""
        place = self.rig.site.place()
        return place if self.scenario.sky.refraction else place.airless()

    @property
    def focuser_um_per_step(self) -> float:
        """Of the rig's focuser; without one the drawtube is counted in micrometres."""
        return self.rig.focuser.um_per_step if self.rig.focuser else 1.0

    def best_focus_steps(self, slot: int, at: datetime) -> float:
        """Where the drawtube should be: it wanders with temperature and differs by filter and pier side."""
        rng = generator(self.state.seed, "focus")
        focuser, wheel, optics = self.rig.focuser, self.rig.wheel, self.scenario.optics
        if focuser is None:  # focused by hand in the evening, as well as people can
            return float(rng.uniform(-8, 8))
        base = focuser.start + rng.uniform(-50, 50)
        warmth = optics.focus_steps_per_c * self.weather.temperature_c(at)
        offset = next((f.focus_offset_steps for f in wheel.filters if f.slot == slot), 0) if wheel else 0
        # the offsets written in the rig were measured once, to a step or so
        error = generator(self.state.seed, "offset", slot).normal(0, 1.0) * optics.focus_filter_scatter_steps
        side = optics.focus_side_steps if self.state.pier_side == "east" else 0.0
        return float(base + warmth + offset + error + side)

    def dew(self, at: datetime) -> float:
        """On the telescope's optics, carried on to `at`."""
        state = self.state
        since = state.dew_at or at
        if self.scenario.air.dew and at > since:
            heat = max(state.heaters_percent.values(), default=0.0)
            state.dew = gathered(self.weather, state.dew, since, at, heat)
        elif not self.scenario.air.dew:
            state.dew = 0.0
        state.dew_at = max(since, at)
        return state.dew
