"""Flats of a panel, a cloth by day or the twilight sky: searched, taken, with dark flats that match."""

import asyncio
import re
from collections.abc import AsyncIterator, Callable, Iterable, Mapping, Sequence
from contextlib import asynccontextmanager
from datetime import datetime, timedelta
from typing import Any

from vigil.documents.events import Event, Kind
from vigil.documents.flats import FLATS, FlatsWish
from vigil.documents.night import NotAllowed
from vigil.documents.rig import Rig
from vigil.documents.rig.beside import FlatPanelPart
from vigil.engine.activity import ActivityFailed, Kit
from vigil.engine.arbiter import Urgency
from vigil.engine.ending import to_the_end
from vigil.engine.errand import ErrandRecorder, ErrandRefused, PlainErrand, Workplace
from vigil.engine.flats.aslights import lights_had
from vigil.engine.flats.job import FlatsJob
from vigil.engine.flats.light import panel_light
from vigil.engine.flats.opensky import at_the_wall, open_sky, shut_again
from vigil.engine.flats.prepare import SENSORS, cold, connected, needed, put_away
from vigil.engine.flats.taking import FlatsTaking
from vigil.engine.flats.twilightjob import TwilightJob
from vigil.engine.focusing.bench import wished
from vigil.planning.skyflats import FlatPlace, SkyWindow, cloth_places, next_window, twilight_places
from vigil.planning.spans import site_time

_READY, _NOT, _PATIENCE = "it is", "leave it", timedelta(minutes=15)
_OTHER_AIR_C = 8.0
_MAY_CHANGE = frozenset(
    {"aim_percent", "low_percent", "high_percent", "windows", "least_exposure_s", "most_exposure_s", "count"}
    | {"dark_flats"}
)
_AHEAD, _OPENS_BEFORE = timedelta(hours=6), timedelta(minutes=6)
"""A twilight is waited for so long at most; roof and cover open so long before its first frame."""


