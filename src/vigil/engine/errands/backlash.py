"""How far the focuser's motor turns after a change of direction before anything moves."""

from typing import Any

from vigil.documents.focuswish import BacklashWish
from vigil.engine.activities.moves import focuser_to
from vigil.engine.activity import ActivityFailed, Kit
from vigil.engine.focusing.bench import (
    FocusBench,
    position_of,
    stars_stand_still,
)
from vigil.engine.focusing.plan import fine_plan
from vigil.engine.focusing.run import fine_focus
from vigil.engine.focusing.sweeps import two_sweeps

_USUAL_MOST, _ROOM = 300, 3
"""Looked for: so many steps, or so many times the rig's overshoot."""
_NONE_OF_ZONE = 0.1
_FRAMES = 36


class BacklashErrand(FocusBench[BacklashWish]):
    """A run, then a sweep each way."""

    KIND = "backlash"
    WISH = BacklashWish

    @classmethod
    def words_of(cls, wish: BacklashWish) -> str:
        return "measuring the focuser's backlash"

    async def work(self, kit: Kit) -> dict[str, Any]:
        before, wish, limits = position_of(kit), self.wish, kit.rig.focuser
        assert limits is not None, "asked for before"
        await stars_stand_still(kit)
        run = await fine_focus(kit, wish.filter, before)
        if run.done.curve is None or not run.done.accepted:
            raise ActivityFailed(
                f"no focus to measure around: {run.done.reason}", figures={"run": run.numbers()}
            )
        most = wish.most or max(_USUAL_MOST, _ROOM * limits.overshoot_steps)
        kit.progress.begin("focus", self.words, 0, _FRAMES, "frames")
        exposure_s = wish.exposure_s or kit.rig.focus_exposure_s(wish.filter)
        plan = fine_plan(kit.rig, run.done.position, run.done.size)
        found = await two_sweeps(kit, plan, run.done.curve, exposure_s, most)
        await focuser_to(kit, run.done.position)
        steps, none = max(0, round(found.steps)), found.steps < _NONE_OF_ZONE * plan.zone_steps
        said = (
            f"no backlash shows ({found.steps:.0f} ± {found.half:.0f} steps): the controller makes up for it"
            if none
            else f"{found.steps:.0f} ± {found.half:.0f} steps"
        )
        return {
            "run": run.numbers(),
            "backlash": {
                "steps": steps,
                "interval_95": [round(end, 1) for end in found.interval],
                "upward_best": round(found.upward_best, 1),
                "downward_best": round(found.downward_best, 1),
                "none_shows": none,
            },
            "summary": said,
        }
