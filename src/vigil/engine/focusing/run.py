"""A fine focus run with real devices: what the pure run asks for is done, what came of it is told."""

from dataclasses import dataclass, replace
from typing import Any

from vigil.engine.activities.moves import filter_to, focuser_to
from vigil.engine.activity import ActivityFailed, Kit
from vigil.engine.focusing.field import field_of
from vigil.engine.focusing.frames import FocusFrames, Keep
from vigil.engine.focusing.plan import Wish, fine_plan
from vigil.focusing.fine import Done, Measure, Run, fine_run

_USUAL_FRAMES = 14


@dataclass(frozen=True, slots=True)
class Outcome:
    """How a run ended, and what it took."""

    done: Done
    filter: str
    temperature_c: float | None
    frames: int
    exposures: int
    """With those that only told how long to expose."""
    seconds: float
    zone_steps: float
    fwhm_px: float | None = None
    """Of the confirming frame: the seeing, as this telescope shows it."""
    field: dict[str, Any] | None = None
    """Tilt and curvature, where there were stars enough."""

    def numbers(self) -> dict[str, Any]:
        """For the log."""
        done, curve = self.done, self.done.curve
        verdict = done.verdict
        return {
            "accepted": done.accepted,
            "reason": done.reason,
            "position": done.position,
            "interval_95": [round(end, 2) for end in curve.interval] if curve else None,
            "best": round(curve.best, 2) if curve else None,
            "best_px": round(curve.best_size, 4) if curve else None,
            "size_px": round(done.size, 3) if done.accepted else None,
            "slope_px_step": round(curve.slope, 7) if curve else None,
            "residual": round(curve.residual, 4) if curve else None,
            "symmetry": round(verdict.symmetry, 4) if verdict else None,
            "rise": [round(r, 2) for r in verdict.rise] if verdict else None,
            "used": list(done.used),
            "filter": self.filter,
            "temperature_c": self.temperature_c,
            "frames": self.frames,
            "exposures": self.exposures,
            "seconds": round(self.seconds, 1),
            "zone_steps": round(self.zone_steps, 1),
            "fwhm_px": self.fwhm_px,
            **({"field": self.field} if self.field else {}),
        }


async def fine_focus(
    kit: Kit,
    through: str,
    start: int,
    back_to: int | None = None,
    usual_px: float | None = None,
    wish: Wish | None = None,
    keep: Keep | None = None,
) -> Outcome:
    """Focus through a filter around `start`. The focuser ends at the best position, or where a refused run
    leaves it: at `back_to`, else where it was. Cut off, it stands where it is. `keep` is given each frame."""
    focuser = kit.devices.focuser
    if focuser is None or focuser.state is None:
        raise ActivityFailed("the focuser's position is unknown")
    before = focuser.state.position if back_to is None else back_to
    plan = fine_plan(kit.rig, start, usual_px, wish)
    if through:
        await filter_to(kit, through)
    exposure_s = (wish.exposure_s if wish else None) or kit.rig.focus_exposure_s(through)
    began = kit.clock.utcnow()
    wish = wish or Wish()
    frames = FocusFrames(
        kit, plan, exposure_s, one_star=wish.by == "one star", keep=keep, longest_s=wish.longest_s
    )
    kit.progress.begin(
        "focus", f"focusing through {through}" if through else "focusing", 0, _USUAL_FRAMES, "frames"
    )
    done = await carry_out(kit, fine_run(plan), frames)
    if not done.accepted:
        await focuser_to(kit, before)
        done = replace(done, position=before)
    return Outcome(
        done=done,
        filter=through,
        temperature_c=tube_c(kit),
        frames=len(frames.taken),
        exposures=frames.exposures,
        seconds=(kit.clock.utcnow() - began).total_seconds(),
        zone_steps=plan.zone_steps,
        fwhm_px=frames.fwhm_px if done.accepted else None,
        field=field_of(kit.rig, *frames.stars_of(done.used)) if done.accepted else None,
    )


async def carry_out(kit: Kit, run: Run, frames: FocusFrames) -> Done:
    """Do what a run asks for, to its end."""
    step = next(run)
    try:
        while True:
            if isinstance(step, Measure):
                taken = await frames.take(step)
                await kit.step(frames.numbers(), frames.words() + (f": {step.words}" if step.words else ""))
                kit.progress.current = len(taken)
                kit.progress.target = max(kit.progress.target or 0, len(taken) + 1)
                step = run.send(taken)
            else:
                kit.progress.words = f"waiting: {step.words}"
                await kit.clock.sleep(step.seconds)
                step = run.send(frames.taken)
    except StopIteration as end:
        done: Done = end.value
        return done


def tube_c(kit: Kit) -> float | None:
    """The focuser's temperature, averaged where a night does that."""
    averaged = kit.tools.tube_c()
    if averaged is not None:
        return round(averaged, 2)
    state = kit.devices.focuser.state if kit.devices.focuser else None
    return state.temperature_c if state else None
