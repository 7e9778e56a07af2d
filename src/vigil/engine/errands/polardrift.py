"""An axis measured by a star's drift; and the mount sent to where that shows best."""

from typing import Any

from vigil.documents.guiding import GUIDING
from vigil.documents.night import NotAllowed
from vigil.documents.polar import (
    DRIFT,
    DRIFT_KIND,
    PLACE_KIND,
    DriftWish,
    KeptPolar,
    PlaceWish,
    PolarRecord,
    figures,
)
from vigil.engine.activity import Kit
from vigil.engine.focusing.bench import stars_stand_still
from vigil.engine.guiding.bench import needs_guider
from vigil.engine.guiding.frames import eye_of
from vigil.engine.polar.bench import PolarBench, began_at
from vigil.engine.polar.drift import DriftLoop, drift_words
from vigil.engine.polar.places import go_to_drift_place
from vigil.engine.polar.words import learnt_said
from vigil.polar.adjusters import AdjusterName, Effect, Turn, effect_of
from vigil.polar.drift import Drift

_CHECKED_S = 6 * 3600.0
"""A measurement by frames of this evening is a check on a drift."""


class MeasureDrift(PolarBench[DriftWish]):
    """Corrections are off while it lasts: guiding that was on is set aside, and goes on afterwards. Cut off,
    the mount tracks on, and the last measurement stays."""

    KIND = DRIFT_KIND
    WISH = DriftWish
    SETS_ASIDE = frozenset({GUIDING})
    _again = False
    _turns: float | None = None

    @classmethod
    def words_of(cls, wish: DriftWish) -> str:
        return f"measuring {wish.axis} by drift"

    async def work(self, kit: Kit) -> dict[str, Any]:
        needs_guider(kit.rig)
        kept = self.kept(kit)
        if kept.began is None:
            self.keep(kit, kept.model_copy(update={"began": began_at(kit)}))
        if self.wish.goes:
            await go_to_drift_place(kit, self.wish.axis, self.step)
        await stars_stand_still(kit)
        self._turns = self.wish.turned
        loop = DriftLoop(kit, self.wish, self._place.folder, self.step, lambda v: self.sample(DRIFT, v))
        loop.other = other = _other(kept, self.wish.axis)
        if other is None and self.wish.axis == "altitude":
            await self.step({}, "azimuth isn't measured yet: its share is taken for nothing, within 15′")
        try:
            await loop.begin()
            record = await self._round(kit, loop)
            while self.wish.stays:
                self._again = False
                await loop.watch(self._found, lambda: self._again)
                await self.step({}, "measured again")
                record = await self._round(kit, loop)
        finally:
            eye_of(kit).close()
        return {"polar": figures(record), "summary": drift_words(self._found, self.wish.axis)}

    def tell(self, values: dict[str, Any]) -> str:
        """`measure`: the adjuster was turned; with `turns`, + clockwise, where that is known."""
        if values.get("what") != "measure" or not self.wish.stays:
            raise NotAllowed(f"{self.words}: it knows measure, once an adjuster was turned, not {values}")
        turns = values.get("turns")
        if turns is not None and (not isinstance(turns, int | float) or not 0 < abs(turns) <= 20):
            raise NotAllowed("turns: by how many the adjuster was turned, + clockwise, up to 20")
        self._again, self._turns = True, None if turns is None else float(turns)
        return "measuring again"

    async def _round(self, kit: Kit, loop: DriftLoop) -> PolarRecord:
        began = kit.clock.utcnow()
        self._found = found = await loop.measure()
        record = self._made(kit, loop, found, (kit.clock.utcnow() - began).total_seconds())
        kept = self.kept(kit)
        words = drift_words(found, self.wish.axis)
        await self.step({"polar": figures(record)}, words + self._checked(kept, record))
        kept = await self._learn(kept, record)
        self.keep(kit, kept.model_copy(update={"drifts": {**kept.drifts, self.wish.axis: record}}))
        return record

    def _made(self, kit: Kit, loop: DriftLoop, found: Drift, took_s: float) -> PolarRecord:
        altitude = self.wish.axis == "altitude"
        error, sigma = round(found.error_arcmin, 3), round(found.half_arcmin / 1.96, 3)
        return PolarRecord(
            at=kit.clock.utcnow(),
            method="drift",
            camera="guide",
            altitude_arcmin=error if altitude else None,
            azimuth_arcmin=None if altitude else error,
            sigma_altitude_arcmin=sigma if altitude else None,
            sigma_azimuth_arcmin=None if altitude else sigma,
            total_arcmin=None,
            took_s=round(took_s, 1),
            hour_angle_deg=round(loop.hour_angle_deg, 3),
            dec_deg=round(loop.dec_deg, 4),
            frames=loop.frames,
        )

    def _checked(self, kept: KeptPolar, record: PolarRecord) -> str:
        """What the frames say of the same axis, where no adjuster was seen to turn since."""
        other = kept.last
        if other is None or (record.at - other.at).total_seconds() > _CHECKED_S:
            return ""
        by_frames = other.altitude_arcmin if self.wish.axis == "altitude" else other.azimuth_arcmin
        by_drift = record.altitude_arcmin if self.wish.axis == "altitude" else record.azimuth_arcmin
        if by_frames is None or by_drift is None:
            return ""
        return f"; by frames it was {by_frames:+.1f}′, {abs(by_frames - by_drift):.1f}′ apart"

    async def _learn(self, kept: KeptPolar, record: PolarRecord) -> KeptPolar:
        """What the turn between the last round and this one has done."""
        name = self.wish.axis
        before = kept.drifts.get(name)
        if before is None or (record.at - before.at).total_seconds() > _CHECKED_S:
            return kept
        was, now = (_of(one, name) for one in (before, record))
        turn = Turn(was[0], now[0], max(was[1], now[1]), self._turns)
        effect = effect_of(turn, self.wish.within_arcmin)
        if effect is Effect.STUCK and self._turns is None:
            return kept  # perhaps nobody has turned it
        adjuster = kept.adjuster(name)
        words = learnt_said(name, turn, self.wish.within_arcmin, adjuster.gain)
        await self.step({"turned": name, "effect": effect.value}, words)
        return kept.model_copy(update={"adjusters": {**kept.adjusters, name: adjuster.with_turn(turn)}})


