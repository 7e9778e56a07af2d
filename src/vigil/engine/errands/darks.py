"""Darks and bias frames: telescope covered, roof shut, set after set."""

from collections.abc import Iterable
from datetime import timedelta
from typing import Any

from vigil.devices.protocols import Exposure
from vigil.documents.events import Event, Kind
from vigil.documents.flats import DARKS, DarkSet, DarksWish
from vigil.engine.activity import ActivityFailed, Kit
from vigil.engine.arbiter import Urgency
from vigil.engine.errand import ErrandRecorder, ErrandRefused, PlainErrand, Workplace
from vigil.engine.flats.frames import keep
from vigil.engine.flats.prepare import cold, connected, needed, put_away
from vigil.engine.focusing.bench import wished
from vigil.engine.shutting import close_roof
from vigil.engine.wanted import FrameKind

_DARK, _NOT, _PATIENCE = "it is dark", "leave it", timedelta(minutes=15)
_LEAK_SHARE = 0.01


class Darks(PlainErrand):
    """Cut off, frames that are there stay; after a crash it goes on with those that are missing."""

    KIND = DARKS
    URGENCY = Urgency.BENCH
    RESUMES = True
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
        have, leaks = dict(self.wish.have), []
        kit.progress.begin(
            "darks", self.words, sum(have.values()), sum(one.count for one in self.wish.sets), "frames"
        )
        for number, one in enumerate(self.wish.sets):
            leak = await self._take_set(kit, str(number), one, have)
            leaks += [leak] if leak else []
        words = f"{sum(have.values())} frames" + "".join(f"; {leak}" for leak in leaks)
        return {"have": have, "leaks": leaks, "summary": words}

    async def _take_set(self, kit: Kit, key: str, one: DarkSet, have: dict[str, int]) -> str:
        """Returns what speaks of light, in words."""
        part = kit.rig.camera
        assert part is not None, "asked for before"
        if have.get(key, 0) >= one.count:
            return ""
        set_point_c = await cold(kit, one.temperature_c)
        lights = part.settings_for("lights")
        gain = one.gain if one.gain is not None else lights.gain
        offset = one.offset if one.offset is not None else lights.offset
        is_bias = one.exposure_s == 0
        exposure_s = part.shortest_exposure_s or 0.001 if is_bias else one.exposure_s
        exposure = Exposure(exposure_s, gain or 0, offset or 0, one.binning, light=False)
        folder = self._place.calibration or self._place.folder / "calibration"
        kind: FrameKind = "bias" if is_bias else "dark"
        first: float | None = None
        leak = ""
        while have.get(key, 0) < one.count:
            number = have.get(key, 0) + 1
            kept = await keep(
                kit, self._place.workshop, folder, kind, exposure, number, set_point_c=set_point_c
            )
            have[key] = number
            first = kept.mean_adu if first is None else first
            kit.progress.current = sum(have.values())
            if abs(kept.mean_adu - first) > _LEAK_SHARE * part.full_scale_adu:
                leak = f"{one.words}: the level changed by {kept.mean_adu - first:+.0f} ADU: light, or warmth"
            frame = {
                "set": key, "kind": kind, "path": str(kept.path), "have": number,
                "mean_adu": round(kept.mean_adu, 1), "exposure_s": exposure_s,
            }  # fmt: skip
            await kit.step({"frame": frame}, f"{kind} {number} of {one.count}: {kept.mean_adu:.0f} ADU")
        return leak

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
