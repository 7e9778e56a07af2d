"""Focus from anywhere in the focuser's travel: by the size of the discs near, then a run."""

from vigil.documents.focuswish import FocusWish
from vigil.engine.errands.focus import FocusErrand
from vigil.engine.focusing.bench import by_filter
from vigil.engine.focusing.plan import Wish


class FindFocus(FocusErrand):
    """The whole travel is searched by the stars, whatever reach the rig has for runs."""

    KIND = "find focus"

    @classmethod
    def words_of(cls, wish: FocusWish) -> str:
        return by_filter("finding focus", wish.filter)

    @property
    def asked(self) -> Wish:
        wish = self.wish
        return Wish(wish.step, None, wish.frames or 0, wish.exposure_s, anywhere=True)
