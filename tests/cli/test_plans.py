"""`vigil plan`: plans kept, listed, changed and deleted; a plan's scenario and limits in words."""

import json
from pathlib import Path
from typing import Any

import pytest

from campaigns.demo import demo_plan, demo_rig, short_plan
from vigil.cli import main
from vigil.documents.events import Event
from vigil.documents.plan import Block, NightPlan, StandingOrders
from vigil.documents.store import load, save
from vigil.link.rehearsal import NotRehearsed, odds_apart
from vigil.planning.overheads import Overheads, overheads_of, usual_overheads
from vigil.planning.plantext import limits_words, orders_told, own_limits_words, plan_text

PLAN, RIG = demo_plan(), demo_rig()


@pytest.fixture(autouse=True)
def own_folders(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))


def told(capsys: pytest.CaptureFixture[str]) -> Any:
    return json.loads(capsys.readouterr().out)


@pytest.fixture()
def kept(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> Path:
    """A plan of the demo's kept as "Mine"; returns its file."""
    save(PLAN, tmp_path / "plan.json")
    assert main(["plan", "keep", str(tmp_path / "plan.json"), "Mine", "--json"]) == 0
    return Path(told(capsys)["path"])


def test_plans_are_kept_listed_and_deleted(kept: Path, capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["plan", "list", "--json"]) == 0
    assert told(capsys)["plans"] == [{"name": "Mine", "targets": ["IC 405"], "frames": 16}]
    (kept.parent / "torn.json").write_text('{"kind": "night plan"')
    assert main(["plan", "list"]) == 0
    shown = capsys.readouterr()
    assert shown.out.startswith("Mine: IC 405; 16 frames") and "torn.json: line 1" in shown.err
    assert main(["plan", "delete", "mine"]) == 0
    assert "deleted" in capsys.readouterr().out and not kept.exists()
    assert main(["plan", "show", "Mine"]) == 2
    assert "no plan is called 'Mine'; there are none" in capsys.readouterr().err


@pytest.mark.parametrize(
    ("field", "value", "said", "read"),
    [
        ("orders.focus_every_min", "60", "focus every min 90 → 60", lambda p: p.orders.focus_every_min == 60),
        ("orders.focus_every_min", "null", "→ none", lambda p: p.orders.focus_every_min is None),
        (
            "blocks.ic405.lines.ic405-ha.count",
            "20",
            "count 8 → 20",
            lambda p: p.blocks[0].lines[0].count == 20,
        ),
        ("blocks.0.order", "in turn", "→ in turn", lambda p: p.blocks[0].order == "in turn"),
        (
            "blocks.ic405.limits",
            '{"focus_every_min": 30}',
            "limits changed",
            lambda p: p.blocks[0].orders_in(p.orders).focus_every_min == 30,
        ),
        ("rehearse_under", "windy", "rehearse under none → windy", lambda p: p.rehearse_under == "windy"),
    ],
)
def test_one_value_is_changed_by_its_path(
    kept: Path, capsys: pytest.CaptureFixture[str], field: str, value: str, said: str, read: Any
) -> None:
    assert main(["plan", "set", "Mine", field, value]) == 0
    assert said in capsys.readouterr().out
    assert read(load(NightPlan, kept))
    assert load(NightPlan, kept.with_name(kept.name + ".previous")).blocks == PLAN.blocks


@pytest.mark.parametrize(
    ("field", "value", "said"),
    [
        ("orders.focus_evry_min", "60", "has no orders.focus_evry_min"),
        ("orders.focus_every_min", "-3", "at least 0.1, not -3"),
        ("blocks.m31.off", "true", "there is no 'm31'; there are ic405"),
        ("blocks.ic405.limits", '{"park_at_end": false}', "no limit 'park_at_end' of its own"),
        ("name", "", "must not be empty"),
    ],
)
def test_what_cannot_be_is_said_and_the_plan_stays(
    kept: Path, capsys: pytest.CaptureFixture[str], field: str, value: str, said: str
) -> None:
    before = kept.read_bytes()
    assert main(["plan", "set", "Mine", field, value]) == 2
    assert said in capsys.readouterr().err and kept.read_bytes() == before


def test_the_words_of_each_action_are_asked_for(capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["plan", "set", "Mine"]) == 2
    assert "vigil plan set PLAN FIELD VALUE" in capsys.readouterr().err


def test_a_plan_is_rehearsed_under_its_own_scenario(
    kept: Path, capsys: pytest.CaptureFixture[str], tmp_path: Path
) -> None:
    cloud = {"kind": "scenario", "schema": 1, "name": "cloud", "air": {"wind_m_s": 1.0}}
    cloud["air"] = {"clouds": [{"arrives_min": 60, "minutes": 30, "thickness_mag": 6, "edge_min": 2}]}
    scenario = tmp_path / "cloud.json"
    scenario.write_text(json.dumps(cloud))
    assert main(["plan", "set", "Mine", "rehearse_under", str(scenario)]) == 0
    capsys.readouterr()
    assert main(["rehearse", "Mine", "--demo", "--json"]) in (0, 3)
    lines = capsys.readouterr().out.splitlines()
    events = [Event.model_validate_json(line) for line in lines[:-1]]
    assert any("stars where" in event.reason for event in events if event.kind == "held")


def test_the_odds_come_from_a_process_of_its_own() -> None:
    far: list[tuple[int, int]] = []
    odds = odds_apart(short_plan(count=1), RIG, "clear", 1, far=lambda done, of: far.append((done, of)))
    assert odds.seeds == 1 and set(odds.complete.values()) == {1.0} and len(odds.complete) == 2
    assert far and far[-1] == (1, 1)
    with pytest.raises(NotRehearsed, match="no scenario is called 'fog'"):
        odds_apart(short_plan(count=1), RIG, "fog", 2)


# -- words ---------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("name", "orders", "said"),
    [
        ("dithered", {}, "off"),
        ("dithered", {"dither_every_frames": 3}, "every 3 frames, by 8 px at most"),
        (
            "focus fresh",
            {"focus_colder_by_c": None, "focus_grown_by_percent": None},
            "refocused after 90 min",
        ),
        (
            "focus fresh",
            {"focus_colder_by_c": None, "focus_grown_by_percent": None, "focus_every_min": None},
            "focused once",
        ),
        ("on target", {"target_keep_arcmin": None}, "centred to 4 px, not recentred after that"),
        ("enough stars", {"stars_at_least_percent": None}, "off"),
        ("safe", {"when_unsafe": "stay"}, "else all stays as it is"),
        ("pier side", {"centre_after_flip": False}, "not recentred after a flip"),
        ("connected", {}, ""),
    ],
)
def test_limits_are_said_plainly(name: str, orders: dict[str, Any], said: str) -> None:
    assert limits_words(name, StandingOrders(**orders), RIG) == said


