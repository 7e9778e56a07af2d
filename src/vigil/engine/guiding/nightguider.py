"""A night's guider: guides beside everything else, gives way to whatever moves the mount, is begun again."""

import asyncio
import logging
import math
from collections import deque
from collections.abc import Callable, Coroutine, Sequence
from dataclasses import replace
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any

from vigil.devices.errors import DeviceError
from vigil.documents.guiding import GUIDE
from vigil.documents.rig.guider import GuiderPart
from vigil.engine.activity import ActivityFailed, Kit
from vigil.engine.arbiter import Arbiter, Lease, Mode, Urgency
from vigil.engine.guiding.guided import (
    Beginning,
    Calibrate,
    Guided,
    GuideFigures,
    Guides,
    GuideStanding,
    GuideWork,
)
from vigil.engine.guiding.loop import RECENT_FRAMES, SETTLING, Sample, told
from vigil.engine.measuring import MeasuringFailed
from vigil.guiding.settling import too_tight
from vigil.runtime.clock import Clock
from vigil.sky.angles import separation_deg

log = logging.getLogger(__name__)
_LAST_FRAMES = 5
_LOST_AFTER_S = 20.0
_REMEMBERED = 4000
"""Frames, for the figures of an exposure: two hours of short ones."""
_SAME_PLACE_ARCSEC = 120.0
_REST_LOOK_S = 0.5
_CLAIMS = {"guide camera": Mode.USED, "mount": Mode.PULSED}

Spawn = Callable[[Coroutine[Any, Any, None]], "asyncio.Task[None]"]


