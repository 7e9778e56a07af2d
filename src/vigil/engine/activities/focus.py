"""Focus by a V-curve."""

from dataclasses import dataclass
from typing import Any

from vigil.engine.activities.moves import (
    filter_to,
    focuser_to,
    frame_exposure,
    is_mosaic,
    take,
)
from vigil.engine.activity import Activity, ActivityFailed, Kit
from vigil.focusing.search import FocusRefused, Found, Measure, SearchPlan, confirm, next_step
from vigil.focusing.vcurve import Sample
from vigil.planning.overheads import FOCUS_S


@dataclass(frozen=True)
class Focus(Activity):
    """Measures through `filter` around `start`; a refused curve puts the focuser back where it was."""

    KIND = "focus"
    DEVICES = frozenset({"camera", "filter wheel", "focuser"})

    filter: str
    start: int
    block: str = ""
    back_to: int | None = None
    """Where a refused run leaves the focuser; None: where it found it."""
    wider: int = 1
    """Positions are so many times as far apart as the rig has them."""

    @property
    def told(self) -> dict[str, Any]:
        return {"from": self.back_to}

    @property
    def words(self) -> str:
        return f"focusing through {self.filter}" if self.filter else "focusing"

    @property
    def expected_s(self) -> float:
        return FOCUS_S

    async def run(self, kit: Kit) -> dict[str, Any]:
        focuser, limits = kit.devices.focuser, kit.rig.focuser
        if focuser is None or limits is None or focuser.state is None:
            raise ActivityFailed("the focuser's position is unknown")
        before = focuser.state.position if self.back_to is None else self.back_to
        if self.filter:
            await filter_to(kit, self.filter)
        start = max(limits.lowest, min(limits.highest, self.start))
        plan = SearchPlan(
            start, self.wider * limits.search_step, limits.lowest, limits.highest, limits.approach == "upward"
        )
        tried: list[int] = []
        samples: list[Sample] = []
        kit.progress.begin("focus", self.words, 0, plan.count + 1, "frames")
        while isinstance(step := next_step(plan, tried, samples), Measure):
            sample = await self._sample(kit, step.position)
            tried.append(step.position)
            if sample.hfr_px > 0:
                samples.append(sample)
            kit.progress.current = len(tried)
        if isinstance(step, Found):
            best = round(step.curve.best)
            confirming = await self._sample(kit, best)
            kit.progress.current = kit.progress.target
            problem = confirm(step.curve, confirming)
            if problem is None:
                return self._result(kit, step, best, confirming)
            step = FocusRefused(problem)
        await focuser_to(kit, before)
        raise ActivityFailed(f"focus refused: {step.reason}; back at {before}")

    async def _sample(self, kit: Kit, position: int) -> Sample:
        await focuser_to(kit, position)
        camera = kit.rig.camera
        assert camera is not None, "a night needs a camera"
        frame = await take(kit, frame_exposure(kit, kit.rig.focus_exposure_s(self.filter), "focusing"))
        figures = await kit.measurer.measure(frame.image, camera.full_scale_adu, is_mosaic(kit, frame))
        size = figures.hfr_px if figures.hfr_px > 0 else 0.0  # NaN where no star is fit to be measured
        sample = Sample(position, size, figures.hfr_sigma_px, figures.stars)
        await kit.step(
            {
                "position": position,
                "hfr_px": round(size, 3),
                "sigma_px": round(sample.sigma_px, 4),
                "stars": figures.stars,
            },
            f"{size:.2f} px at {position}, {figures.stars} stars",
        )
        return sample

    def _result(self, kit: Kit, found: Found, best: int, confirming: Sample) -> dict[str, Any]:
        curve = found.curve
        return {
            "focus": {
                "position": best,
                "filter": self.filter,
                "temperature_c": _temperature_c(kit),
                "hfr_px": round(confirming.hfr_px, 3),
                "block": self.block,
            },
            "curve": {
                "best": round(curve.best, 1),
                "best_sigma": round(curve.best_sigma, 1),
                "floor_px": round(curve.floor_px, 3),
                "slope_px_step": round(curve.slope_px_step, 5),
                "chi2": round(curve.chi2, 2),
            },
            "summary": f"{confirming.hfr_px:.2f} px at {best} ± {curve.best_sigma:.0f}, "
            + (f"through {self.filter}" if self.filter else "no filter"),
        }


def _temperature_c(kit: Kit) -> float | None:
    averaged = kit.tools.tube_c()
    if averaged is not None:
        return round(averaged, 2)
    state = kit.devices.focuser.state if kit.devices.focuser else None
    return state.temperature_c if state else None
