"""Darks and bias frames: telescope covered, roof shut, set after set."""

from collections.abc import Iterable
from datetime import timedelta
from typing import Any

from vigil.documents.events import Event, Kind
from vigil.documents.flats import DARKS, DarksWish
from vigil.engine.activity import ActivityFailed, Kit
from vigil.engine.arbiter import Urgency
from vigil.engine.errand import ErrandRecorder, ErrandRefused, PlainErrand, Workplace
from vigil.engine.flats.darksjob import DarksJob
from vigil.engine.flats.prepare import connected, needed, put_away
from vigil.engine.focusing.bench import wished
from vigil.engine.shutting import close_roof

_DARK, _NOT, _PATIENCE = "it is dark", "leave it", timedelta(minutes=15)


class Darks(PlainErrand):
    """Cut off, frames that are there stay; after a crash it goes on with those that are missing."""

    KIND = DARKS
    URGENCY = Urgency.BENCH
    RESUMES = True
    HURRIES = True
    wish: DarksWish

    @classmethod
    def asked_for(
        cls, place: Workplace, recorder: ErrandRecorder, asked: str, values: dict[str, Any]
    ) -> "Darks":
        rig = place.kit().rig
        wish = wished(DarksWish, values)
        assert isinstance(wish, DarksWish)
        if rig.camera is None:
            raise ErrandRefused(f"{rig.name} has no camera: no darks")
        cooled = [one for one in wish.sets if one.temperature_c is not None]
        if cooled and rig.camera.cooler is None:
            raise ErrandRefused(
                f"{rig.camera.name} has no cooler: darks at {cooled[0].temperature_c:g} °C can't be asked for"
            )
        given = wish.model_dump(mode="json", exclude_defaults=True)
        claims = needed(rig, False, True) | (frozenset({"roof"}) & frozenset(rig.device_names))
        words = f"darks: {', '.join(one.words for one in wish.sets)}"
        errand = cls(place, recorder, words, claims, asked, given)
        errand.wish = wish
        return errand

    async def work(self, kit: Kit) -> dict[str, Any]:
        await connected(kit, self.claims)
        await put_away(kit)
        if kit.devices.roof is not None:
            await close_roof(kit)
        if kit.devices.cover is None and not self.wish.dark:
            await self._ask(kit)
        folder = self._place.calibration or self._place.folder / "calibration"
        job = DarksJob(kit, self._place.workshop, folder, self.wish.sets, dict(self.wish.have))
        await job.take()
        words = f"{sum(job.have.values())} frames" + "".join(f"; {leak}" for leak in job.leaks)
        return {"have": job.have, "leaks": job.leaks, "summary": words}

    async def _ask(self, kit: Kit) -> None:
        words = "Cover the telescope: is no light in it?"
        async with kit.questions.ask(words, (_DARK, _NOT), _PATIENCE, "no darks are taken") as question:
            if await question.wait(kit.clock.utcnow() + _PATIENCE) != _DARK:
                raise ActivityFailed("no darks were taken: nobody has said that the telescope is covered")

    @classmethod
    def goes_on(cls, given: dict[str, Any], events: Iterable[Event]) -> dict[str, Any]:
        """What is asked for after a crash: the same, less what is there."""
        have = dict(given.get("have", {}))
        for event in events:
            frame = event.values.get("frame") if event.kind is Kind.ERRAND_STEP else None
            if frame:
                have[frame["set"]] = frame["have"]
        return {**given, "have": have, "dark": True}
