"""Documents: loading, refusing, keeping the previous; what rig and plan allow."""

import json
from pathlib import Path
from typing import Any, ClassVar

import pytest

from campaigns.demo import demo_plan, demo_rig
from vigil.cli.files import demo_file
from vigil.documents.pattern import Pattern
from vigil.documents.plan import NightPlan, Target, contradictions
from vigil.documents.rig import Rig
from vigil.documents.store import Document, DocumentError, dump, load, parse, save


def altered(name: str, path: str, value: Any) -> str:
    """A demo document's text with one field changed; None removes it."""
    data = json.loads(demo_file(name).read_text())
    *way, last = path.split(".")
    place = data
    for step in way:
        place = place[int(step)] if isinstance(place, list) else place[step]
    if value is None:
        del place[last]
    else:
        place[last] = value
    return json.dumps(data)


def test_saved_and_loaded_is_the_same(tmp_path: Path) -> None:
    for model, document in ((Rig, demo_rig()), (NightPlan, demo_plan())):
        path = tmp_path / "document.json"
        save(document, path)
        assert load(model, path) == document  # type: ignore[type-var]
        path.unlink()


def test_the_previous_version_is_kept(tmp_path: Path) -> None:
    path = tmp_path / "rig.json"
    rig = demo_rig()
    save(rig, path)
    save(rig.model_copy(update={"name": "Heron at work"}), path)
    assert load(Rig, path).name == "Heron at work"
    assert load(Rig, tmp_path / "rig.json.previous").name == "Heron 480"
    assert sorted(p.name for p in tmp_path.iterdir()) == ["rig.json", "rig.json.previous"]


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("{", "line 1, column 2: not valid JSON"),
        ('{\n "kind": "rig",\n "schema": 1,,\n}', "line 3, column "),
        ("[]", 'not a rig: "kind" must be "rig"'),
        ('{"kind": "night plan", "schema": 1}', "found 'night plan'"),
        ('{"kind": "rig", "schema": 99}', "schema 99 is not known here"),
        ('{"kind": "rig"}', "schema None"),
        (altered("heron-480.json", "camera.pixel_um", None), "camera.pixel_um: is missing"),
        (
            altered("heron-480.json", "camera.pixel_um", -1),
            "camera.pixel_um: must be over 0.2, not -1",
        ),
        (altered("heron-480.json", "camera.pixle_um", 3), "camera.pixle_um: there is no such field"),
        (altered("heron-480.json", "site.latitude_deg", 95), "at most 90, not 95"),
        (
            altered("heron-480.json", "wheel.sets.0.focus_through", "Z"),
            "no filter is called 'Z'; the set has L, R",
        ),
        (altered("heron-480.json", "wheel.sets.0.filters.0.slot", 9), "slot 9, the wheel has 7"),
        (altered("heron-480.json", "wheel.sets.0.filters.0.name", "R"), "a name and a slot of its own"),
        (altered("heron-480.json", "id", "Heron 480!"), "id: can't be"),
    ],
)
def test_bad_rigs_are_refused_with_place_and_remedy(text: str, says: str) -> None:
    with pytest.raises(DocumentError) as caught:
        parse(Rig, text, "my-rig.json")
    assert says in str(caught.value)
    assert str(caught.value).startswith("my-rig.json: ")


@pytest.mark.parametrize(
    ("path", "value", "says"),
    [
        ("blocks.0.target.name", "IC 99999", "no object is called 'IC 99999'"),
        ("blocks.0.target.name", "", "must not be empty"),
        ("blocks.0.target.ra_deg", 400, "blocks.0.target"),
        ("blocks.0.lines.0.exposure_s", 0, "at least 1e-05, not 0"),
        ("blocks.0.lines.0.count", 0, "at least 1, not"),
        ("blocks.0.lines.1.id", "ic405-ha", "each exposure line needs an id of its own; ic405-ha"),
        ("blocks.0.lines", [], "needs at least 1"),
        ("blocks.0.span.opens.moment", "noonish", "'civil', 'nautical' or 'astronomical'"),
    ],
)
def test_bad_plans_are_refused(path: str, value: Any, says: str) -> None:
    with pytest.raises(DocumentError) as caught:
        parse(NightPlan, altered("plan.json", path, value), "tonight.json")
    assert says in str(caught.value)


def test_unreadable_files_are_said(tmp_path: Path) -> None:
    with pytest.raises(DocumentError, match="no such file"):
        load(Rig, tmp_path / "none.json")
    with pytest.raises(DocumentError, match="it is no file"):
        load(Rig, tmp_path)
    (tmp_path / "binary").write_bytes(b"\xff\xfe\x00")
    with pytest.raises(DocumentError, match="no text in UTF-8"):
        load(Rig, tmp_path / "binary")


