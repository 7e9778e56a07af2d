"""The sim observatory: one rig's simulated gear under one simulated sky."""

from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from vigil.devices.protocols import Devices
from vigil.documents.rig import Rig
from vigil.runtime.clock import Clock
from vigil.runtime.workshop import Workshop
from vigil.simulator.chance import generator
from vigil.simulator.gear import Bench
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
    start = rig.focuser.start + int(rng.integers(-40, 41))
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
        bench = Bench(rig, state, clock, workshop, Weather(state.seed, rig.simulated.starts_at), path)
        mount = SimMount(bench)
        camera = SimCamera(bench, mount)
        self.devices = Devices(camera, SimWheel(bench), SimFocuser(bench), mount)
        self.truth = Truth(bench, mount, camera)
