"""Open to the sky for flats, by daylight or twilight: the tube stands still on an even part of it, and is
shut and parked again whatever happens."""

import logging
from collections.abc import AsyncIterator, Callable, Sequence
from contextlib import asynccontextmanager, suppress

from vigil.devices.errors import DeviceError, Refused
from vigil.engine.activities.moves import slew_to, to_stored
from vigil.engine.activities.open import Open
from vigil.engine.activity import ActivityFailed, Kit
from vigil.engine.conditions.safe import Safe, sky_check
from vigil.engine.ending import to_the_end
from vigil.engine.flats.prepare import SENSORS
from vigil.engine.shutting import close_cover, close_roof, park
from vigil.planning.skyflats import FlatPlace
from vigil.sky.horizontal import unobserve
from vigil.sky.instants import from_datetimes

log = logging.getLogger(__name__)
_CALL_S, _TRIES, _PAUSE_S = 60.0, 5, 5.0


@asynccontextmanager
async def open_sky(
    kit: Kit, places: Callable[[], Sequence[FlatPlace]], cover_shuts: bool = True
) -> AsyncIterator[None]:
    """`places` says where to look, the best first, when it comes to that. Where a cloth lies on the telescope
    its cover is left as it is. Raises ActivityFailed for an unsafe sky or where there is no such place, and
    what devices raise."""
    await _need_safe(kit)
    if kit.devices.mount is not None and not places():
        raise ActivityFailed("no part of the sky that is even and away from the sun can be reached now")
    try:
        await _open(kit)
        await _look_at(kit, places)
        yield
    finally:
        await to_the_end(shut_again(kit, cover_shuts))


async def _need_safe(kit: Kit) -> None:
    if Safe.wanted(kit.rig):
        for device in kit.devices.all():
            if device.name in SENSORS:
                with suppress(DeviceError):  # one that is silent says nothing
                    await device.refresh()
        states = {d.name: d.state for d in kit.devices.all() if d.connected and d.state is not None}
        check = sky_check(kit.rig, states, kit.clock.utcnow(), held=False)
        if not check.met:
            raise ActivityFailed(f"nothing is opened: {check.words}")


async def _open(kit: Kit) -> None:
    for name, part in (("roof", kit.rig.roof), ("cover", kit.rig.cover)):
        if part is not None:
            await Open(name, part.moves_in_s).run(kit)


async def _look_at(kit: Kit, places: Callable[[], Sequence[FlatPlace]]) -> None:
    """The sky's own turning is what moves stars on from frame to frame: the mount doesn't track."""
    mount = kit.devices.mount
    if mount is None:
        return
    if mount.state is None or mount.state.parked:
        await mount.do("unpark", _CALL_S, lambda m: m.unpark())
    refused = "no place was found"
    for place in places():
        at, site = from_datetimes(kit.clock.utcnow()), kit.rig.site.place().airless()
        ra, dec = unobserve(place.hour_angle_deg, place.dec_deg, at, site)
        try:
            await slew_to(kit, float(ra) % 360, float(dec))
        except Refused as problem:
            refused = str(problem)
            continue
        await mount.do("stop tracking", _CALL_S, lambda m: m.track(False))
        await kit.step({"place": place.words}, f"looks {place.words}, standing still")
        return
    raise ActivityFailed(refused)


async def at_the_wall(kit: Kit, position: str) -> None:
    """The cover open, the telescope standing still before a panel on the wall; the roof stays as it is.
    Raises what devices raise, Refused also where the way there leads past the sun."""
    mount = kit.devices.named("mount")
    if mount.state is None or mount.state.parked:
        await mount.do("unpark", _CALL_S, lambda m: m.unpark())
    await to_stored(kit, position)
    if kit.rig.cover is not None:
        await Open("cover", kit.rig.cover.moves_in_s).run(kit)


async def shut_again(kit: Kit, cover: bool = True, roof: bool = True) -> None:
    """Each of them however often it takes; what doesn't shut keeps the others from nothing. Never raises: who
    guards the rig goes on trying."""
    parts = [("cover", close_cover)] if cover and kit.rig.cover is not None else []
    parts += [("mount", park)] if kit.rig.mount is not None else []
    parts += [("roof", close_roof)] if roof and kit.rig.roof is not None else []
    for name, do in parts:
        for number in range(_TRIES):
            try:
                await do(kit)
            except (DeviceError, ActivityFailed) as problem:
                log.warning("after flats of the sky: %s", problem)
                if number + 1 < _TRIES:
                    await kit.clock.sleep(_PAUSE_S)
            else:
                break
        else:
            with suppress(Exception):
                await kit.step({"open": name}, f"{name}: not shut or parked: see to it")
