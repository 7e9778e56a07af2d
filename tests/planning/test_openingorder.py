"""A plan's own order of conditions, edited piece by piece."""

from campaigns.demo import demo_plan
from vigil.documents.conditions import KNOWN
from vigil.documents.steps import Ask, MustHold, OpeningItem
from vigil.planning.openingorder import in_order, moved, switched
from vigil.planning.revision import changes

USUAL = [known.name for known in KNOWN]
ASK = Ask(id="a", question="are the caps off?")


def names(opening: list[OpeningItem]) -> list[str]:
    return [item.name for item in in_order(opening)]


def test_a_condition_switched_off_and_on_leaves_no_trace() -> None:
    off = switched([], "dithered", True)
    assert off == [MustHold(name="dithered", off=True)]
    assert switched(off, "dithered", False) == []
    there = moved([], "heaters", -1, USUAL)
    assert switched(switched(there, "heaters", True), "heaters", False) == there


def test_moved_one_place_and_back_the_plan_is_as_it_was() -> None:
    there = moved([], "heaters", -1, USUAL)
    assert names(there).index("heaters") == USUAL.index("heaters") - 1
    assert names(there).index("roof open") == USUAL.index("heaters")
    # only what is out of its place is named, and what stands before it
    assert len(there) <= USUAL.index("heaters") + 1
    assert moved(there, "heaters", 1, USUAL) == []
    assert moved([], USUAL[0], -1, USUAL) == [] and moved([], USUAL[-1], 1, USUAL) == []


def test_conditions_that_a_rig_has_not_are_stepped_over() -> None:
    shown = [name for name in USUAL if name not in ("roof open",)]
    there = moved([], "heaters", -1, shown)
    assert names(there).index("heaters") < names(there).index("camera cold")


def test_steps_stay_behind_their_condition() -> None:
    opening: list[OpeningItem] = [MustHold(name="connected"), ASK]
    there = moved(opening, "heaters", -1, USUAL)
    at = [item.name if isinstance(item, MustHold) else item.id for item in there]
    assert at[:2] == ["connected", "a"] and names(there).index("heaters") == USUAL.index("heaters") - 1


def test_a_changed_opening_is_a_change() -> None:
    plan = demo_plan()
    asks = plan.model_copy(update={"opening": [ASK]})
    assert changes(plan, asks) == ["the plan: opening changed"] and changes(asks, asks) == []
    assert changes(plan, plan.model_copy(update={"name": "x"})) == [f"the plan: name {plan.name} → x"]
