"""Where focus is through each filter, against the reference: several runs through each, in turn."""

from typing import Any

from vigil.documents.focuswish import OffsetsWish
from vigil.documents.rig import Rig
from vigil.engine.activities.moves import focuser_to
from vigil.engine.activity import ActivityFailed, Kit
from vigil.engine.errand import ErrandRefused
from vigil.engine.focusing.bench import FocusBench, needs, position_of, stars_stand_still
from vigil.engine.focusing.plan import Wish
from vigil.engine.focusing.run import Outcome, fine_focus
from vigil.focusing.offsets import FilterRun, NoOffsets, measured_offsets, order

_PATIENT = Wish(longest_s=120.0)
"""Narrow filters show few stars, and this is done once."""


class FilterOffsets(FocusBench[OffsetsWish]):
    """One run after another, each in the log. The offsets are offered; the rig keeps its own until somebody
    takes them over."""

    KIND = "filter offsets"
    WISH = OffsetsWish

    @classmethod
    def checked(cls, rig: Rig, wish: OffsetsWish) -> OffsetsWish:
        """The reference comes first."""
        needs(rig, "telescope", "camera", "focuser", "wheel")
        assert rig.wheel is not None
        there = rig.wheel.in_slots
        unknown = [name for name in wish.filters if name not in there]
        if unknown:
            raise ErrandRefused(
                f"{', '.join(unknown)}: in no slot of {rig.wheel.name}; it has {', '.join(there)}"
            )
        reference = rig.wheel.current.reference or rig.wheel.focus_through
        if reference not in there:
            raise ErrandRefused(f"the reference, {reference}, stands in no slot: nothing to measure against")
        wanted = [name for name in (wish.filters or there) if name != reference]
        if not wanted:
            raise ErrandRefused(
                f"only {reference}, the reference, is asked for: nothing to measure against it"
            )
        return wish.model_copy(update={"filters": (reference, *wanted)})

    @classmethod
    def words_of(cls, wish: OffsetsWish) -> str:
        reference, *wanted = wish.filters
        return f"measuring the focus of {', '.join(wanted)} against {reference}"

    async def work(self, kit: Kit) -> dict[str, Any]:
        before, wheel = position_of(kit), kit.rig.wheel
        assert wheel is not None, "asked for before"
        await stars_stand_still(kit)
        reference, began = self.wish.filters[0], kit.clock.utcnow()
        runs: list[FilterRun] = []
        usual: dict[str, float] = {}
        refused: list[str] = []
        at_reference = before
        plan = order(self.wish.filters, self.wish.rounds)
        for number, name in enumerate(plan, start=1):
            start = (
                at_reference
                + wheel.filter(name).focus_offset_steps
                - wheel.filter(reference).focus_offset_steps
            )
            outcome = await fine_focus(kit, name, start, start, usual.get(name), _PATIENT)
            await self._tell(kit, outcome, number, len(plan))
            if not outcome.done.accepted:
                refused.append(f"{name}: {outcome.done.reason}")
                continue
            curve = outcome.done.curve
            assert curve is not None, "accepted by its curve"
            usual[name] = curve.best_size
            at_s = (kit.clock.utcnow() - began).total_seconds() - outcome.seconds / 2
            runs.append(FilterRun(name, at_s, curve.best, (curve.interval[1] - curve.interval[0]) / 2))
            if name == reference:
                at_reference = outcome.done.position
        try:
            found = measured_offsets(runs, reference)
        except NoOffsets as problem:
            await focuser_to(kit, before)
            raise ActivityFailed(f"{problem}; {refused[0]}" if refused else str(problem)) from None
        offsets = {
            name: {
                "steps": round(estimate.value),
                "interval_95": [round(end, 1) for end in estimate.interval],
                "before": wheel.filter(name).focus_offset_steps - wheel.filter(reference).focus_offset_steps,
            }
            for name, estimate in found.items()
        }
        told = ", ".join(f"{n} {e.value:+.0f} ± {e.half:.0f}" for n, e in found.items() if n != reference)
        left = f"; refused: {'; '.join(refused)}" if refused else ""
        return {"offsets": offsets, "reference": reference, "summary": f"against {reference}: {told}{left}"}

    async def _tell(self, kit: Kit, outcome: Outcome, number: int, of: int) -> None:
        done = outcome.done
        how = f"{done.size:.2f} px at {done.position}" if done.accepted else f"refused: {done.reason}"
        await kit.step(
            {"run": outcome.numbers(), "number": number, "of": of},
            f"{number} of {of}, {outcome.filter}: {how}",
        )