class NightGuider:
    """Less urgent than the night's activities: what claims the mount, or the guide camera, ends it, and the
    condition *guiding settled* begins it again. Cut off, no pulse is sent any more and the mount tracks
    on."""

    def __init__(
        self,
        kit: Callable[[], Kit],
        arbiter: Arbiter,
        clock: Clock,
        guides: Guides,
        folder: Path,
        tell: Callable[[dict[str, Any], str], None],
        sample: Callable[[str, dict[str, Any]], None],
        spawn: Spawn,
        side: Callable[[], str],
    ) -> None:
        self._kit, self._arbiter, self._clock, self._guides = kit, arbiter, clock, guides
        self._folder, self._tell, self._sample, self._spawn = folder, tell, sample, spawn
        self._side = side
        self._task: asyncio.Task[None] | None = None
        self._work: GuideWork | None = None
        self._why = "not begun yet"
        self._stopping = ""
        self._within: float | None = None
        self._recent: deque[Sample] = deque(maxlen=RECENT_FRAMES)
        self._offs: deque[tuple[datetime, float, float]] = deque(maxlen=_REMEMBERED)
        self._seen_at: datetime | None = None
        self._sent = (0.0, 0.0)
        self._stood_deg: tuple[float, float] | None = None
        self._calibrated = False
        self._rests_from: datetime | None = None

    # -- for conditions, activities and lights ------------------------------------------------------------

    def now(self) -> Guided:
        work, recent = self._work, self._recent
        sent = math.hypot(*self._sent)
        if self._task is None or work is None:
            standing = GuideStanding.OFF if self._task is None else GuideStanding.BEGINNING
            words = self._why if self._task is None else "guiding begins"
            return Guided(standing, words, sent_arcsec=sent, uncalibrated=self._uncalibrated())
        last = [(s.at, math.hypot(*s.error_arcsec) if s.error_arcsec else None) for s in recent]
        offs = [off for _, off in last[-_LAST_FRAMES:] if off is not None]
        error = _rms(offs) if offs else None
        standing = GuideStanding.SETTLED if work.settled else GuideStanding.SETTLING
        words = standing.value if error is None else f"{standing.value}, {error:.2f}″ off"
        since_s = (self._clock.utcnow() - self._seen_at).total_seconds() if self._seen_at else 0.0
        if since_s > _LOST_AFTER_S:
            standing, words = GuideStanding.LOST, f"no guide star for {since_s:.0f} s"
        return Guided(standing, words, error, work.within_arcsec, sent, recent=tuple(last))

    def figures(self, begins: datetime, lasts_s: float) -> GuideFigures | None:
        """Of an exposure; None where hardly a frame was taken meanwhile."""
        ends = begins + timedelta(seconds=lasts_s)
        offs = [(ra, dec) for at, ra, dec in self._offs if begins <= at <= ends]
        if not offs:
            return None
        return GuideFigures(_rms([ra for ra, _ in offs]), _rms([dec for _, dec in offs]), len(offs))

    def _uncalibrated(self) -> str:
        return self._guides.uncalibrated(self._kit().rig, self._folder)

    async def calibrated_here(self) -> str:
        await self._there()
        return await self._guides.calibrate(self._asked("always"))

    async def settled(self, calibrate: Calibrate, within_arcsec: float | None) -> str:
        self._within = within_arcsec
        if self._task is None:
            await self._started(calibrate)
        work, task = self._work, self._task
        if work is None or task is None:
            raise ActivityFailed(self._why)
        began = self._clock.utcnow()
        settling = asyncio.ensure_future(work.settle())
        try:
            await asyncio.wait({settling, task}, return_when=asyncio.FIRST_COMPLETED)
        finally:
            settling.cancel()
        if self._work is not work or not settling.done() or settling.cancelled():
            raise ActivityFailed(self._why)
        within = f" within {work.within_arcsec:.2f}″" if work.within_arcsec is not None else ""
        took_s = (self._clock.utcnow() - began).total_seconds()
        if not settling.result():
            given = self.now().error_arcsec
            why = too_tight(work.within_arcsec, given) if work.within_arcsec and given else ""
            raise ActivityFailed(f"not settled{within} in {took_s:.0f} s{why and f'; {why}'}")
        return f"settled{within} after {took_s:.0f} s"

    def dither(self, east_arcsec: float, north_arcsec: float) -> None:
        work = self._work
        if work is None:
            raise ActivityFailed(f"nothing guides: {self._why}")
        ra, dec = work.target_arcsec
        # a star stands where the telescope doesn't: to point north of here it must stand south of its place
        moved = [round(east_arcsec, 2), round(north_arcsec, 2)]
        words = f"the guide star is moved by {math.hypot(*moved):.1f}″"
        work.move((ra + east_arcsec, dec - north_arcsec), words, {"moved": moved})

    def rests_from(self, moment: datetime) -> None:
        """No guide frame is taken from a moment on, where the rig asks for that: the camera is read out."""
        guider = self._kit().rig.guider
        if guider is not None and guider.rests_while_reading:
            self._rests_from = moment

    def rests_no_more(self) -> None:
        if self._rests_from is not None and self._seen_at is not None:
            self._seen_at = self._clock.utcnow()  # nobody looked meanwhile: no star is lost
        self._rests_from = None

    def let_go(self, why: str) -> None:
        """No pulse is sent any more."""
        if self._task is not None and not self._stopping:
            self._stopping = why
            self._task.cancel()

    def close(self, why: str) -> None:
        """The night is over."""
        self.let_go(why)
        if (eye := self._kit().eye) is not None:
            eye.close()

    # -- the work -----------------------------------------------------------------------------------------

    async def _started(self, calibrate: Calibrate) -> None:
        """Raises nothing: whether it guides then `_work` says, and why not `_why`."""
        begun = asyncio.Event()
        wanted: Calibrate = "when needed" if calibrate == "always" and self._calibrated else calibrate
        task = self._task = self._spawn(self._guide(wanted, begun))
        try:
            await begun.wait()
        except asyncio.CancelledError:
            task.cancel()
            raise

    async def _guide(self, calibrate: Calibrate, begun: asyncio.Event) -> None:
        lease: Lease | None = None
        failed = False
        self._why, self._stopping, self._seen_at = "", "", None
        began = self._clock.utcnow()
        try:
            async with self._arbiter.claim(_CLAIMS, "guiding", Urgency.BENCH) as lease:
                self._forget_where_moved()
                await self._there()
                work = await self._guides.begin(self._asked(calibrate))
                self._calibrated = self._calibrated or calibrate == "always"
                self._work = work
                begun.set()
                await work.run()
        except asyncio.CancelledError:  # whoever cancelled it wants it over, and so it is
            gave_way = f"gave way to {lease.gave_way}" if lease is not None and lease.gave_way else ""
            self._why = gave_way or self._stopping or "stopped"
        except (ActivityFailed, DeviceError, MeasuringFailed) as problem:
            self._why, failed = str(problem), True
        except Exception as problem:
            log.exception("guiding failed")
            self._why, failed = f"an error in Vigil: {problem or type(problem).__name__}", True
        finally:
            ended, self._work, self._task = self._work, None, None
            self._remember_place()
            begun.set()
            self._tell_end(ended, failed, began)

    def _asked(self, calibrate: Calibrate) -> Beginning:
        async def tell(values: dict[str, Any], words: str) -> None:
            self._tell(values, words)

        return Beginning(
            replace(self._kit(), step=tell, side=self._side()),
            self._folder,
            calibrate,
            tell,
            self._sampled,
            self._recent,
            self._guider_now,
            self._rest,
        )

    async def _rest(self, exposure_s: float) -> None:
        """Before a guide frame that would reach into the readout."""
        while self._rests_from is not None and self._reaches_into_rest(exposure_s):
            await self._clock.sleep(_REST_LOOK_S)

    def _reaches_into_rest(self, exposure_s: float) -> bool:
        rests = self._rests_from
        return rests is not None and self._clock.utcnow() + timedelta(seconds=exposure_s) > rests

    def _guider_now(self) -> GuiderPart | None:
        """As the rig in force has it, with the plan's limit."""
        guider = self._kit().rig.guider
        if guider is None or self._within is None:
            return guider
        return guider.model_copy(update={"settle_within_arcsec": self._within})

    async def _there(self) -> None:
        """A camera that was torn out, and is back."""
        camera = self._kit().devices.named("guide camera")
        if not camera.connected:
            await camera.connect()

    def _sampled(self, sample: Sample) -> None:
        self._sample(GUIDE, told(sample))
        if sample.error_arcsec is None:
            return
        self._seen_at = sample.at
        if sample.mark != SETTLING:  # no frame is exposed meanwhile
            self._offs.append((sample.at, *sample.error_arcsec))
        sent = (p / 1000 * rate for p, rate in zip(sample.pulse_ms, sample.rates_arcsec_s, strict=True))
        ra, dec = sent
        self._sent = self._sent[0] + ra, self._sent[1] + dec

    def _forget_where_moved(self) -> None:
        """Corrections count since the mount was last sent somewhere."""
        mount = self._kit().devices.named("mount").state
        if mount is None or self._stood_deg is None:
            self._sent = (0.0, 0.0)
            return
        away = 3600 * float(separation_deg(mount.ra_deg, mount.dec_deg, *self._stood_deg))
        if away > _SAME_PLACE_ARCSEC:
            self._sent = (0.0, 0.0)

    def _remember_place(self) -> None:
        mount = self._kit().devices.named("mount").state
        self._stood_deg = (mount.ra_deg, mount.dec_deg) if mount is not None else None

    def _tell_end(self, work: GuideWork | None, failed: bool, began: datetime) -> None:
        """With the figures of what is remembered since it began. A star that had not settled is on its way,
        to the place of a dither as a rule: where the telescope points isn't what the night believes."""
        offs = [off for off in self._offs if off[0] >= began]
        values: dict[str, Any] = {"failed": failed, "frames": len(offs)}
        if work is not None and not work.settled:
            values["disturbed"] = ["pointing"]
        said = f"guiding ends: {self._why}" if work else f"guiding did not begin: {self._why}"
        if offs:
            ra, dec = _rms([off[1] for off in offs]), _rms([off[2] for off in offs])
            values |= {"ra_rms_arcsec": round(ra, 3), "dec_rms_arcsec": round(dec, 3)}
            said += f" ({len(offs)} frames, {math.hypot(ra, dec):.2f}″)"
        self._tell(values, said)


def _rms(values: Sequence[float]) -> float:
    return math.sqrt(sum(value * value for value in values) / len(values))
