"""Focus by a run through the lowest point of the stars' sizes."""

from dataclasses import dataclass
from typing import Any

from vigil.engine.activity import Activity, ActivityFailed, Kit
from vigil.engine.focusing.elsewhere import RicherField, there_and_back
from vigil.engine.focusing.run import Outcome, fine_focus
from vigil.planning.overheads import FOCUS_S

_SIGMAS = 3.92
"""Standard errors in a 95 % interval."""


@dataclass(frozen=True)
class Focus(Activity):
    """Measures through `filter` around `start`; a refused run puts the focuser back where it was."""

    KIND = "focus"
    DEVICES = frozenset({"camera", "filter wheel", "focuser"})

    filter: str
    start: int
    block: str = ""
    back_to: int | None = None
    """Where a refused run leaves the focuser; None: where it found it."""
    usual_px: float | None = None
    """The size of stars in focus, by the last run."""

    moves_guider: bool = False
    """Whether the guide camera goes out of focus with it, behind the same focuser: then it rests."""
    elsewhere: RicherField | None = None
    """Where it goes to focus and comes back from; the pointing is unknown then."""

    @property
    def claims(self) -> frozenset[str]:
        beside = {"mount": self.elsewhere is not None, "guide camera": self.moves_guider}
        return self.DEVICES | {name for name, claimed in beside.items() if claimed}

    @property
    def disturbs(self) -> tuple[str, ...]:
        return ("pointing",) if self.elsewhere is not None else ()

    @property
    def told(self) -> dict[str, Any]:
        return {"from": self.back_to}

    @property
    def words(self) -> str:
        return f"focusing through {self.filter}" if self.filter else "focusing"

    @property
    def expected_s(self) -> float:
        return FOCUS_S

    async def _focused(self, kit: Kit) -> Outcome:
        return await fine_focus(kit, self.filter, self.start, self.back_to, self.usual_px)

    async def run(self, kit: Kit) -> dict[str, Any]:
        there = self.elsewhere
        if there is None:
            outcome = await self._focused(kit)
        else:
            await kit.step({}, f"{there.words}: going there")
            outcome = await there_and_back(kit, there, lambda: self._focused(kit))
        done, numbers = outcome.done, outcome.numbers()
        if not done.accepted:
            raise ActivityFailed(
                f"focus refused: {done.reason}; back at {done.position}", figures={"run": numbers}
            )
        assert done.curve is not None, "accepted by its curve"
        through = f"through {self.filter}" if self.filter else "no filter"
        low, high = done.curve.interval
        return {
            "focus": {
                "position": done.position,
                "filter": self.filter,
                "temperature_c": outcome.temperature_c,
                "hfr_px": round(done.size, 3),
                "block": self.block,
                "slope_px_step": round(done.curve.slope, 7),
                "sigma_steps": round((high - low) / _SIGMAS, 2),
            },
            "run": numbers,
            "summary": f"{done.size:.2f} px at {done.position} (95 %: {low:.0f} to {high:.0f}), {through}",
        }