def test_a_plans_text_has_what_is_a_blocks_own() -> None:
    own = Block.model_validate(
        {
            **PLAN.blocks[0].model_dump(),
            "limits": {"target_keep_arcmin": 3, "focus_every_min": None, "focus_at_new_target": True},
        }
    )
    said = "focus fresh every: off, on every new target; on target recentre when off by 3′"
    assert own_limits_words(own, PLAN.orders) == said
    assert f"of its own: {said}" in plan_text(PLAN.model_copy(update={"blocks": [own]}), RIG)
    assert own_limits_words(PLAN.blocks[0], PLAN.orders) == ""
    assert [name for name, _ in orders_told(PLAN, RIG)][:2] == ["enough stars", "camera cold"]


def test_the_rigs_document_says_how_long_things_take() -> None:
    usual = usual_overheads(RIG)
    slow = RIG.model_copy(
        update={"mount": RIG.mount.model_copy(update={"slew_deg_s": 1.0, "settle_s": 10.0})}
    )
    assert usual_overheads(slow).flip_s - usual.flip_s == pytest.approx(180 - 60 + 6)
    assert usual_overheads(slow).dither_s == 1.0, "the guide star is moved"
    assert usual_overheads(slow).guide_s == 5 * 2.6 + 10
    unguided = slow.model_copy(update={"guider": None})
    assert usual_overheads(unguided).dither_s == 11.0 and usual_overheads(unguided).guide_s == 0
    camera = RIG.camera.model_copy(update={"download_s": [20.0]})
    loads = RIG.model_copy(update={"camera": camera})
    assert usual_overheads(loads).focus_s - usual.focus_s == pytest.approx(12 * (20 - RIG.readout_s()))
    assert usual_overheads(RIG.model_copy(update={"focuser": None})).focus_s == 0
    assert usual_overheads(RIG.model_copy(update={"camera": None})) == Overheads()
    assert overheads_of([], RIG) == usual
