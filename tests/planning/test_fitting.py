"""A plan made to fit another rig."""

from campaigns.demo import demo_plan, demo_rig
from campaigns.rigs import example
from vigil.documents.plan import contradictions
from vigil.documents.rig.change import with_value
from vigil.planning.fitting import fit
from vigil.planning.fromdevices import rig_of_what_is_connected


def test_what_the_rig_lacks_is_left_out_and_named() -> None:
    rig = with_value(demo_rig(), ("wheel", "in_use"), "moonlit")
    plan, said = fit(demo_plan(), rig)
    assert [line.filter for line in plan.blocks[0].lines] == ["Ha"]
    (lacking,) = said
    assert lacking.startswith("IC 405: L ") and lacking.endswith("is left out, Heron 480 lacks it")
    assert contradictions(plan, rig) == []
    block = demo_plan().blocks[0]
    lines = [line.model_copy(update={"filter": "Q"}) for line in block.lines]
    strange = demo_plan().model_copy(update={"blocks": [block.model_copy(update={"lines": lines})]})
    plan, said = fit(strange, rig)
    assert plan.blocks == [] and "IC 405 is left out: Heron 480 has none of its filters" in said


def test_a_rig_without_filters_takes_each_target_once() -> None:
    plan, said = fit(demo_plan(), example("tern-135"))
    assert [(line.filter, line.gain) for block in plan.blocks for line in block.lines] == [("", None)]
    assert said == ["IC 405: without filter, in place of Ha, L"]


def test_a_drawer_holds_one_filter_a_night() -> None:
    rig = with_value(demo_rig(), ("wheel", "kind"), "drawer")
    assert "a night uses one of them" in contradictions(demo_plan(), rig)[0]
    assert "filter wheel" not in rig.device_names
    plan, _ = fit(demo_plan(), with_value(rig, ("wheel", "in_use"), "moonlit"))
    assert [line.filter for line in plan.blocks[0].lines] == ["Ha"]


def test_nothing_connected_leaves_what_is_no_device() -> None:
    made = rig_of_what_is_connected(demo_rig(), {})
    assert made.device_names == [] and made.telescope == demo_rig().telescope and made.reducer is not None
