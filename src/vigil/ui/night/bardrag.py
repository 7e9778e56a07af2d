"""Blocks changed with the pointer: an edge of a bar is its span's clock time, the bar itself its place."""

from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Literal
from zoneinfo import ZoneInfo

from vigil.ui.planmodel import PlanModel

Grip = Literal["from_clock", "until_clock", "order"]
_NEAR_PX = 5.0
_STEP = timedelta(minutes=5)


@dataclass(slots=True)
class BarDrag:
    """Under way: what is held of which block, since when it has moved, and where the pointer is."""

    block_id: str
    grip: Grip
    begun_at: tuple[float, float]
    moment: datetime | None = None
    row: int = 0
    moved: bool = False

    def follow(self, x: float, y: float, moment: datetime, row: int) -> None:
        """The pointer moves; a click that trembles is no drag."""
        if abs(x - self.begun_at[0]) > _NEAR_PX or abs(y - self.begun_at[1]) > _NEAR_PX:
            self.moved = True
        self.moment, self.row = rounded(moment), row

    def drop(self, plan: PlanModel, zone: str) -> None:
        """Let go: one step of undo. Raises ValueError with what can't be."""
        if not self.moved or self.moment is None:
            return
        if self.grip == "order":
            self._reorder(plan)
            return
        clock = self.moment.astimezone(ZoneInfo(zone)).time().replace(second=0, microsecond=0)
        span = plan.block(self.block_id).span.model_copy(update={self.grip: clock})
        name = plan.block(self.block_id).target.name
        words = f"{name} {'from' if self.grip == 'from_clock' else 'until'} {clock:%H:%M}"
        plan.edit_block(self.block_id, words, span=span.model_dump())

    def _reorder(self, plan: PlanModel) -> None:
        ids = [block.id for block in plan.plan.blocks]
        there = min(len(ids) - 1, max(0, self.row))
        plan.move_block(self.block_id, there - ids.index(self.block_id))


def rounded(moment: datetime) -> datetime:
    """To five minutes."""
    step = _STEP.total_seconds()
    return datetime.fromtimestamp(round(moment.timestamp() / step) * step, moment.tzinfo)


def grip_at(x: float, edges: tuple[float, float] | None) -> Grip:
    """What of a block's bar lies under the pointer; `edges` are where its exposures begin and end."""
    if edges is not None:
        if abs(x - edges[0]) <= _NEAR_PX:
            return "from_clock"
        if abs(x - edges[1]) <= _NEAR_PX:
            return "until_clock"
    return "order"
