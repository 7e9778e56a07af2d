"""Dithers: where they go, how often, and what they leave of the pointing."""

from pathlib import Path

import pytest

from campaigns.demo import demo_rig, short_plan
from vigil.cli.rehearsing import rehearsed
from vigil.documents.events import Event, Kind
from vigil.documents.plan import NightPlan
from vigil.documents.scenario import Scenario
from vigil.planning.forecast import forecast

RIG = demo_rig()


def run(plan: NightPlan, folder: Path) -> tuple[Event, ...]:
    return rehearsed(plan, RIG, Scenario(), 3, folder).events


def dithers(events: tuple[Event, ...]) -> list[Event]:
    return [e for e in events if e.kind is Kind.ACTIVITY_ENDED and e.values["kind"] == "dither"]


def test_every_third_frame_and_the_lights_stay_on_their_aim(tmp_path: Path) -> None:
    plan = short_plan(count=6, dither_every_frames=3, dither_px=10.0)
    events = run(plan, tmp_path)
    moved = dithers(events)
    assert len(moved) == 3 and all(e.values["outcome"] == "done" for e in moved)
    lights = [e for e in events if e.kind is Kind.FRAME_MEASURED]
    assert len(lights) == 12 and all(e.values["off_arcsec"] < 120 for e in lights)
    offsets = [(e.values["dither"]["east_arcsec"], e.values["dither"]["north_arcsec"]) for e in moved]
    assert len(set(offsets)) == 3
    starts = [e.at for e in events if e.kind is Kind.EXPOSURE_STARTED]
    assert [sum(s < e.at for s in starts) for e in moved] == [3, 6, 9]


def test_off_is_off_and_once_a_round_is_once_a_round(tmp_path: Path) -> None:
    assert dithers(run(short_plan(count=4), tmp_path)) == []
    plan = short_plan(count=3, dither_once_a_round=True)
    turn = plan.model_copy(
        update={"blocks": [block.model_copy(update={"order": "in turn"}) for block in plan.blocks]}
    )
    assert len(dithers(run(turn, tmp_path))) == 2, "three rounds of two lines"
    assert dithers(run(plan, tmp_path)) == [], "lines one after another have no rounds"


@pytest.mark.parametrize(("every", "count"), [(1, 11), (5, 2), (None, 0)])
def test_the_timetable_has_them(every: int | None, count: int) -> None:
    ahead = forecast(short_plan(count=6, dither_every_frames=every), RIG, RIG.simulated.starts_at)
    assert sum(step.kind == "dither" for step in ahead.steps) == count
