"""Focus from anywhere in the focuser's travel: by the size of the discs near, then a run."""

from typing import Any

from vigil.documents.focuswish import FocusWish
from vigil.engine.activity import Kit
from vigil.engine.focusing.bench import (
    FocusBench,
    accepted,
    by_filter,
    position_of,
    stars_stand_still,
)
from vigil.engine.focusing.plan import Wish
from vigil.engine.focusing.run import fine_focus


class FindFocus(FocusBench[FocusWish]):
    """The whole travel is searched, whatever reach the rig has for runs."""

    KIND = "find focus"
    WISH = FocusWish

    @classmethod
    def words_of(cls, wish: FocusWish) -> str:
        return by_filter("finding focus", wish.filter)

    async def work(self, kit: Kit) -> dict[str, Any]:
        before, wish = position_of(kit), self.wish
        await stars_stand_still(kit)
        start = before if wish.start is None else wish.start
        anywhere = Wish(wish.step, None, wish.frames or 0, wish.exposure_s, anywhere=True)
        return accepted(await fine_focus(kit, wish.filter, start, before, wish=anywhere))