def _other(kept: KeptPolar, axis: AdjusterName) -> tuple[float, float] | None:
    """What is known of the other axis: by the newer of its drift and the frames."""
    name: AdjusterName = "azimuth" if axis == "altitude" else "altitude"
    known = [record for record in (kept.drifts.get(name), kept.last) if record is not None]
    return _of(max(known, key=lambda record: record.at), name) if known else None


def _of(record: PolarRecord, name: str) -> tuple[float, float]:
    if name == "altitude":
        return record.altitude_arcmin or 0.0, record.sigma_altitude_arcmin or 0.0
    return record.azimuth_arcmin or 0.0, record.sigma_azimuth_arcmin or 0.0


class GoToDriftPlace(PolarBench[PlaceWish]):
    """Cut off, the mount stops where it is."""

    KIND = PLACE_KIND
    WISH = PlaceWish
    SETS_ASIDE = frozenset({GUIDING})

    @classmethod
    def words_of(cls, wish: PlaceWish) -> str:
        return f"going where {wish.axis} shows"

    @classmethod
    def uses(cls, wish: PlaceWish) -> tuple[str, ...]:
        return ("mount",)

    async def work(self, kit: Kit) -> dict[str, Any]:
        kept = self.kept(kit)
        if kept.began is None:
            self.keep(kit, kept.model_copy(update={"began": began_at(kit)}))
        return {"summary": await go_to_drift_place(kit, self.wish.axis, self.step)}
