"""What darks the lights still lack, taken at a night's end while the camera is cold."""

from dataclasses import asdict, dataclass
from datetime import timedelta
from pathlib import Path

from vigil.documents.flats import DarkSet
from vigil.engine.activity import ActivityFailed, Kit
from vigil.engine.flats.darksjob import DarksJob
from vigil.files.madeframes import made_frames
from vigil.levels.matching import Wanted, cover
from vigil.levels.wantedsets import sets_wanted
from vigil.runtime.workshop import Workshop

_SAME_C = 1.0


@dataclass(frozen=True, slots=True)
class Library:
    """Where calibration frames are kept, and the folders that are looked in for frames."""

    workshop: Workshop
    calibration: Path
    looked_in: tuple[Path, ...]


async def darks_at_end(kit: Kit, library: Library, minutes: float) -> str:
    """Of the sets that lights lack those at the temperature that the sensor has now, for so long at most.
    Returns in words what there is. Raises ActivityFailed where nothing keeps the light out, DeviceError,
    OSError."""
    shut = [kit.devices.cover, kit.devices.roof]
    if not any(s is not None and s.state is not None and s.state.shutter == "closed" for s in shut):
        raise ActivityFailed("no darks: neither cover nor roof is shut")
    until = kit.clock.utcnow() + timedelta(minutes=minutes)
    sets = [one for one in await library.workshop.run(_wanted, library.looked_in) if _as_cold(kit, one)]
    if not sets:
        return "no darks are missing that could be taken at this temperature"
    job = DarksJob(kit, library.workshop, library.calibration, sets, until=until)
    await job.take()
    taken, wanted = sum(job.have.values()), sum(one.count for one in sets)
    left = "" if taken >= wanted else f" of {wanted}: the time was over"
    return f"{taken} darks and bias frames{left}" + "".join(f"; {leak}" for leak in job.leaks)


def _wanted(folders: tuple[Path, ...]) -> list[DarkSet]:
    found = cover(made_frames(folder for folder in folders if folder.exists()), Wanted())
    return [DarkSet(**asdict(one)) for one in sets_wanted(found)]


def _as_cold(kit: Kit, one: DarkSet) -> bool:
    """The camera isn't cooled again for them."""
    state = kit.devices.camera.state if kit.devices.camera is not None else None
    there = state.set_point_c if state is not None else None
    return one.temperature_c is None or there is None or abs(one.temperature_c - there) <= _SAME_C