class Flats(PlainErrand):
    """Cut off, the panel is switched off, frames that are there stay; after a crash it goes on with those
    that are missing."""

    KIND = FLATS
    URGENCY = Urgency.BENCH
    RESUMES = True
    HURRIES = True
    wish: FlatsWish
    _open_by_day = False
    _job: FlatsTaking | None = None

    @classmethod
    def asked_for(
        cls, place: Workplace, recorder: ErrandRecorder, asked: str, values: dict[str, Any]
    ) -> "Flats":
        rig = place.kit().rig
        wish = wished(FlatsWish, values)
        assert isinstance(wish, FlatsWish)
        cls.check(rig, wish)
        if wish.source == "twilight":
            cls._window(rig, wish, recorder.clock.utcnow())
        given = wish.model_dump(mode="json", exclude_defaults=True)
        names = wish.filters_in(rig.wheel)
        many = "a trial of each" if wish.trial else f"{wish.count} of each"
        words = f"flats through {', '.join(names)}: {many}" if names != [""] else f"flats: {many}"
        errand = cls(
            place, recorder, words, needed(rig, not wish.of_the_sky, wish.move, wish.of_the_sky), asked, given
        )
        errand.wish = wish
        return errand

    @staticmethod
    def check(rig: Rig, wish: FlatsWish) -> None:
        """Raises ErrandRefused for a rig that can't."""
        wanted: list[tuple[str, object]] = [("camera", rig.camera)]
        wanted += [("telescope", rig.telescope)] if wish.of_the_sky else [("flat panel", rig.panel)]
        missing = [words for words, part in wanted if part is None]
        if missing:
            raise ErrandRefused(f"{rig.name} has no {' and no '.join(missing)}: no flats")
        position = rig.panel.position if rig.panel is not None and not wish.of_the_sky else None
        known = [p.name for p in rig.mount.positions] if rig.mount is not None else []
        if position is not None and position not in known:
            raise ErrandRefused(f"{position!r}, where the panel is looked at from, is no stored position")
        if wish.source == "twilight" and wish.trial:
            raise ErrandRefused("the twilight sky waits for nobody: no trials of it, take the flats")
        there = rig.wheel.in_slots if rig.wheel else []
        unknown = [name for name in wish.filters if name not in there]
        if unknown:
            slots = f"it has {', '.join(there)}" if there else f"{rig.name} has no filter wheel"
            raise ErrandRefused(f"{', '.join(unknown)}: in no slot; {slots}")
        if wish.source == "panel" and rig.panel is not None and rig.panel.dimmed_by == "person":
            raise ErrandRefused(f"{rig.panel.name} is dimmed by a person, not by the computer")

    @staticmethod
    def _window(rig: Rig, wish: FlatsWish, now: datetime) -> SkyWindow:
        """Raises ErrandRefused where it is over, far away, or never comes."""
        window = next_window(rig, now, wish.when)
        if window is None:
            raise ErrandRefused("the sun passes no twilight here within two days")
        if wish.until is not None and window.ends > wish.until + timedelta(hours=1):
            raise ErrandRefused(f"the twilight that was chosen is over since {site_time(wish.until, rig)}")
        if window.begins > now + _AHEAD:
            hours = (window.begins - now).total_seconds() / 3600
            raise ErrandRefused(
                f"the next {window.when} begins at {site_time(window.begins, rig)}, in {hours:.0f} h: ask "
                f"for it within {_AHEAD.total_seconds() / 3600:.0f} h"
            )
        return window

    def wants_daylight(self, now: datetime) -> bool:
        return self._open_by_day

    def tell(self, values: dict[str, Any]) -> str:
        """Other windows, exposures or counts for what is still to come."""
        other = set(values) - _MAY_CHANGE
        if other or not values:
            raise NotAllowed(f"while flats are taken {', '.join(sorted(_MAY_CHANGE))} can be changed")
        try:
            wish = wished(FlatsWish, {**self.wish.model_dump(), **values})
        except ErrandRefused as refused:
            raise NotAllowed(str(refused)) from None
        assert isinstance(wish, FlatsWish)
        self.wish = wish
        if self._job is not None:
            self._job.wish = wish.at_binning(self._job.wish.binning)
        noting = asyncio.ensure_future(self.step({"changed": values}, "changed while it runs"))
        self._telling.add(noting)  # after a crash it goes on with what was changed
        noting.add_done_callback(self._telling.discard)
        return "in force from the next frame on; filters that could not be done are tried again at their turn"

    async def work(self, kit: Kit) -> dict[str, Any]:
        await connected(kit, self.claims | (SENSORS if self.wish.of_the_sky else frozenset()))
        if self.wish.source == "twilight":
            return self._end_of(await self._twilight(kit))
        if self.wish.source == "cloth":
            return self._end_of(await self._cloth(kit))
        return self._end_of(await self._panel(kit))

    async def _panel(self, kit: Kit) -> list[FlatsTaking]:
        panel = kit.rig.panel
        assert panel is not None, "asked for before"
        by_person = self.wish.source == "person" or panel.dimmed_by == "person"
        async with panel_light(kit, by_person) as light:
            if panel.placed == "by hand":
                await self._ask(
                    kit, f"Lay {panel.name} on the telescope, cap off, no other light: is it ready?"
                )
            async with self._before_panel(kit, panel):
                common, jobs = await self._common(kit), list[FlatsTaking]()
                for binning in self.wish.each_binning:
                    self._job = job = FlatsJob(**{**common, **self._at(binning)}, light=light)
                    jobs.append(job)
                    await job.take_flats()
                    await job.take_dark_flats()
        return jobs

    def _at(self, binning: int) -> dict[str, Any]:
        return {"wish": self.wish.at_binning(binning), "several": len(self.wish.each_binning) > 1}

    @asynccontextmanager
    async def _before_panel(self, kit: Kit, panel: FlatPanelPart) -> AsyncIterator[None]:
        """Parked, or where the panel stands on a wall looking at it with the cover open; parked and covered
        again afterwards."""
        if not self.wish.move:
            yield
            return
        # a panel laid on by hand lies on the open telescope
        await put_away(kit, cover=panel.placed != "by hand")
        if panel.position is None:
            yield
            return
        self._open_by_day = True
        try:
            await at_the_wall(kit, panel.position)
            yield
        finally:
            await to_the_end(shut_again(kit, roof=False))
            self._open_by_day = False

    async def _cloth(self, kit: Kit) -> list[FlatsTaking]:
        """By day the tube looks away from the sun, a cloth on it; the roof is shut for the dark flats."""
        common, binnings = await self._common(kit), self.wish.each_binning
        jobs = [FlatsJob(**{**common, **self._at(b)}, source="cloth") for b in binnings]
        async with self._by_day(kit, lambda: cloth_places(kit.rig, kit.clock.utcnow()), cover_shuts=False):
            await self._ask(
                kit,
                "Lay the cloth smooth on the telescope, cap off, lamps and infrared lights off: is it ready?",
            )
            for job in jobs:
                self._job = job
                job.wish = self.wish.at_binning(job.wish.binning)  # what was changed meanwhile
                await job.take_flats()
        question = "Cloth off and the telescope covered: is no light in it?"
        await self._in_the_dark(kit, jobs, question, True)
        return list(jobs)

    async def _twilight(self, kit: Kit) -> list[FlatsTaking]:
        window = self._window(kit.rig, self.wish, kit.clock.utcnow())
        await kit.step(
            {"window": {"when": window.when, "until": window.ends.isoformat()}}, f"of the {window.when}"
        )
        self._job = job = TwilightJob(**await self._common(kit), window=window)
        await job.measure_camera()
        await self._until_its_turn(kit, job)
        async with self._by_day(kit, lambda: twilight_places(kit.rig, kit.clock.utcnow())):
            await job.take_flats()
        asks = kit.rig.cover is None
        await self._in_the_dark(kit, [job], "Cover the telescope: is no light in it?", asks)
        return [job]

    async def _until_its_turn(self, kit: Kit, job: TwilightJob) -> None:
        """Shut and parked until shortly before the first frame."""
        first = job.first()
        if first is None:
            return
        opens = job.at(first.at_s) - _OPENS_BEFORE
        wait_s = (opens - kit.clock.utcnow()).total_seconds()
        if wait_s > 0:
            begins = site_time(job.at(first.at_s), kit.rig)
            words = f"{first.name or 'the first frame'} is expected at {begins}; "
            words += f"opens at {site_time(opens, kit.rig)}"
            await kit.step({"first": first.name, "opens": opens.isoformat()}, words)
            kit.progress.run("twilight", words, wait_s)
            await kit.clock.sleep(wait_s)

    @asynccontextmanager
    async def _by_day(
        self, kit: Kit, places: Callable[[], Sequence[FlatPlace]], cover_shuts: bool = True
    ) -> AsyncIterator[None]:
        """Open, and left open by the guards though it isn't night; where nothing moves a person has seen to
        that."""
        if not self.wish.move:
            yield
            return
        self._open_by_day = True
        try:
            async with open_sky(kit, places, cover_shuts):
                yield
        finally:
            self._open_by_day = False

    async def _in_the_dark(self, kit: Kit, jobs: Sequence[FlatsTaking], question: str, asks: bool) -> None:
        """Dark flats, after a person's word where the rig can't see to the dark itself; none without it."""
        if not jobs[0].dark_flats_wanted or self.wish.trial:
            return
        try:
            if asks or not self.wish.move:
                await self._ask(kit, question, "no dark flats are taken")
        except ActivityFailed as nobody:
            await kit.step({"no_dark_flats": True}, f"no dark flats: {nobody}")
            return
        for job in jobs:
            await job.take_dark_flats()

    async def _common(self, kit: Kit) -> dict[str, Any]:
        """What every job is made with; the camera is cold then."""
        folder = self._place.calibration or self._place.folder / "calibration"
        set_point_c = await cold(kit)
        looked_in = [*self._place.looked_in, folder]
        had = await self._place.workshop.run(lights_had, looked_in, kit.rig)
        focuser = kit.devices.focuser.state if kit.devices.focuser else None
        warmer_c = had.warmer_c(focuser.temperature_c if focuser is not None else None)
        if warmer_c is not None and abs(warmer_c) > _OTHER_AIR_C:
            words = (
                f"it is {abs(warmer_c):.0f} °C {'warmer' if warmer_c > 0 else 'colder'} than with the lights"
            )
            await kit.step(
                {"warmer_c": round(warmer_c, 1)}, f"{words}: focus, and with it dust, may stand elsewhere"
            )
        return {
            "kit": kit,
            "wish": self.wish,
            "workshop": self._place.workshop,
            "folder": folder,
            "set_point_c": set_point_c,
            "had": had,
        }

    async def _ask(self, kit: Kit, words: str, otherwise: str = "no flats are taken") -> None:
        """Raises ActivityFailed without a yes."""
        if self.wish.ready:
            return
        async with kit.questions.ask(words, (_READY, _NOT), _PATIENCE, otherwise) as question:
            if await question.wait(kit.clock.utcnow() + _PATIENCE) != _READY:
                raise ActivityFailed(f"{otherwise}: nobody has said yes to “{words}”")

    def _end_of(self, jobs: Sequence[FlatsTaking]) -> dict[str, Any]:
        """Raises ActivityFailed where not one filter could be done."""

        def all_of(of: Callable[[FlatsTaking], Mapping[str, Any]]) -> dict[str, Any]:
            return {job.label(name): value for job in jobs for name, value in of(job).items()}

        advice, failed = all_of(lambda job: job.advice), all_of(lambda job: job.failed)
        impossible = {name: one.reason for name, one in advice.items() if not one.feasible}
        have, dark = all_of(lambda job: job.have), all_of(lambda job: job.have_dark)
        faults, trials = all_of(lambda job: job.faults), sum(len(job.trials) for job in jobs)
        figures = {
            "flats": have,
            "dark_flats": dark,
            "impossible": list(impossible),
            "failed": failed,
            "leaks": [job.label(name) for job in jobs for name in job.leaks],
            "faults": faults,
            "trials": trials,
        }
        if self.wish.trial:
            words = f"{trials} trials: {len(advice) - len(impossible)} of {len(advice)} can be done"
        else:
            words = f"{sum(have.values())} flats and {sum(dark.values())} dark flats"
        words += _by_reason(impossible) + _by_reason(failed)
        words += _by_reason({name: "; ".join(found) for name, found in faults.items()})
        if advice and len(impossible) + len(failed) == len(advice):
            raise ActivityFailed(words, figures=figures)
        return {**figures, "summary": words}

    @classmethod
    def goes_on(cls, given: dict[str, Any], events: Iterable[Event]) -> dict[str, Any]:
        """What is asked for after a crash: the same, less what is there, from what was found."""
        have, dark = dict(given.get("have", {})), dict(given.get("have_dark", {}))
        # whether a cloth still lies there is for a person to say, before the light and after it
        ready = given.get("source") != "cloth"
        found, taken = dict(given.get("found", {})), list(given.get("taken_s", ()))
        for event in events:
            if event.kind is not Kind.ERRAND_STEP:
                continue
            for one in event.values.get("advice", []):
                if one["feasible"]:
                    found[one["filter"]] = [one["level"], one["exposure_s"]]
            given = {**given, **event.values.get("changed", {})}
            if "window" in event.values:
                given = {
                    **given,
                    "when": event.values["window"]["when"],
                    "until": event.values["window"]["until"],
                }
            frame = event.values.get("frame")
            if frame and frame["kept"] and frame["kind"] == "flat" and not frame["level"]:
                taken.append(frame["exposure_s"])
            if frame and frame["kept"]:
                (have if frame["kind"] == "flat" else dark)[frame["filter"]] = frame["have"]
                if frame["kind"] == "flat" and frame["level"]:
                    found[frame["filter"]] = [frame["level"], frame["exposure_s"]]
        return {**given, "have": have, "have_dark": dark, "found": found, "taken_s": taken, "ready": ready}


def _by_reason(reasons: Mapping[str, str]) -> str:
    """Short, filters of a kind together: what each shows has been told before. One alone says all of it."""
    if len(reasons) == 1:
        ((name, reason),) = reasons.items()
        return f"; {name or 'no filter'}: {reason}"
    groups: dict[str, list[str]] = {}
    for name, reason in reasons.items():
        head = re.split(r"[:;]|\d", reason, maxsplit=1)[0].strip(" ,")
        groups.setdefault(head or reason, []).append(name)
    return "".join(f"; {', '.join(names)}: {head}" for head, names in groups.items())
