"""The sim observatory: one rig's simulated gear under one simulated sky."""

from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import Any

from vigil.devices.protocols import Devices
from vigil.documents.rig import Rig
from vigil.runtime.clock import Clock
from vigil.runtime.workshop import Workshop
from vigil.simulator.chance import generator
from vigil.simulator.gear import Bench
from vigil.simulator.hanging import Hanging
from vigil.simulator.simbeside import (
    SimHeaters,
    SimPanel,
    SimPower,
    SimRotator,
    SimSafety,
    SimShutter,
    SimWeather,
)
from vigil.simulator.simcamera import SimCamera
from vigil.simulator.simfocuser import SimFocuser
from vigil.simulator.simmount import SimMount, park_position
from vigil.simulator.simwheel import SimWheel
from vigil.simulator.state import SimState
from vigil.simulator.weather import Weather


def load_state(path: Path | None) -> SimState | None:
    """The gear as an earlier keeper left it, if there is any."""
    if path is None or not path.exists():
        return None
    return SimState.model_validate_json(path.read_text())


def fresh_state(rig: Rig, seed: int) -> SimState:
    """The gear in the evening: parked, warm, focuser somewhere near."""
    assert rig.simulated is not None
    at = rig.simulated.starts_at
    ra_deg, dec_deg = park_position(rig.site.place(), at)
    rng = generator(seed, "evening")
    start = (rig.focuser.start if rig.focuser else 0) + (int(rng.integers(-40, 41)) if rig.focuser else 0)
    weather = Weather(seed, at)
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


@dataclass(frozen=True, slots=True)
class Truth:
    """What really is, for tests and campaigns: nothing in a night reads it."""

    bench: Bench
    mount: SimMount
    camera: SimCamera

    def pointing_deg(self) -> tuple[float, float]:
        """The true ICRS direction of the image's centre."""
        return self.mount.true_pointing_deg(self.bench.clock.utcnow())

    def position_angle_deg(self) -> float:
        return self.mount.position_angle_deg()

    def focus(self, slot: int, at: datetime) -> tuple[float, float]:
        """Best drawtube position (steps) through a filter, and where it is."""
        return self.bench.best_focus_steps(slot, at), self.bench.state.drawtube_steps

    def sensor_c(self) -> float:
        return self.camera.sensor_c(self.bench.clock.utcnow())


class SimObservatory:
    """Builds the simulated devices over a shared, saved state."""

    def __init__(
        self, rig: Rig, seed: int, clock: Clock, workshop: Workshop, path: Path | None = None
    ) -> None:
        if rig.simulated is None:
            raise ValueError(f"{rig.name} has no simulated part: its devices are not the sim observatory's")
        state = load_state(path) or fresh_state(rig, seed)
        weather = Weather(state.seed, rig.simulated.starts_at)
        self._bench = Bench(rig, state, clock, workshop, weather, path)
        mount = SimMount(self._bench)
        camera = SimCamera(self._bench, mount)
        self._made: dict[str, Any] = {
            "camera": camera,
            "wheel": SimWheel(self._bench),
            "focuser": SimFocuser(self._bench),
            "mount": mount,
            "rotator": SimRotator(self._bench),
            "guide_camera": SimCamera(self._bench, mount, guides=True),
            "panel": SimPanel(self._bench),
            "cover": SimShutter(self._bench, "cover"),
            "roof": SimShutter(self._bench, "roof"),
            "weather": SimWeather(self._bench),
            "safety": SimSafety(self._bench),
            "heaters": SimHeaters(self._bench),
            "power": SimPower(self._bench),
        }
        self.truth = Truth(self._bench, mount, camera)

    def take_rig(self, rig: Rig) -> None:
        """Another rig under the same sky: what people change by day."""
        self._bench.rig = rig

    @property
    def devices(self) -> Devices:
        """Those that the rig has."""
        rig = self._bench.rig
        hangs = rig.simulated.times_out if rig.simulated else {}
        wanted = Devices(**self._made).named()
        fields_by_name = {id(device): field for field, device in self._made.items()}
        found = {}
        for name in rig.device_names:
            device = wanted[name]
            share = hangs.get(name, 0.0)
            found[fields_by_name[id(device)]] = Hanging(device, name, share, self._bench) if share else device
        return Devices(**found)