class Leaf(Document):
    """A document that has changed twice."""

    KIND: ClassVar[str] = "leaf"
    SCHEMA: ClassVar[int] = 3
    MIGRATIONS: ClassVar[Any] = {
        1: lambda data: {**data, "size_mm": data["size_cm"] * 10},
        2: lambda data: {k: v for k, v in data.items() if k != "size_cm"} | {"colour": "green"},
    }

    size_mm: float
    colour: str


def test_older_schemas_are_migrated_step_by_step() -> None:
    old = '{"kind": "leaf", "schema": 1, "size_cm": 2}'
    assert parse(Leaf, old, "x") == Leaf(size_mm=20, colour="green")
    newer = '{"kind": "leaf", "schema": 2, "size_cm": 2, "size_mm": 30}'
    assert parse(Leaf, newer, "x").size_mm == 30
    assert json.loads(dump(Leaf(size_mm=1, colour="red")))["schema"] == 3


def test_targets_by_name_by_text_and_by_numbers() -> None:
    assert Target(name="ic405") == Target(name="ic405", ra_deg=79.12283, dec_deg=34.35617)  # type: ignore[call-arg]
    written = Target(name="mine", ra_deg="05h 16m 12s", dec_deg="+34° 27′")  # type: ignore[arg-type]
    assert (written.ra_deg, written.dec_deg) == pytest.approx((79.05, 34.45))


def test_contradictions_of_plan_and_rig() -> None:
    rig, plan = demo_rig(), demo_plan()
    assert contradictions(plan, rig) == []
    text = altered("plan.json", "blocks.0.lines.0.filter", "H-beta")
    (said,) = contradictions(parse(NightPlan, text, "x"), rig)
    assert said == "blocks.0.lines.0.filter: Heron 480 has no filter 'H-beta'; it has L, R, G, B, Ha, O3, S2"
    empty = parse(NightPlan, altered("plan.json", "blocks", []), "x")
    assert contradictions(empty, rig) == ["blocks: there is no target in the plan; put one in"]
    south = altered("plan.json", "blocks.0.target", {"name": "low", "ra_deg": 10, "dec_deg": -40})
    (said,) = contradictions(parse(NightPlan, south, "x"), rig)
    assert "rises to 3° at most from Larch Hollow, the limit is 25°" in said


def test_numbers_of_the_rig() -> None:
    rig = demo_rig()
    assert rig.scale_arcsec_px() == pytest.approx(1.63293, abs=1e-5)
    assert rig.field_px(2) == (1500, 1500)
    assert rig.telescope.focal_ratio == 6
    assert rig.site.place().pressure_hpa == pytest.approx(923, abs=1)
    with pytest.raises(KeyError, match="the wheel has L"):
        rig.wheel.filter("nothing")


def test_a_plan_of_schema_1_keeps_its_conditions_under_their_new_names() -> None:
    old = json.loads(demo_file("plan.json").read_text())
    named = [{"kind": "condition", "name": "stars seen", "off": True}]
    plan = parse(NightPlan, json.dumps({**old, "schema": 1, "opening": named}), "an old plan")
    assert [(item.name, item.off) for item in plan.opening] == [("enough stars", True)]
    kept = {
        "kind": "pattern",
        "schema": 1,
        "name": "x",
        "of": "plan",
        "blocks": old["blocks"],
        "opening": named,
    }
    pattern = parse(Pattern, json.dumps(kept), "an old pattern")
    assert [(item.name, item.off) for item in pattern.opening] == [("enough stars", True)]


def test_a_plan_of_schema_2_skips_the_target_where_it_left_it_out() -> None:
    old = json.loads(demo_file("plan.json").read_text())
    said = "leave the target out"
    ask = {"kind": "ask", "id": "cap", "question": said, "otherwise": said}
    old |= {"schema": 2, "orders": {"turn_unanswered": said}, "opening": [ask]}
    old["blocks"][0] |= {"limits": {"turn_unanswered": said}, "steps": [{**ask, "id": "c2"}]}
    plan = parse(NightPlan, json.dumps(old), "an old plan")
    block, asked = plan.blocks[0], plan.opening[0]
    assert plan.orders.turn_unanswered == block.limits["turn_unanswered"] == "skip the target"
    assert asked.otherwise == block.steps[0].otherwise == "skip the target"
    assert asked.question == said, "words of one's own stay"
