"""The polar axis measured by two or three frames."""

from typing import Any

from vigil.documents.polar import AXIS_KIND, AxisWish, figures, record_said
from vigil.engine.activity import Kit
from vigil.engine.polar.bench import PolarBench, began_at
from vigil.engine.polar.measure import measure


class MeasurePolarAxis(PolarBench[AxisWish]):
    """Cut off, the mount stands still but for its tracking, and the last measurement stays."""

    KIND = AXIS_KIND
    WISH = AxisWish

    @classmethod
    def words_of(cls, wish: AxisWish) -> str:
        return f"measuring the polar axis with the {'camera' if wish.camera == 'main' else 'guide camera'}"

    async def work(self, kit: Kit) -> dict[str, Any]:
        kept = self.kept(kit)
        began = kept.began or began_at(kit)
        made = await measure(kit, self.wish, self.step)
        self.keep(kit, kept.model_copy(update={"last": made.record, "stood": made.stood, "began": began}))
        await self.step({"polar": figures(made.record)}, record_said(made.record))
        return {"polar": figures(made.record), "agrees": made.agrees, "summary": record_said(made.record)}
