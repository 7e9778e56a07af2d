"""The sim observatory as a night's equipment: where engine, devices and simulator meet."""

from dataclasses import replace
from pathlib import Path

from vigil.devices.protocols import Devices
from vigil.devices.safemount import SafeMount
from vigil.devices.supervised import SupervisedDevices
from vigil.documents.rig import Rig
from vigil.documents.scenario import Scenario
from vigil.engine.arbiter import Arbiter
from vigil.engine.equipment import Equipment
from vigil.engine.guiding.beginning import FrameGuides
from vigil.engine.guiding.eye import GuideEye, PixelEye
from vigil.engine.guiding.guided import Guides
from vigil.engine.measuring import Measurer, PixelMeasurer
from vigil.runtime.clock import Clock
from vigil.runtime.folders import cache_folder, own_catalogue_folder
from vigil.runtime.workshop import Workshop
from vigil.simulator.observatory import SimObservatory


def seed_of(rig: Rig, wanted: int | None, scenario: Scenario) -> int:
    """The seed asked for, else the scenario's, else the rig's own."""
    own = rig.simulated.seed if rig.simulated else 0
    return next(seed for seed in (wanted, scenario.seed, own) if seed is not None)


def _safe(devices: Devices, rig: Rig, clock: Clock) -> Devices:
    """With a mount that goes no forbidden way, whatever drives it."""
    if devices.mount is None:
        return devices
    return replace(devices, mount=SafeMount(devices.mount, rig, clock.utcnow))


def equip(
    rig: Rig,
    observatory: SimObservatory,
    clock: Clock,
    workshop: Workshop,
    frames_folder: Path,
    rescue_folder: Path,
    devices: Devices | None = None,
    measurer: Measurer | None = None,
    eye: GuideEye | None = None,
    guides: Guides | None = None,
) -> Equipment:
    """Measured on pixels where no other `measurer` is given; the engine never learns that the sky is made up.
    `devices` in place of the observatory's own are for tests."""

    def bare_devices(changed: Rig) -> Devices:
        observatory.take_rig(changed)
        return _safe(observatory.devices, changed, clock)

    return Equipment(
        rig=rig,
        devices=SupervisedDevices(_safe(devices or observatory.devices, rig, clock)),
        clock=clock,
        workshop=workshop,
        measurer=measurer or PixelMeasurer(workshop, cache_folder(), own_catalogue_folder()),
        frames_folder=frames_folder,
        rescue_folder=rescue_folder,
        eye=eye or PixelEye(workshop.inline),
        guides=guides or FrameGuides(),
        arbiter=Arbiter(),
        bare_devices=bare_devices,
        disk_trouble=observatory.disk_trouble,
    )
