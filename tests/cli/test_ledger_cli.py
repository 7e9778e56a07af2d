"""`vigil ledger` and `vigil project`, as typed."""

import csv
import json
from pathlib import Path
from typing import Any

import pytest

from campaigns.handovers import frames_on_disk
from vigil.cli import BAD_INPUT, NOT_ALL, OK, main
from vigil.cli.demohistory import lay_in_history
from vigil.documents.plan import NightPlan
from vigil.documents.store import load
from vigil.ledger.reading import FRAME_COLUMNS
from vigil.runtime.folders import ledger_file

STAR = "Flaming Star in three lines"


@pytest.fixture
def history(own_folders: Path) -> Path:
    lay_in_history(ledger_file())
    return own_folders


def told(capsys: pytest.CaptureFixture[str], *words: str, status: int = OK) -> Any:
    assert main([*words, "--json"]) == status, capsys.readouterr()
    return json.loads(capsys.readouterr().out)


def test_nights_and_frames(history: Path, capsys: pytest.CaptureFixture[str]) -> None:
    nights = told(capsys, "ledger", "nights")["nights"]
    assert len(nights) == 10 and nights[0]["evening"] == "2027-01-11"
    night = nights[1]
    frames = told(capsys, "ledger", "frames", "--evening", night["evening"])["frames"]
    assert len(frames) == night["frames"]
    kept = [f for f in frames if f["standing"] == "kept"]
    assert sum(f["exposure_s"] for f in kept) / 3600 == pytest.approx(night["kept_h"], abs=0.01)
    few = told(capsys, "ledger", "frames", "--standing", "doubtful", "--most", "2")["frames"]
    assert len(few) == 2 and all(f["because"] or f["doubtful"] for f in few)
    assert told(capsys, "ledger", "nights", "--rig", "stork-1600")["nights"] == []
    trends = told(capsys, "ledger", "trends")["nights"]
    assert len(trends) == 10 and all(t["fwhm_px"] > 1 for t in trends)


def test_export_query_and_judging(history: Path, capsys: pytest.CaptureFixture[str]) -> None:
    path = history / "lights.csv"
    many = told(capsys, "ledger", "export", "frames", str(path))["rows"]
    with path.open() as stream:
        rows = list(csv.DictReader(stream))
    assert len(rows) == many and tuple(rows[0]) == FRAME_COLUMNS
    asked = told(capsys, "ledger", "query", "SELECT count(*) FROM frames WHERE kind = 'light'")
    assert asked["rows"] == [[many]]
    name = next(r["frame_id"] for r in rows if r["standing"] == "kept")
    told(capsys, "ledger", "judge", name, "rejected")
    assert told(capsys, "ledger", "query", f"SELECT standing FROM frames WHERE frame_id = '{name}'")[
        "rows"
    ] == [["rejected"]]


def test_report_backup_restore(history: Path, capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["ledger", "report", "2027-01-06"]) == OK
    assert "Night of 2027-01-06" in capsys.readouterr().out
    for ending in ("html", "pdf", "txt"):
        assert main(["ledger", "report", "--out", str(history / f"last.{ending}")]) == OK
    capsys.readouterr()
    copy = history / "copy.sqlite"
    events = told(capsys, "ledger", "backup", str(copy))["events"]
    ledger_file().unlink()
    back = told(capsys, "ledger", "restore", str(copy))
    assert back == {"events": events, "kept": None}
    assert len(told(capsys, "ledger", "nights")["nights"]) == 10


def test_gather_and_reconcile(history: Path, capsys: pytest.CaptureFixture[str]) -> None:
    frames_on_disk(ledger_file(), history / "frames", "heron-480", 3)
    # of the history's own lights there are no files
    found = told(capsys, "ledger", "gather", STAR, str(history / "out"), "--copy", status=NOT_ALL)
    assert (found["lights"], found["calibration"], found["done"]) == (3, 2, 5)
    assert len(found["missing"]) > 50 and (history / "out" / "manifest.csv").exists()
    looked = told(capsys, "ledger", "reconcile", str(history / "frames"), "--dry-run", status=NOT_ALL)
    assert looked["there"] == 3 and looked["moved"] == []


