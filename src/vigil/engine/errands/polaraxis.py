"""The polar axis measured by two or three frames."""

from typing import Any

from vigil.documents.polar import AXIS_KIND, AxisWish, PolarRecord, figures
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
        return {"polar": figures(made.record), "agrees": made.agrees, "summary": in_words(made.record)}


def in_words(record: PolarRecord) -> str:
    """ "12.3′ ± 0.1′ too high, 4.5′ ± 0.1′ west of the pole: 13.1′ in all"."""
    told = []
    if record.altitude_arcmin is not None:
        high = "too high" if record.altitude_arcmin > 0 else "too low"
        told.append(f"{abs(record.altitude_arcmin):.1f}′ ± {record.sigma_altitude_arcmin or 0:.1f}′ {high}")
    if record.azimuth_arcmin is not None:
        side = "east" if record.azimuth_arcmin > 0 else "west"
        told.append(
            f"{abs(record.azimuth_arcmin):.1f}′ ± {record.sigma_azimuth_arcmin or 0:.1f}′ {side} of the pole"
        )
    said = f"the axis is {', '.join(told)}"
    return said if record.total_arcmin is None else f"{said}: {record.total_arcmin:.1f}′ in all"
