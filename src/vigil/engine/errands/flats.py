"""Flats of a panel, by day or by night: searched, taken, with dark flats that match."""

from collections.abc import Iterable
from datetime import timedelta
from typing import Any

from vigil.documents.events import Event, Kind
from vigil.documents.flats import FLATS, FlatsWish
from vigil.documents.rig import Rig
from vigil.engine.activity import ActivityFailed, Kit
from vigil.engine.arbiter import Urgency
from vigil.engine.errand import ErrandRecorder, ErrandRefused, PlainErrand, Workplace
from vigil.engine.flats.job import FlatsJob, filters_of
from vigil.engine.flats.light import panel_light
from vigil.engine.flats.prepare import cold, connected, needed, put_away
from vigil.engine.focusing.bench import wished

_READY, _NOT, _PATIENCE = "it is", "leave it", timedelta(minutes=15)


class Flats(PlainErrand):
    """Cut off, the panel is switched off, frames that are there stay; after a crash it goes on with those
    that are missing."""

    KIND = FLATS
    URGENCY = Urgency.BENCH
    RESUMES = True
    wish: FlatsWish

    @classmethod
    def asked_for(
        cls, place: Workplace, recorder: ErrandRecorder, asked: str, values: dict[str, Any]
    ) -> "Flats":
        rig = place.kit().rig
        wish = wished(FlatsWish, values)
        assert isinstance(wish, FlatsWish)
        cls.check(rig, wish)
        given = wish.model_dump(mode="json", exclude_defaults=True)
        names = filters_of(rig, wish)
        many = "a trial of each" if wish.trial else f"{wish.count} of each"
        words = f"flats through {', '.join(names)}: {many}" if names != [""] else f"flats: {many}"
        errand = cls(place, recorder, words, needed(rig, True, wish.move), asked, given)
        errand.wish = wish
        return errand

    @staticmethod
    def check(rig: Rig, wish: FlatsWish) -> None:
        """Raises ErrandRefused for a rig that can't."""
        missing = [
            words for words, part in (("camera", rig.camera), ("flat panel", rig.panel)) if part is None
        ]
        if missing:
            raise ErrandRefused(f"{rig.name} has no {' and no '.join(missing)}: no flats")
        there = [f.name for f in rig.wheel.filters if f.slot is not None] if rig.wheel else []
        unknown = [name for name in wish.filters if name not in there]
        if unknown:
            slots = f"it has {', '.join(there)}" if there else f"{rig.name} has no filter wheel"
            raise ErrandRefused(f"{', '.join(unknown)}: in no slot; {slots}")
        if wish.source == "panel" and rig.panel is not None and rig.panel.dimmed_by == "person":
            raise ErrandRefused(f"{rig.panel.name} is dimmed by a person, not by the computer")

    async def work(self, kit: Kit) -> dict[str, Any]:
        wish, panel = self.wish, kit.rig.panel
        assert panel is not None, "asked for before"
        by_person = wish.source == "person" or panel.dimmed_by == "person"
        await connected(kit, needed(kit.rig, True, wish.move))
        async with panel_light(kit, by_person) as light:
            if panel.placed == "by hand" and not wish.ready:
                await self._ask(kit, panel.name)
            if wish.move:
                # a panel laid on by hand lies on the open telescope
                await put_away(kit, cover=panel.placed != "by hand")
            set_point_c = await cold(kit)
            folder = self._place.calibration or self._place.folder / "calibration"
            job = FlatsJob(kit, wish, self._place.workshop, folder, light, set_point_c)
            await job.run()
        return self._end_of(job)

    async def _ask(self, kit: Kit, name: str) -> None:
        words = f"Lay {name} on the telescope, cap off, no other light: is it ready?"
        otherwise = "no flats are taken"
        async with kit.questions.ask(words, (_READY, _NOT), _PATIENCE, otherwise) as question:
            if await question.wait(kit.clock.utcnow() + _PATIENCE) != _READY:
                raise ActivityFailed("no flats: nobody has said that the panel lies on the telescope")

    def _end_of(self, job: FlatsJob) -> dict[str, Any]:
        """Raises ActivityFailed where not one filter could be done."""
        impossible = [one for one in job.advice.values() if not one.feasible]
        flats, darks = sum(job.have.values()), sum(job.have_dark.values())
        figures = {
            "flats": job.have,
            "dark_flats": job.have_dark,
            "impossible": [one.filter for one in impossible],
            "failed": job.failed,
            "leaks": job.leaks,
            "trials": len(job.trials),
        }
        if self.wish.trial:
            possible = len(job.advice) - len(impossible)
            words = f"{len(job.trials)} trials: {possible} of {len(job.advice)} can be done"
        else:
            words = f"{flats} flats and {darks} dark flats"
        for one in impossible:
            words += f"; {one.filter or 'no filter'} {one.reason}"
        for name, why in job.failed.items():
            words += f"; {name}: {why}"
        if job.advice and len(impossible) + len(job.failed) == len(job.advice):
            raise ActivityFailed(words, figures=figures)
        return {**figures, "summary": words}

    @classmethod
    def goes_on(cls, given: dict[str, Any], events: Iterable[Event]) -> dict[str, Any]:
        """What is asked for after a crash: the same, less what is there, from what was found."""
        have, dark = dict(given.get("have", {})), dict(given.get("have_dark", {}))
        found = dict(given.get("found", {}))
        for event in events:
            if event.kind is not Kind.ERRAND_STEP:
                continue
            for one in event.values.get("advice", []):
                if one["feasible"]:
                    found[one["filter"]] = [one["level"], one["exposure_s"]]
            frame = event.values.get("frame")
            if frame and frame["kept"]:
                (have if frame["kind"] == "flat" else dark)[frame["filter"]] = frame["have"]
                if frame["kind"] == "flat" and frame["level"]:
                    found[frame["filter"]] = [frame["level"], frame["exposure_s"]]
        return {**given, "have": have, "have_dark": dark, "found": found, "ready": True}
