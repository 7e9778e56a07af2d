"""What the night sees when it looks ahead: the choice, its conditions, how long before a span to begin."""

from collections.abc import Callable, Iterable
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any

from vigil.devices.supervised import SupervisedDevices
from vigil.documents.devicekinds import names_of
from vigil.documents.night import PutOff, RunState
from vigil.documents.plan import Block, ExposureLine, NightPlan, of_wanted
from vigil.documents.polar import PolarRecord
from vigil.documents.rig import Rig
from vigil.engine.averaging import Averaged
from vigil.engine.check import Check, Condition, Standing
from vigil.engine.conditions import conditions_for
from vigil.engine.conditions.disk import RESERVE_BYTES
from vigil.engine.conditions.safe import Safe, sky_check
from vigil.engine.guiding.guided import Guided
from vigil.engine.recorder import NightRecorder
from vigil.engine.remedy import Do
from vigil.engine.view import View
from vigil.engine.wanted import light_wanted, orders_for
from vigil.planning.choice import Candidate, Finished, Wait, choose
from vigil.planning.daylight import sun_altitude_deg
from vigil.planning.spans import line_intervals, site_time
from vigil.planning.spells import Interval
from vigil.runtime.folders import free_bytes, unwritable
from vigil.sky.events import sun_crossings

_LEAD_FACTOR = 1.25
_LEAD_SPARE = timedelta(minutes=1)
_ROOM_LOOK = timedelta(seconds=20)
_WHOLE_NIGHT = timedelta(days=1)


