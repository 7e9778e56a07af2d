"""The sim observatory: one rig's simulated gear under one simulated sky."""

import errno
import os
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import Any

from vigil.devices.protocols import Devices
from vigil.documents.devicekinds import DEVICE_KINDS
from vigil.documents.rig import Rig
from vigil.documents.scenario import FaultKind, Scenario
from vigil.documents.store import parse
from vigil.runtime.clock import Clock
from vigil.runtime.workshop import Workshop
from vigil.simulator.evening import fresh_state, load_state
from vigil.simulator.faulty import Faulty
from vigil.simulator.gear import Gear
from vigil.simulator.looking import position_angle_deg
from vigil.simulator.quick import quick_frame
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
from vigil.simulator.simmount import SimMount
from vigil.simulator.simwheel import SimWheel


@dataclass(frozen=True, slots=True)
class Truth:
    """What really is, for tests and campaigns: nothing in a night reads it."""

    gear: Gear
    mount: SimMount
    camera: SimCamera
    guide_camera: SimCamera

    def pointing_deg(self) -> tuple[float, float]:
        """The true ICRS direction of the image's centre."""
        return self.mount.true_pointing_deg(self.gear.clock.utcnow())

    def position_angle_deg(self) -> float:
        """Of the main camera's rows, ICRS."""
        return position_angle_deg(self.gear, self.mount, self.gear.clock.utcnow())

    def focus(self, slot: int, at: datetime) -> tuple[float, float]:
        """Best drawtube position (steps) through a filter, and where it is."""
        return self.gear.best_focus_steps(slot, at), self.gear.state.drawtube_steps

    def sensor_c(self) -> float:
        return self.camera.sensor_c(self.gear.clock.utcnow())


class SimObservatory:
    """Builds the simulated devices over a shared, saved state."""

    def __init__(
        self,
        rig: Rig,
        seed: int,
        clock: Clock,
        workshop: Workshop,
        path: Path | None = None,
        scenario: Scenario | None = None,
        quick: bool = False,
    ) -> None:
        """With `quick` frames have no pixels, for the quick measurer. `path` keeps the gear's state; what
        an earlier keeper left there goes on, its scenario too."""
        if rig.simulated is None:
            raise ValueError(f"{rig.name} has no simulated part: its devices are not the sim observatory's")
        left = load_state(path)
        scenario = scenario or Scenario()
        if left is not None and left.scenario:
            scenario = parse(Scenario, left.scenario, "the scenario of the night under way")
        state = left or fresh_state(rig, seed, scenario)
        self._gear = Gear(rig, scenario, state, clock, workshop, path)
        mount = SimMount(self._gear)
        camera = SimCamera(self._gear, mount)
        guide_camera = SimCamera(self._gear, mount, guides=True)
        if quick:
            camera.draws = guide_camera.draws = quick_frame
        self._made: dict[str, Any] = {
            "camera": camera,
            "wheel": SimWheel(self._gear),
            "focuser": SimFocuser(self._gear),
            "mount": mount,
            "rotator": SimRotator(self._gear),
            "guide_camera": guide_camera,
            "panel": SimPanel(self._gear),
            "cover": SimShutter(self._gear, "cover"),
            "roof": SimShutter(self._gear, "roof"),
            "weather": SimWeather(self._gear),
            "safety": SimSafety(self._gear),
            "heaters": SimHeaters(self._gear),
            "power": SimPower(self._gear),
        }
        self.truth = Truth(self._gear, mount, camera, guide_camera)

    def take_rig(self, rig: Rig) -> None:
        """Another rig under the same sky: what people change by day."""
        self._gear.rig = rig

    @property
    def scenario(self) -> Scenario:
        return self._gear.scenario

    def change_scenario(self, scenario: Scenario) -> None:
        """The same scenario with other values, or with more faults at the end of its list, from now on."""
        self._gear.take_scenario(scenario)
        self._gear.save()

    def take_scenario(self, scenario: Scenario) -> None:
        """Another one altogether, from now on: what would have happened earlier in it has not."""
        gear = self._gear
        gear.take_scenario(scenario)
        gear.state.happened = gear.faults.begun_before(gear.minutes(gear.clock.utcnow()))
        gear.save()

    def disk_trouble(self) -> OSError | None:
        """What writing a frame would meet now."""
        minute = self._gear.minutes(self._gear.clock.utcnow())
        if self._gear.faults.active(FaultKind.DISK_FULL, None, minute):
            return OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))
        if self._gear.faults.active(FaultKind.DISK_GONE, None, minute):
            return OSError(errno.ENODEV, os.strerror(errno.ENODEV))
        return None

    @property
    def devices(self) -> Devices:
        """Those that the rig has."""
        wanted = [(name, DEVICE_KINDS[name].attribute) for name in self._gear.rig.device_names]
        return Devices(
            **{
                attribute: Faulty(self._made[attribute], name, self._gear)
                for name, attribute in wanted
                if attribute in self._made
            }
        )
