"""What the simulated devices share: rig, state, clock, air."""

from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from vigil.devices.errors import NotConnected
from vigil.documents.rig import Rig
from vigil.runtime.clock import Clock
from vigil.runtime.workshop import Workshop
from vigil.simulator.chance import generator
from vigil.simulator.state import SimState
from vigil.simulator.weather import Weather

_FOCUS_STEPS_PER_C = -7.0


@dataclass(slots=True)
class Bench:
    """The shared part of the observatory; the rig may change under it."""

    rig: Rig
    state: SimState
    clock: Clock
    workshop: Workshop
    weather: Weather
    path: Path | None

    def save(self) -> None:
        """Put the state on disk; to be called before an effect."""
        self.state.at = self.clock.utcnow()
        self.state.save(self.path)

    async def connect(self, name: str, seconds: float) -> None:
        await self.clock.sleep(seconds)
        self.state.connected[name] = True
        self.save()

    def disconnect(self, name: str) -> None:
        self.state.connected[name] = False
        self.save()

    @property
    def focuser_um_per_step(self) -> float:
        """Of the rig's focuser; without one the drawtube is counted in micrometres."""
        return self.rig.focuser.um_per_step if self.rig.focuser else 1.0

    def need(self, name: str) -> None:
        """Raises NotConnected."""
        if not self.state.connected.get(name):
            raise NotConnected(f"{name}: not connected")

    def best_focus_steps(self, slot: int, at: datetime) -> float:
        """Where the drawtube should be: it wanders with temperature and differs by filter."""
        rng = generator(self.state.seed, "focus")
        focuser, wheel = self.rig.focuser, self.rig.wheel
        if focuser is None:  # focused by hand in the evening, as well as people can
            return float(rng.uniform(-8, 8))
        base = focuser.start + rng.uniform(-50, 50)
        warmth = _FOCUS_STEPS_PER_C * self.weather.temperature_c(at)
        offset = next((f.focus_offset_steps for f in wheel.filters if f.slot == slot), 0) if wheel else 0
        # the offsets written in the rig were measured once, to a step or so
        error = generator(self.state.seed, "offset", slot).normal(0, 1.0)
        return float(base + warmth + offset + error)