class Outlook:
    """Read-only questions about plan, state, devices and sky at a moment."""

    def __init__(
        self,
        plan: NightPlan,
        rig: Rig,
        devices: SupervisedDevices,
        recorder: NightRecorder,
        frames_folder: Path,
        taken: Callable[[str], int],
        at: datetime,
        disk_trouble: Callable[[], OSError | None] = lambda: None,
        guided: Callable[[], Guided | None] = lambda: None,
        polar: Callable[[], PolarRecord | None] = lambda: None,
    ) -> None:
        self._plan = plan
        self._rig = rig
        self._devices = devices
        self._recorder = recorder
        self._frames_folder = frames_folder
        self._disk_trouble = disk_trouble
        self._guided, self._polar = guided, polar
        self._taken = taken
        self._begun = at
        self._room: tuple[datetime, int, str] | None = None
        self._disk_suspect = False
        self.tube = Averaged()
        self._spans: dict[str, tuple[Interval, ...]] = line_intervals(plan, rig, at)

    def take_rig(self, rig: Rig) -> None:
        """Only values that leave the spans as they are."""
        self._rig = rig

    def take_plan(self, plan: NightPlan) -> None:
        """An edited plan: its spans are those of the night that began."""
        self._plan = plan
        self._spans = line_intervals(plan, self._rig, self._begun)

    def conditions(self, block: Block) -> tuple[Condition, ...]:
        """Those of a block's exposures, and its steps, in the plan's order."""
        return conditions_for(self._rig, self._plan, block)

    def condition(self, name: str, block: Block) -> Condition | None:
        """The one of a name; None where the rig or the plan has none of it."""
        return next((c for c in self.conditions(block) if c.name == name), None)

    def choice(self, now: datetime, lead: timedelta | None = None) -> Candidate | Wait | Finished:
        """What to expose next; by default with the lead that the unmet conditions need."""
        soon = self._choose(now, lead or timedelta(0))
        if lead is not None or not isinstance(soon, Wait):
            return soon
        return self._choose(now, self.lead(now))

    def _choose(
        self, now: datetime, lead: timedelta, put_off: dict[str, PutOff] | None = None
    ) -> Candidate | Wait | Finished:
        state = self._recorder.state
        return choose(
            self._plan,
            self._spans,
            self._taken,
            state.given_up,
            now,
            lead,
            state.first,
            state.block,
            state.put_off if put_off is None else put_off,
            self._readout_s,
        )

    def _readout_s(self, line: ExposureLine) -> float:
        return self._rig.readout_s(line.binning)

    def after(self, candidate: Candidate, now: datetime) -> tuple[datetime, str]:
        """When the candidate's frame will be read out, and in words what follows then."""

        def taken(line_id: str) -> int:
            return self._taken(line_id) + (line_id == candidate.line.id)

        _, end = self.exposure_times(candidate, now)
        state = self._recorder.state
        following = choose(
            self._plan,
            self._spans,
            taken,
            state.given_up,
            end,
            first=state.first,
            current=candidate.block.id,
            put_off=state.put_off,
            readout_s=self._readout_s,
        )
        if isinstance(following, Candidate):
            line = following.line
            words = line.filter or line.words
            return end, f"{following.block.target.name} · {words} {of_wanted(line, following.number)}"
        if isinstance(following, Wait):
            return end, f"{following.because} ({site_time(following.until, self._rig)})"
        return end, f"the closing: {following.because}"

    def last_closing(self, otherwise: datetime) -> datetime:
        """When the last span of the night closes."""
        return max((i.closes for spans in self._spans.values() for i in spans), default=otherwise)

    def unsafe(self, now: datetime) -> str | None:
        """In words, while the rig's sensors don't say that the sky is safe; None without sensors."""
        if not Safe.wanted(self._rig):
            return None
        check = self.safety(now)
        return None if check.met else check.words

    def safety(self, now: datetime) -> Check:
        """What the rig's sensors say."""
        held = self._recorder.state.run is RunState.HELD
        return sky_check(self._rig, self._states(), now, held)

    def lost_sensors(self) -> list[str]:
        """Sensors of the rig that aren't connected, by name."""
        return self._missing(names_of(lambda kind: kind.senses_safety))

    def lost_guarded(self) -> list[str]:
        """What the guards need and isn't connected, by name: sensors, and whatever may stand open or
        track."""
        return self._missing(sorted(names_of(lambda kind: kind.guarded)))

    def _missing(self, names: Iterable[str]) -> list[str]:
        states = self._states()
        return [name for name in names if name in self._rig.device_names and name not in states]

    def _states(self) -> dict[str, Any]:
        return {device.name: device.state for device in self._devices.all() if device.connected}

    def view(self, candidate: Candidate, now: datetime) -> View:
        room, trouble = self._disk(now)
        return View(
            at=now,
            rig=self._rig,
            orders=orders_for(candidate.block, self._plan),
            night=self._recorder.state,
            wanted=light_wanted(candidate, self._rig, self._plan),
            states=self._states(),
            free_bytes=room,
            tube_c=self.tube_c(),
            sun_under=lambda altitude_deg: self.sun_under(now, altitude_deg),
            disk_trouble=trouble,
            guided=self._guided(),
            polar=self._recorder.state.polar or self._polar(),
        )

    def tube_c(self) -> float | None:
        """The focuser's temperature, averaged as the plan says."""
        return self.tube.over(self._plan.orders.focus_averaged_min)

    def disk_failed(self) -> None:
        """A frame could not be written: from now on the disk is trusted again only once something can be."""
        self._disk_suspect, self._room = True, None

    def disk_check(self, now: datetime) -> Check:
        """Whether frames can be written, whatever comes next; how much room one needs its condition says."""
        room, words = self._disk(now)
        if words:
            return Check(Standing.NOT_MET, words)
        return Check(Standing.MET if room > RESERVE_BYTES else Standing.NOT_MET, f"{room / 1e9:.2f} GB free")

    def disk_words(self, now: datetime) -> str:
        """Why frames can't be written; "" when they can."""
        return self._disk(now)[1]

    def _disk(self, now: datetime) -> tuple[int, str]:
        """Bytes free where the frames go, and what stands against writing there. Looked at now and then."""
        trouble = self._disk_trouble()
        if trouble is not None:
            self._room = None
            return 0, f"{self._frames_folder} can't be written ({trouble.strerror})"
        if self._room is None or not timedelta(0) <= now - self._room[0] < _ROOM_LOOK:
            words = ""
            if self._disk_suspect:
                words = unwritable(self._frames_folder) or ""
                self._disk_suspect = bool(words)
            try:
                room = free_bytes(self._frames_folder)
            except OSError as problem:
                room, words = 0, f"{self._frames_folder} can't be read ({problem.strerror or problem})"
            self._room = now, room, words
        return self._room[1], self._room[2]

    def exposure_times(self, candidate: Candidate, now: datetime) -> tuple[datetime, datetime]:
        """First photon and end of the readout, if it began as soon as it may."""
        start = max(now, candidate.opens)
        readout_s = self._rig.readout_s(candidate.line.binning)
        return start, start + timedelta(seconds=candidate.line.exposure_s + readout_s)

    def lead(self, now: datetime) -> timedelta:
        """How long before a span its conditions are begun: what isn't met now, added up, with a margin."""
        # of a block that is put off too: until when is for the choice to reckon with
        choice = self._choose(now, _WHOLE_NIGHT, {})
        if not isinstance(choice, Candidate):
            return timedelta(0)
        view = self.view(choice, now)
        one_by_one_s, beside_s = 0.0, 0.0
        for condition in self.conditions(choice.block):
            if condition.check(view, choice.opens, choice.opens).met:
                continue
            remedy = condition.remedy(view)
            if not isinstance(remedy, Do):
                continue
            if condition.slow:
                beside_s = max(beside_s, remedy.activity.expected_s)
            else:
                one_by_one_s += remedy.activity.expected_s
        return timedelta(seconds=_LEAD_FACTOR * max(one_by_one_s, beside_s)) + _LEAD_SPARE

    def checks(self, now: datetime) -> list[dict[str, Any]]:
        """Every condition of the next exposure as it stands, for clients."""
        choice = self._choose(now, _WHOLE_NIGHT, {})  # of a block that is put off too: why, these say
        if not isinstance(choice, Candidate):
            return []
        view = self.view(choice, now)
        times = self.exposure_times(choice, now)
        return [c.check(view, *times).told(c.name) for c in self.conditions(choice.block)]

    def sun_under(self, now: datetime, altitude_deg: float) -> datetime | None:
        """When the sun will have sunk under an altitude; None while it has."""
        if sun_altitude_deg(self._rig.site, now) <= altitude_deg:
            return None
        found = sun_crossings(now, now + _WHOLE_NIGHT, self._rig.site.place(), altitude_deg)
        return next((c.at for c in found if not c.upward), now + _WHOLE_NIGHT)
