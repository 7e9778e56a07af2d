"""A whole night rehearsed, against bare sleeps of the same virtual loop."""

import asyncio
import tempfile
from pathlib import Path

from benchmarks.ratio import Ratio, compare
from campaigns.demo import demo_plan, demo_rig
from vigil.cli.rehearsing import rehearsed
from vigil.documents.plan import NightPlan
from vigil.documents.scenario import Scenario
from vigil.planning.account import account
from vigil.runtime.simulated import run_virtual

_SLEEPS, _FRAMES, _A_FRAME_S, _SLEEPS_TIMES = 36_000, 200, 0.010, 3.0


def _plan() -> NightPlan:
    """Ten hours of two targets and two filters, dithered and refocused as usual."""
    plan = demo_plan()
    block = plan.blocks[0]
    half = _FRAMES // 4
    lines = [line.model_copy(update={"exposure_s": 170.0, "count": half}) for line in block.lines]
    later = block.target.model_copy(update={"name": "NGC 2403", "ra_deg": 114.21, "dec_deg": 65.60})
    second = block.model_copy(
        update={
            "id": "ngc2403",
            "target": later,
            "lines": [line.model_copy(update={"id": f"second-{line.id}"}) for line in lines],
        }
    )
    orders = plan.orders.model_copy(update={"dither_every_frames": 3})
    first = block.model_copy(update={"lines": lines})
    return plan.model_copy(update={"blocks": [first, second], "orders": orders})


async def _sleeps() -> None:
    for _ in range(_SLEEPS):
        await asyncio.sleep(1.0)


def night() -> Ratio:
    """`ours` is the rehearsal less ten milliseconds a frame."""
    plan, rig = _plan(), demo_rig()
    with tempfile.TemporaryDirectory() as folder:

        def rehearse() -> None:
            told = rehearsed(plan, rig, Scenario(), 1, Path(folder))
            found = account(plan, told.events)
            hours = (told.events[-1].at - told.events[0].at).total_seconds() / 3600
            assert found.frames == _FRAMES and hours > 10, (found.frames, hours)

        taken = compare(
            f"ten hours, {_FRAMES} frames, rehearsed", rehearse, lambda: run_virtual(_sleeps()), 0.0, 5
        )
    allowed = _SLEEPS_TIMES * taken.reference + _FRAMES * _A_FRAME_S
    name = f"{taken.name} ({taken.ours / taken.reference:.2f} × {_SLEEPS:,} sleeps)"
    return Ratio(f"{name}, of what is allowed", taken.ours, allowed, 1.0)
