"""`vigil targets`, `frame`, `shelf`, `ready`, `catalogue`: the same core as the window, told as JSON."""

import json
from pathlib import Path
from typing import Any

import pytest

from vigil.cli import main
from vigil.documents.plan import NightPlan
from vigil.documents.store import load
from vigil.optics.footprint import Footprint
from vigil.runtime.folders import shelf_file


@pytest.fixture(autouse=True)
def folders(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    for name in ("DATA", "STATE", "CACHE"):
        monkeypatch.setenv(f"XDG_{name}_HOME", str(tmp_path / name))


def told(capsys: pytest.CaptureFixture[str], *words: str, status: int = 0) -> dict[str, Any]:
    assert main([*words, "--json"]) == status
    return json.loads(capsys.readouterr().out)


def refused(capsys: pytest.CaptureFixture[str], *words: str) -> str:
    assert main(list(words)) == 2
    return capsys.readouterr().err


def test_what_tonight_offers(capsys: pytest.CaptureFixture[str]) -> None:
    found = told(capsys, "targets", "--most", "5", "--night", "2027-01-12")
    assert found["night"] == "2027-01-12" and found["rig"] == "Heron 480" and len(found["objects"]) == 5
    first = found["objects"][0]
    assert first["score"] >= found["objects"][-1]["score"] and 0 < first["hours"] <= found["dark_h"]
    summer = told(capsys, "targets", "--most", "5", "--night", "2027-06-21")
    assert summer["dark_h"] < found["dark_h"]
    assert {o["name"] for o in summer["objects"]} != {o["name"] for o in found["objects"]}


def test_filters_and_weights(capsys: pytest.CaptureFixture[str]) -> None:
    words = ("targets", "--kind", "galaxy", "--larger", "10", "--constellation", "UMa", "--moon", "60")
    objects = told(capsys, *words, "--weights", "time=2,size=0")["objects"]
    assert objects and {o["kind"] for o in objects} == {"galaxy"}
    assert all(o["major_arcmin"] >= 10 and o["moon_deg"] >= 60 for o in objects)
    assert {o["constellation"] for o in objects} == {"UMa"}
    assert told(capsys, "targets", "--constellation", "Oct", status=3)["objects"] == []
    assert "--weights" in refused(capsys, "targets", "--weights", "time:2")
    assert "--night 'soon'" in refused(capsys, "targets", "--night", "soon")


def test_a_search_tells_also_what_stands_badly(capsys: pytest.CaptureFixture[str]) -> None:
    (found,) = told(capsys, "targets", "--search", "flming star", "--most", "1")["objects"]
    assert found["name"] == "IC 405" and found["hours"] > 9
    never = told(capsys, "targets", "--search", "NGC 104")["objects"][0]
    assert never["hours"] == 0 and never["fit"] == "not above the horizon in darkness"
    assert told(capsys, "targets", "--search", "qqqqqqq", status=3)["objects"] == []
    place = told(capsys, "targets", "--search", "05 16 12 +34 27")["position"]
    assert place["ra_deg"] == pytest.approx(79.05) and place["hours"] > 9
    assert "not a position" in refused(capsys, "targets", "--search", "5 16 12 34 1 2 3")
    assert main(["targets", "--search", "79.05 34.45"]) == 0
    assert "above the horizon in darkness" in capsys.readouterr().out


def test_panels_are_told_with_their_corners(capsys: pytest.CaptureFixture[str]) -> None:
    words = ("frame", "M 81", "--columns", "3", "--rows", "2", "--overlap", "25", "--angle", "30")
    found = told(capsys, *words)
    assert [p["number"] for p in found["panels"]] == [1, 2, 3, 4, 5, 6]
    assert found["least_overlap_percent"] == pytest.approx(25, abs=0.05)
    width, height = found["field_deg"]
    for panel in found["panels"]:
        where = panel["ra_deg"], panel["dec_deg"], panel["position_angle_deg"]
        corners = Footprint(*where, width, height).corners()
        for said, corner in zip(panel["corners"], corners, strict=True):
            assert said == pytest.approx(corner)
    one = told(capsys, "frame", "05 16 12 +34 27")
    assert len(one["panels"]) == 1 and one["least_overlap_percent"] is None and one["nights"] is None


def test_covering_and_costs(capsys: pytest.CaptureFixture[str]) -> None:
    found = told(capsys, "frame", "NGC 1499", "--cover", "--lines", "Ha 300 s x 12; OIII 300 s x 12")
    assert found["columns"] * found["rows"] == 3 and found["panel_h"] > 2 and found["nights"] == 1
    assert main(["frame", "NGC 1499", "--columns", "2", "--lines", "Ha 300 s x 12"]) == 0
    assert "a night like this" in capsys.readouterr().out


@pytest.mark.parametrize(
    ("words", "says"),
    [
        (("frame", "NGC 0000000"), "no object is called"),
        (("frame", "M 31", "--columns", "11"), "1 to 10"),
        (("frame", "M 31", "--overlap", "95"), "0 to 90"),
        (("frame", "M 31", "--lines", "Ha for ever"), "no exposure line"),
        (("frame", "05 16 12 +34 27", "--cover"), "needs an object"),
        (("shelf", "plan", "M 31"), "needs NAME PLAN"),
        (("shelf", "delete", "M 31"), "'M 31' is not on the shelf"),
        (("shelf", "import", "/nowhere.csv"), "there is no such file"),
        (("catalogue", "add"), "say which table"),
        (("catalogue", "show", "x.csv"), "needs no file"),
    ],
)
def test_what_can_not_be_is_refused_with_the_reason(
    words: tuple[str, ...], says: str, capsys: pytest.CaptureFixture[str]
) -> None:
    assert says in refused(capsys, *words)


def test_the_shelf_out_and_in_and_into_a_plan(capsys: pytest.CaptureFixture[str], tmp_path: Path) -> None:
    assert main(["shelf", "list"]) == 0 and "the shelf is empty" in capsys.readouterr().out
    told(capsys, "frame", "NGC 1499", "--cover", "--lines", "Ha 300 s x 12", "--keep")
    told(capsys, "frame", "NGC 1499", "--columns", "2", "--lines", "Ha 300 s x 12", "--keep")
    (kept,) = told(capsys, "shelf", "list")["framed"]
    assert kept["framing"]["columns"] == 2 and kept["field_width_deg"] == pytest.approx(1.361, abs=0.001)
    plan = tmp_path / "plan.json"
    blocks = told(capsys, "shelf", "plan", "ngc 1499", str(plan))["blocks"]
    again = told(capsys, "shelf", "plan", "NGC 1499", str(plan))["blocks"]
    made = load(NightPlan, plan)
    assert [b.id for b in made.blocks] == [*blocks, *again] and len(set(blocks) | set(again)) == 4
    assert all(b.target.position_angle_deg is not None for b in made.blocks)
    out = tmp_path / "shelf.csv"
    assert main(["shelf", "export", str(out)]) == 0
    assert main(["shelf", "delete", "NGC 1499"]) == 0
    assert told(capsys, "shelf", "import", str(out))["kept"] == 1
    assert told(capsys, "shelf", "list")["framed"][0]["lines"][0]["count"] == 12
    assert shelf_file().with_name("shelf.json.previous").exists()


def test_a_list_with_strange_columns_is_asked_about(
    capsys: pytest.CaptureFixture[str], tmp_path: Path
) -> None:
    path = tmp_path / "list.csv"
    path.write_text("Object,RightAsc,Decl\nIC 405,05 16 12,+34 27\nM 42,99h,1\n")
    assert "--column ra_deg=COLUMN" in refused(capsys, "shelf", "import", str(path))
    assert "write OURS=THEIRS" in refused(capsys, "shelf", "import", str(path), "--column", "RightAsc")
    found = told(capsys, "shelf", "import", str(path), "--column", "ra_deg=RightAsc", status=3)
    assert found["kept"] == 1 and found["left_out"][0].startswith("line 3")


def test_ready_says_what_is_missing(capsys: pytest.CaptureFixture[str], tmp_path: Path) -> None:
    found = told(capsys, "ready", status=3)
    items = {item["name"]: item for item in found["items"]}
    assert not found["ready"] and not items["sky table"]["here"]
    assert "vigil ready --make" in items["sky table"]["help"]
    table = tmp_path / "deep.csv"
    table.write_text("ra,dec,mag\n79,34,15\n79.1,x,15\n")
    assert told(capsys, "catalogue", "add", str(table), status=3)["stars"] == 1
    items = {item["name"]: item for item in told(capsys, "ready", status=3)["items"]}
    assert "1 stars to magnitude 15.0 from deep.csv" in items["deeper stars of your own"]["words"]
    assert told(capsys, "catalogue", "show")["own"]["stars"] == 1
    assert told(capsys, "catalogue", "delete")["own"] is None
    assert main(["catalogue", "show"]) == 0 and "no catalogue of your own" in capsys.readouterr().out