def test_import(history: Path, capsys: pytest.CaptureFixture[str]) -> None:
    folder = history / "elsewhere"
    frames_on_disk(history / "other.sqlite", folder, "heron-480", 2)
    found = told(capsys, "ledger", "import", str(folder), status=NOT_ALL)
    # two lights, two darks that are none
    assert found["taken"] == 2 and len(found["files"]) == 4
    assert told(capsys, "ledger", "import", str(folder), status=NOT_ALL)["taken"] == 0
    table = history / "lights.csv"
    table.write_text("target,exposure_s,started_at\nM 81,60,2026-10-03T22:00:00\n")
    assert told(capsys, "ledger", "import", str(table)) == {"taken": 1, "left_out": []}
    assert main(["ledger", "import", str(table), str(folder)]) == BAD_INPUT
    assert "taken in apart" in capsys.readouterr().err


def test_a_project_from_beginning_to_end(history: Path, capsys: pytest.CaptureFixture[str]) -> None:
    words = [
        "--target",
        "M 81",
        "--goal",
        "L 6 h; Ha 3-4 h",
        "--lines",
        "L 120 s; Ha 300 s",
        "--rig",
        "heron-480",
    ]
    assert told(capsys, "project", "new", "Bode", *words)["goal"] == "L 6 h; Ha 3-4 h"
    listed = told(capsys, "project", "list")["projects"]
    assert {p["name"] for p in listed} == {"Bode", STAR, "NGC 2403 in colour"}
    star = next(p for p in listed if p["name"] == STAR)
    assert star["missing_h"] > 0 and star["nights_needed"] > 0 and star["in_time"]
    assert told(capsys, "project", "set", "bode", "goal=L 1 h", "paused=yes", "grown=20")["name"] == "Bode"
    shown = told(capsys, "project", "show", "Bode")
    assert shown["paused"] and shown["goals"][0]["goal"] == "L 1 h"
    assert told(capsys, "project", "remove", "Bode")["removed"] == "Bode"
    assert told(capsys, "project", "subs", STAR)["filters"][0]["advised_s"] > 10


def test_advice_goes_into_a_plan(history: Path, capsys: pytest.CaptureFixture[str]) -> None:
    path = history / "tonight.json"
    found = told(capsys, "project", "advise", "--night", "2027-01-12", "--plan", str(path))
    assert found["useful_h"] >= found["useful_h_greedy"] - 1e-9 and found["useful_h"] > 3
    for stint in found["schedule"]:
        assert stint["from"] < stint["until"] and stint["frames"] > 0 and stint["reason"]
    plan = load(NightPlan, path)
    assert {b.target.name for b in plan.blocks} == {s["target"] for s in found["schedule"]}
    only = told(capsys, "project", "advise", "--projects", STAR)
    assert {s["project"] for s in only["schedule"]} == {STAR}
    assert told(capsys, "project", "set", STAR, "paused=yes") and told(
        capsys, "project", "advise", "--projects", STAR, status=NOT_ALL
    )["why_not"] == [f"{STAR}: paused"]


@pytest.mark.parametrize(
    ("words", "said"),
    [
        ("ledger export frames", "needs WHAT FILE"),
        ("ledger export stars x.csv", "neither frames nor nights"),
        ("ledger judge nobody kept", "no frame is called"),
        ("ledger judge a maybe", "neither kept"),
        ("ledger report 2020-01-01", "there is no night"),
        ("ledger report --out night.doc", "end it with"),
        ("ledger restore nothing.sqlite", "no such file"),
        ("ledger import nothing", "no such file or folder"),
        ("ledger gather nobody out", "no kept lights"),
        ("ledger frames --evening yesterday", "is no date"),
        ("project show nothing", "no project is called"),
        ("project new X --target Nowhere --goal L", "is no goal"),
        ("project new X --goal L.1.h", "is no goal"),
        ("project set NGC.2403.in.colour goal", "KEY=VALUE"),
        ("project advise --projects nothing", "no project is called"),
    ],
)
def test_bad_input_says_what_would_be_right(
    history: Path, capsys: pytest.CaptureFixture[str], words: str, said: str
) -> None:
    typed = [word.replace(".in.colour", " in colour").replace("NGC.", "NGC ") for word in words.split()]
    assert main(typed) == BAD_INPUT
    assert said in capsys.readouterr().err


def test_nothing_there_yet(own_folders: Path, capsys: pytest.CaptureFixture[str]) -> None:
    assert told(capsys, "ledger", "nights") == {"nights": []}
    assert told(capsys, "project", "list") == {"projects": []}
    assert main(["project", "advise"]) == BAD_INPUT
    assert "no projects yet" in capsys.readouterr().err
    assert main(["ledger", "backup", "x.sqlite"]) == BAD_INPUT
