"""What is wrong or doubtful with a plan, with its place."""

from datetime import time
from typing import Any

import pytest

from campaigns.demo import demo_plan, demo_rig, short_plan
from vigil.documents.messages import DeviceReport
from vigil.documents.plan import NightPlan
from vigil.documents.rig.change import with_value
from vigil.planning.forecast import forecast
from vigil.planning.muster import Finding
from vigil.planning.planmuster import Around, plan_muster

RIG = demo_rig()
assert RIG.simulated is not None
AT = RIG.simulated.starts_at


def found(plan: NightPlan, **around: Any) -> list[Finding]:
    return plan_muster(plan, RIG, Around(forecast(plan, RIG, AT), **around))


def with_orders(**values: Any) -> NightPlan:
    return short_plan(**values)


def with_block(**values: Any) -> NightPlan:
    plan = short_plan()
    return plan.model_copy(update={"blocks": [plan.blocks[0].model_copy(update=values)]})


def with_span(**values: Any) -> NightPlan:
    return with_block(span=short_plan().blocks[0].span.model_copy(update=values))


def with_line(**values: Any) -> NightPlan:
    lines = short_plan().blocks[0].lines
    return with_block(lines=[lines[0].model_copy(update=values), *lines[1:]])


def test_the_demos_plan_has_nothing_doubtful() -> None:
    assert found(demo_plan()) == []
    assert [f.words for f in plan_muster(NightPlan(name="x", blocks=[]), RIG)] == [
        "There is no target in the plan; put one in"
    ]


def test_who_follows_the_temperature_must_know_by_how_much() -> None:
    plan = with_orders(focus_follows=True)
    assert found(plan) == []
    knows_nothing = with_value(RIG, ("focuser", "steps_per_c"), None)
    (finding,) = plan_muster(plan, knows_nothing)
    assert finding.doubt and finding.path == ("orders", "focus_follows") and "Tune" in finding.words


@pytest.mark.parametrize(
    ("plan", "path", "words"),
    [
        (with_line(count=999), ("blocks", 0, "lines", 0, "count"), "of 999 Ha 60 s frames of IC 405 lost"),
        (
            with_span(from_clock=time(13), until_clock=time(13, 30)),
            ("blocks", 0, "span"),
            "The span of IC 405 never opens tonight.",
        ),
        (with_span(hour_angle_from_h=10.0), ("blocks", 0, "span"), "never opens"),
        (
            with_span(moon="down").model_copy(
                update={"blocks": [with_line(moon="up").blocks[0].model_copy(
                    update={"span": with_span(moon="down").blocks[0].span})]}
            ),
            ("blocks", 0, "lines", 0, "moon"),
            "wants the moon up, its block the moon down: never",
        ),
        (with_orders(target_reach_px=300.0), ("orders", "target_reach_px"), "it would never end"),
        (
            with_orders(dither_every_frames=2, dither_px=150.0),
            ("orders", "dither_px"),
            "A dither of 150 px leaves",
        ),
        (
            with_block(order="in turn").model_copy(
                update={"orders": short_plan(focus_at_filter_change=True).orders}
            ),
            ("blocks", 0, "order"),
            "more focusing than exposing",
        ),
        (with_orders(park_at_end=False), ("orders", "park_at_end"), "goes on tracking"),
        (with_orders(warm_at_end=False), ("orders", "warm_at_end"), "leaves the camera cold"),
    ],
)  # fmt: skip
def test_doubts_with_their_place(plan: NightPlan, path: tuple[object, ...], words: str) -> None:
    told = found(plan)
    assert path in [f.path for f in told] and len(told) <= 2
    finding = next(f for f in told if f.path == path)
    assert finding.doubt and words in finding.words


def test_odd_lines_out() -> None:
    plan = short_plan()
    block = plan.blocks[0]
    twin = [line.model_copy(update={"id": f"twin-{line.id}", "gain": 5}) for line in block.lines]
    other = block.model_copy(update={"id": "twin", "lines": twin})
    odd = found(plan.model_copy(update={"blocks": [block, other]}))
    assert [f.path for f in odd] == [("blocks", 1, "lines", 0, "gain"), ("blocks", 1, "lines", 1, "gain")]
    assert "has gain 5, IC 405 · Ha 60 s as the rig" in odd[0].words


def test_disk_and_devices() -> None:
    assert "GB are free" in found(short_plan(), free_bytes=10**6)[0].words
    assert found(short_plan(), free_bytes=10**12) == []
    broken = DeviceReport(name="mount", lamp="fault", fault="it doesn't answer", advice="look at its cable")
    rest = [DeviceReport(name=name, lamp="ready") for name in RIG.device_names if name != "mount"]
    told = found(short_plan(), reports=[broken, *rest])
    assert [f.words for f in told] == ["It doesn't answer; look at its cable."]
    assert told[0].path == ("rig", "mount")


def test_what_the_rig_cannot_do_is_a_fault_at_its_place() -> None:
    faults = [f for f in plan_muster(with_line(filter="X"), RIG) if not f.doubt]
    assert [f.path for f in faults] == [("blocks", 0, "lines", 0, "filter")]
    assert "has no filter 'X'" in faults[0].words
