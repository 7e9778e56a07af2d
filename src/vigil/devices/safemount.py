"""A mount that goes no way which its rig or the sun forbids: stands before every mount, simulated or real."""

from collections.abc import Callable
from datetime import datetime

from vigil.devices.errors import DeviceError, Refused
from vigil.devices.protocols import Capabilities, Mount, MountState
from vigil.devices.ways import Place, keep_at, way, worse
from vigil.documents.rig import Rig
from vigil.sky.horizontal import observe, unobserve
from vigil.sky.instants import from_datetimes

_AHEAD_S = 8.0
"""A motion by hand is looked at so far ahead; the guard stops one that goes on."""
_POLAR_PARK = (-90.0, 89.0)
"""Along the polar axis, where the rig names no park position."""


class SafeMount:
    """Passes everything on; of what moves, only what may be."""

    def __init__(self, mount: Mount, rig: Rig, now: Callable[[], datetime]) -> None:
        self._mount, self._rig, self._now = mount, rig, now
        self._last: MountState | None = None

    @property
    def reads_at_once(self) -> bool:
        return getattr(self._mount, "reads_at_once", False) is True

    async def connect(self) -> None:
        await self._mount.connect()

    async def disconnect(self) -> None:
        await self._mount.disconnect()

    async def capabilities(self) -> Capabilities:
        return await self._mount.capabilities()

    async def read(self) -> MountState:
        self._last = await self._mount.read()
        return self._last

    async def unpark(self) -> None:
        await self._mount.unpark()

    async def track(self, on: bool) -> None:
        await self._mount.track(on)

    async def sync(self, ra_deg: float, dec_deg: float) -> None:
        await self._mount.sync(ra_deg, dec_deg)

    async def pulse(self, direction: str, duration_ms: int) -> None:
        await self._mount.pulse(direction, duration_ms)

    async def stop(self) -> None:
        await self._mount.stop()

    async def slew(self, ra_deg: float, dec_deg: float) -> None:
        """Straight, or round what is in the way. Raises Refused."""
        here = await self._here()
        for place in way(keep_at(self._rig, self._now()), here, self._seen(ra_deg, dec_deg))[:-1]:
            await self._mount.slew(*self._on_sky(place))
        await self._mount.slew(ra_deg, dec_deg)

    async def park(self) -> None:
        """By a way round the sun where there is one. Raises Refused where there is none."""
        mount = self._rig.mount
        stored = mount.position(mount.park) if mount is not None and mount.park is not None else None
        end = (stored.hour_angle_deg, stored.dec_deg) if stored else _POLAR_PARK
        if stored is None and self._rig.site.latitude_deg < 0:
            end = (end[0], -end[1])
        here = await self._here()
        if not (self._last is not None and self._last.parked):
            for place in way(keep_at(self._rig, self._now()), here, end, parks=True)[:-1]:
                await self._mount.slew(*self._on_sky(place))
        await self._mount.park()

    async def move_axis(self, axis: int, rate_deg_s: float) -> None:
        if rate_deg_s:
            ha, dec = await self._here()
            far = rate_deg_s * _AHEAD_S
            then = (ha + far, dec) if axis == 0 else (ha, max(-90.0, min(90.0, dec + far)))
            fault = worse(keep_at(self._rig, self._now()), (ha, dec), then)
            if fault is not None:
                raise Refused(f"mount: {fault.replace('the way there', 'this move')}")
        await self._mount.move_axis(axis, rate_deg_s)

    async def _here(self) -> Place:
        """Where it is now; a read that fails leaves the last one."""
        try:
            state = await self.read()
        except DeviceError:
            if self._last is None:
                raise
            state = self._last
        return self._seen(state.ra_deg, state.dec_deg)

    def _seen(self, ra_deg: float, dec_deg: float) -> Place:
        seen = observe(ra_deg, dec_deg, from_datetimes(self._now()), self._rig.site.place().airless())
        return float(seen.hour_angle_deg), float(seen.dec_deg)

    def _on_sky(self, place: Place) -> tuple[float, float]:
        ra, dec = unobserve(*place, from_datetimes(self._now()), self._rig.site.place().airless())
        return float(ra) % 360, float(dec)
