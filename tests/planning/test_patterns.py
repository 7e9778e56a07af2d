"""Patterns: kept, exchanged, put into plans on other targets and rigs."""

from pathlib import Path

import pytest

from campaigns.demo import demo_rig, short_plan
from campaigns.rigs import example
from vigil.cli import main
from vigil.documents.namedfiles import NotThere
from vigil.documents.pattern import Pattern, Patterns
from vigil.documents.plan import NightPlan, StandingOrders, Target
from vigil.documents.steps import Ask, MustHold, RunProgram, TestExposure
from vigil.documents.store import load, save
from vigil.planning.patterns import of_block, of_plan, put_into

RIG = demo_rig()
ELSEWHERE = Target(name="NGC 1893", ra_deg=80.7, dec_deg=33.4)
EMPTY = NightPlan(name="new", blocks=[])
CAPS = Ask(id="caps", question="are the caps off?")
NOTE = RunProgram(id="note", arguments=["/bin/echo", "over"])


def whole() -> NightPlan:
    plan = short_plan()
    block = plan.blocks[0].model_copy(update={"steps": [TestExposure(id="trial", filter="L")]})
    opening = [MustHold(name="connected"), CAPS]
    return plan.model_copy(update={"blocks": [block], "opening": opening, "closing": [NOTE]})


def test_a_plan_twice_has_ids_of_its_own_and_one_opening() -> None:
    pattern = of_plan(whole(), "winter")
    once, said = put_into(EMPTY, pattern, RIG)
    assert said == [] and once.orders == whole().orders
    twice, said = put_into(once, pattern, RIG)
    assert said == [] and [b.id for b in twice.blocks] == ["ic405", "ic405-2"]
    assert len({line.id for b in twice.blocks for line in b.lines}) == 4
    assert twice.opening == once.opening and twice.closing == once.closing and len(twice.steps) == 4
    # the plan that comes of it is one that can be written and read again
    assert NightPlan.model_validate(twice.model_dump()) == twice


def test_standing_orders_are_the_plans_own() -> None:
    plan = whole().model_copy(update={"orders": StandingOrders(focus_every_min=33)})
    changed, said = put_into(plan, of_plan(whole(), "winter"), RIG)
    assert changed.orders.focus_every_min == 33 and said == ["the plan keeps its own standing orders"]


def test_a_block_goes_to_another_target_and_another_rig() -> None:
    pattern = of_block(whole().blocks[0], "narrow")
    plan, said = put_into(whole(), pattern, RIG, ELSEWHERE)
    assert [b.target.name for b in plan.blocks] == ["IC 405", "NGC 1893"] and said == []
    assert plan.blocks[1].lines[0].id == "ngc1893-ha" and plan.blocks[1].span == whole().blocks[0].span
    colour = example("tern-135")
    plan, said = put_into(EMPTY, pattern, colour, ELSEWHERE)
    assert plan.blocks[0].lines[0].filter == "" and "without filter, in place of Ha, L" in said[0]


def test_lines_go_to_a_block_or_a_target() -> None:
    pattern = of_block(whole().blocks[0], "Ha and L", lines_only=True)
    plan, _ = put_into(whole(), pattern, RIG, block_id="ic405")
    assert [line.id for line in plan.blocks[0].lines] == ["ic405-ha", "ic405-l", "ic405-ha-2", "ic405-l-2"]
    plan, _ = put_into(whole(), pattern, RIG, ELSEWHERE)
    assert [len(b.lines) for b in plan.blocks] == [2, 2]
    with pytest.raises(ValueError, match="no block ''; there are ic405"):
        put_into(whole(), pattern, RIG)


def test_patterns_are_files(tmp_path: Path) -> None:
    patterns = Patterns(tmp_path / "patterns")
    assert patterns.all() == [] and patterns.broken() == []
    kept = patterns.keep(of_plan(whole(), "A winter night"))
    assert patterns.keep(of_block(whole().blocks[0], "a WINTER night")) == kept, "in place of its name"
    assert patterns.named("A Winter Night").of == "block"
    (kept.parent / "torn.json").write_text(kept.read_text()[:90])
    assert "not valid JSON" in patterns.broken()[0] and len(patterns.all()) == 1
    patterns.remove("a winter night")
    with pytest.raises(NotThere, match="no pattern is called 'x'; there are none"):
        patterns.named("x")
    with pytest.raises(ValueError, match="a pattern of lines has one block, not 2"):
        Pattern(name="x", of="lines", blocks=whole().blocks * 2)


def test_from_the_command_line(own_folders: Path, capsys: pytest.CaptureFixture[str]) -> None:
    plan, other, file = (str(own_folders / name) for name in ("plan.json", "other.json", "file.json"))
    save(whole(), Path(plan))
    assert main(["pattern", "keep", plan, "winter"]) == 0
    assert main(["pattern", "keep", plan, "lines", "--lines-of", "IC 405"]) == 0
    assert main(["pattern", "apply", "winter", other]) == 0
    assert main(["pattern", "apply", "lines", other, "--target", "NGC 1893"]) == 0
    assert [b.id for b in load(NightPlan, Path(other)).blocks] == ["ic405", "ngc1893"]
    assert main(["pattern", "apply", "lines", other, "--target", "5h22m30s +33°25'00\""]) == 0
    placed = load(NightPlan, Path(other)).blocks[-1].target
    assert placed.ra_deg == pytest.approx(80.625) and placed.dec_deg == pytest.approx(33 + 25 / 60)
    assert main(["pattern", "export", "winter", file]) == 0 and main(["pattern", "delete", "winter"]) == 0
    assert main(["pattern", "import", file]) == 0
    capsys.readouterr()
    assert main(["pattern", "list"]) == 0
    assert "lines (lines): Ha 60 s, L 60 s" in capsys.readouterr().out
    for words, said in (
        (["apply", "nothing", other], "no pattern is called 'nothing'"),
        (["apply", "lines", other], "give --target or --block"),
        (["keep", plan, "x", "--block", "y"], "no block is called 'y'"),
        (["keep", plan], "`keep` needs PLAN NAME"),
        (["import", plan], "not a pattern"),
    ):
        assert main(["pattern", *words]) == 2
        assert said in capsys.readouterr().err
