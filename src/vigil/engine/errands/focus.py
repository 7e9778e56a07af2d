"""A focus run asked for by a person."""

from datetime import timedelta
from typing import Any

from vigil.devices.protocols import RawFrame
from vigil.documents.focuswish import FocusWish
from vigil.engine.activities.centre import Centre
from vigil.engine.activities.solving import ready_to_solve, solved_frame
from vigil.engine.activity import ActivityFailed, Kit
from vigil.engine.focusing.bench import (
    FocusBench,
    accepted,
    by_filter,
    position_of,
    stars_stand_still,
)
from vigil.engine.focusing.elsewhere import RicherField, richer_than_here, there_and_back
from vigil.engine.focusing.plan import Wish
from vigil.engine.focusing.run import Outcome, fine_focus
from vigil.engine.hand.frames import write_trial
from vigil.solving.wcs import Wcs

_GO, _STAY, _WAIT = "go there", "stay here", timedelta(minutes=2)
_BACK_WITHIN_PX = 5.0


class FocusErrand(FocusBench[FocusWish]):
    """Cut off, the focuser stands anywhere between the run's positions, and the log says so."""

    KIND = "focus"
    WISH = FocusWish

    @classmethod
    def words_of(cls, wish: FocusWish) -> str:
        return by_filter("focusing", wish.filter)

    @property
    def asked(self) -> Wish:
        """Of the run."""
        wish = self.wish
        return Wish(wish.step, wish.reach, wish.frames or 0, wish.exposure_s, finer=wish.finer, by=wish.by)

    async def work(self, kit: Kit) -> dict[str, Any]:
        before, wish = position_of(kit), self.wish
        by_sharpness = wish.by == "sharpness"
        if not by_sharpness:  # a tower by day needs no tracking
            await stars_stand_still(kit)
        start = before if wish.start is None else wish.start
        keep = self._keep if wish.keep else None

        async def run() -> Outcome:
            return await fine_focus(kit, wish.filter, start, before, wish=self.asked, keep=keep)

        there = None if by_sharpness else await self._elsewhere(kit)
        if there is None:
            return accepted(await run(), by_sharpness)
        home = await self._where_it_looks(kit, there.seen_from)
        await kit.step({}, f"{there.words}: going there")
        outcome = await there_and_back(kit, there, run)
        back = await self._centred(kit, home)
        numbers = accepted(outcome)
        return {**numbers, "summary": f"{numbers['summary']}; {back}"}

    async def _where_it_looks(self, kit: Kit, aim: tuple[float, float]) -> Wcs | None:
        """Of its field's centre, by a frame; None where it is too blurred to be solved."""
        try:
            exposure = await ready_to_solve(kit, None)
            _, wcs = await solved_frame(kit, exposure, aim, 1)
        except ActivityFailed:
            return None
        return wcs

    async def _centred(self, kit: Kit, home: Wcs | None) -> str:
        """Back on the same field; what came of that, in words."""
        if home is None:
            return "back where it looked before, as well as the mount goes"
        centring = Centre("", "the field from before", home.ra_deg, home.dec_deg, None, _BACK_WITHIN_PX)
        try:
            came = await centring.run(kit)
        except ActivityFailed as problem:
            return f"back, but not centred: {problem}"
        return f"back, {came['pointing']['off_arcsec']:.1f}″ from where it looked before"

    async def _elsewhere(self, kit: Kit) -> RicherField | None:
        """A richer field, where there are too few stars and going there is wanted."""
        there = None if self.wish.elsewhere == "never" else richer_than_here(kit)
        if there is None or self.wish.elsewhere == "always":
            return there
        words = f"{there.words}: go there to focus, and come back?"
        async with kit.questions.ask(words, (_GO, _STAY), _WAIT, "it is focused here") as question:
            return there if await question.wait(kit.clock.utcnow() + _WAIT) == _GO else None

    async def _keep(self, kit: Kit, frame: RawFrame, position: int, number: int) -> None:
        """In a folder of the run's own."""
        path = self._place.folder / self.id / f"{number:02d}_{position}.fits"
        await write_trial(self._place.workshop, kit.rig, path, frame)
