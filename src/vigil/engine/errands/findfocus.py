"""Focus from anywhere in the focuser's travel: by the size of the discs near, then a run."""

from typing import Any

from vigil.documents.focuswish import FocusWish
from vigil.engine.activity import Kit
from vigil.engine.errand import ErrandRecorder, Workplace
from vigil.engine.focusing.bench import (
    FocusBench,
    accepted,
    claimed,
    needs,
    position_of,
    stars_stand_still,
    through,
    wished,
)
from vigil.engine.focusing.plan import Wish
from vigil.engine.focusing.run import fine_focus


class FindFocus(FocusBench):
    """The whole travel is searched, whatever reach the rig has for runs."""

    KIND = "find focus"
    wish: FocusWish

    @classmethod
    def asked_for(
        cls, place: Workplace, recorder: ErrandRecorder, asked: str, values: dict[str, Any]
    ) -> "FindFocus":
        wish, rig = wished(FocusWish, values), place.kit().rig
        needs(rig, "telescope", "camera", "focuser")
        name = through(rig, wish.filter)
        claims = claimed(rig, "camera", "filter wheel", "focuser", "mount")
        errand = cls(
            place, recorder, f"finding focus through {name}" if name else "finding focus", claims, asked
        )
        errand.wish = wish.model_copy(update={"filter": name})
        return errand

    async def work(self, kit: Kit) -> dict[str, Any]:
        before, wish = position_of(kit), self.wish
        await stars_stand_still(kit)
        start = before if wish.start is None else wish.start
        anywhere = Wish(wish.step, None, wish.frames or 0, wish.exposure_s, anywhere=True)
        return accepted(await fine_focus(kit, wish.filter, start, before, wish=anywhere))
