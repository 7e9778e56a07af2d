"""The command line: what it prints, its exit statuses, and bad input."""

import asyncio
import io
import json
import math
import os
import subprocess
import sys
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from astropy.io import fits
from rich.console import Console

from campaigns.demo import demo_plan, demo_rig, quick_rig
from campaigns.solvefields import field_scene
from vigil.cli import main
from vigil.cli.files import demo_file
from vigil.cli.terminal import TerminalDisplay
from vigil.documents.events import Event, Kind
from vigil.documents.messages import Live
from vigil.documents.store import dump, save
from vigil.files.fits import read_frame, write_frame
from vigil.files.hints import NoHint, header_position, header_scale
from vigil.simulator.frame.draw import draw

_THREADS = """
import sys, os
from vigil.cli import main
assert "numpy" not in sys.modules, "too late for it"
main(["targets", "IC 405", "--json"])
import numpy
print(os.environ["OPENBLAS_NUM_THREADS"], len(os.listdir("/proc/self/task")))
"""


SCENE = field_scene(demo_rig(), 5)


@pytest.fixture(scope="module")
def frame(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A drawn frame whose header points half a degree off."""
    path = tmp_path_factory.mktemp("frames") / "frame.fits"
    header = {
        "RA": (SCENE.aim.ra_deg, ""),
        "DEC": (SCENE.aim.dec_deg + 0.5, ""),
        "FOCALLEN": (480.0, ""),
        "XPIXSZ": (3.76, ""),
        "XBINNING": (1, ""),
    }
    write_frame(path, draw(SCENE), header)
    return path


@pytest.fixture
def blank(tmp_path: Path) -> Path:
    path = tmp_path / "blank.fits"
    noise = np.random.default_rng(1).normal(500, 5, (200, 200)).astype(np.uint16)
    write_frame(
        path, noise, {"RA": (10.0, ""), "DEC": (20.0, ""), "FOCALLEN": (480, ""), "XPIXSZ": (3.76, "")}
    )
    return path


def json_lines(capsys: pytest.CaptureFixture[str]) -> list[dict[str, Any]]:
    return [json.loads(line) for line in capsys.readouterr().out.splitlines()]


def test_help_and_version(capsys: pytest.CaptureFixture[str]) -> None:
    assert main([]) == 0
    said = capsys.readouterr().out
    for command in ("run", "night", "solve", "measure", "Exit status"):
        assert command in said
    assert main(["solve"]) == 2


def test_solve_says_where_a_frame_points(frame: Path, capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["solve", str(frame), "--json"]) == 0
    (found,) = json_lines(capsys)
    assert list(found) == [
        "file", "solved", "method", "ra_deg", "dec_deg", "scale_arcsec_px", "position_angle_deg", "mirrored",
        "field_deg", "corners", "distortion_order", "stars_detected", "stars_matched", "rms_arcsec", "rms_px",
        "chance_log10", "reason", "detect_s", "match_s",
    ]  # fmt: skip
    assert found["file"] == str(frame) and found["solved"] and not found["mirrored"]
    assert found["ra_deg"] == pytest.approx(
        SCENE.aim.ra_deg, abs=2e-4 / math.cos(math.radians(SCENE.aim.dec_deg))
    )
    assert found["dec_deg"] == pytest.approx(SCENE.aim.dec_deg, abs=2e-4)
    assert found["scale_arcsec_px"] == pytest.approx(SCENE.scale_arcsec_px, rel=1e-3)
    assert found["position_angle_deg"] == pytest.approx(SCENE.aim.position_angle_deg, abs=0.1)
    assert 0 < found["rms_arcsec"] < 1.5 and found["stars_matched"] > 10


def test_solve_with_hints_of_ones_own(frame: Path, capsys: pytest.CaptureFixture[str]) -> None:
    near = f"{SCENE.aim.ra_deg:.4f} {SCENE.aim.dec_deg + 0.3:+.4f}"
    assert main(["solve", str(frame), "--near", near, "--within", "1", "--scale", "1.5..1.7", "--json"]) == 0
    assert json_lines(capsys)[0]["solved"]
    assert main(["solve", str(frame), "--near", near, "--scale", "2.0..2.4", "--json"]) == 3
    (found,) = json_lines(capsys)
    assert not found["solved"] and found["ra_deg"] is None and found["reason"]


def test_solve_writes_a_standard_solution(frame: Path, tmp_path: Path, capsys: Any) -> None:
    copy = tmp_path / "copy.fits"
    copy.write_bytes(frame.read_bytes())
    assert main(["solve", str(copy), "--write"]) == 0
    assert "″/px, position angle" in capsys.readouterr().out
    after = read_frame(copy)
    assert after.header["CTYPE1"] == "RA---TAN" and after.header["CRPIX1"] == 1500.5
    assert after.header["CRVAL2"] == pytest.approx(SCENE.aim.dec_deg, abs=2e-4)
    assert np.array_equal(after.image, read_frame(frame).image)


def test_solve_of_several_files_reports_each(frame: Path, blank: Path, capsys: Any) -> None:
    assert main(["solve", str(frame), str(blank), "--json"]) == 3
    solved, not_solved = json_lines(capsys)
    assert solved["solved"] and not not_solved["solved"]
    assert "too few stars: only 0 found" in not_solved["reason"]
    assert (
        main(["solve", str(frame), str(blank.with_name("none.fits")), str(blank), "--json", "--jobs", "1"])
        == 2
    )
    captured = capsys.readouterr()
    assert len(captured.out.splitlines()) == 2 and "no such file" in captured.err


@pytest.mark.parametrize(
    ("words", "says"),
    [
        (["--near", "somewhere"], "--near: 'somewhere' is not a position"),
        (["--scale", "1.6"], "--scale '1.6': write MIN..MAX"),
        (["--scale", "2..1"], "the smaller one first"),
        (["--within", "0"], "over 0"),
    ],
)
def test_solve_refuses_bad_hints(frame: Path, words: list[str], says: str, capsys: Any) -> None:
    assert main(["solve", str(frame), *words]) == 2
    assert says in capsys.readouterr().err


def test_headers_give_hints_or_say_what_is_missing() -> None:
    assert header_position({"RA": "05 16 12", "DEC": "+34 27 00"}) == pytest.approx((79.05, 34.45))
    assert header_position({"RA": 79.05, "DEC": 34.45}) == (79.05, 34.45)
    low, high = header_scale({"FOCALLEN": 480, "XPIXSZ": 3.76, "XBINNING": 2})
    assert math.sqrt(low * high) == pytest.approx(3.23148, abs=1e-4)
    for header, says in (({"DEC": 1.0}, "no RA"), ({"RA": 500.0, "DEC": 1.0}, "not degrees on the sky")):
        with pytest.raises(NoHint, match=says):
            header_position(header)
    for header, says in (({"FOCALLEN": 480}, "no XPIXSZ"), ({"FOCALLEN": 0, "XPIXSZ": 1}, "above 0")):
        with pytest.raises(NoHint, match=says):
            header_scale(header)


def test_measure(frame: Path, blank: Path, tmp_path: Path, capsys: Any) -> None:
    assert main(["measure", str(frame), "--json"]) == 0
    (found,) = json_lines(capsys)
    assert list(found) == [
        "file", "stars", "hfr_px", "fwhm_px", "elongation", "background_adu", "noise_adu", "saturated",
    ]  # fmt: skip
    assert found["stars"] > 100 and 0.8 < found["hfr_px"] < 2.5
    assert main(["measure", str(frame), str(blank)]) == 3
    assert "no stars" in capsys.readouterr().out
    broken = tmp_path / "broken.fits"
    broken.write_bytes(frame.read_bytes()[:100_000])
    assert main(["measure", str(broken), str(frame)]) == 2
    captured = capsys.readouterr()
    assert "broken.fits: damaged, or not a FITS file" in captured.err and "HFR" in captured.out
    tiny = tmp_path / "tiny.fits"
    fits.PrimaryHDU(np.zeros((5, 5), np.uint16)).writeto(tiny)
    assert main(["measure", str(tiny)]) == 2
    assert "32 × 32" in capsys.readouterr().err


def plan_with(path: Path, change: Any) -> str:
    data = json.loads(dump(demo_plan()))
    change(data)
    path.write_text(json.dumps(data))
    return str(path)


@pytest.mark.parametrize(
    ("words", "says"),
    [
        (["run"], "which plan?"),
        (["run", "--rig", "none.json"], "none.json: there is no such file"),
        (["run", "none.json", "--demo"], "none.json: there is no such file"),
        (["run", "--rig", str(demo_file("heron-480.json"))], "which plan?"),
        (["run", "--rig", str(demo_file("plan.json")), "--demo"], 'not a rig: "kind" must be "rig"'),
        (["night", "status", "--now"], "--now goes with hold"),
        (["night", "speed"], "write `vigil night speed N`"),
        (["night", "speed", "fast"], "is no number"),
        (["night", "skip", "--after-frame"], "--after-frame goes with end"),
        (["run", "--demo", "--target", "IC 405"], "--target needs --lines"),
        (["run", "--demo", "--target", "IC 405", "--lines", "lots"], "no exposure line"),
        (["run", "--demo", "--target", "IC 405", "--lines", "X 60 s x 2"], "no filter 'X'"),
        (["run", "--demo", "--target", "IC 405", "--lines", "Ha 60 s x 2"], "say --yes to start it"),
        (["run", "a.json", "--demo", "--target", "IC 405"], "a plan or --target, not both"),
        (["night", "hold", "60"], "write `vigil night hold`"),
        (["run", "--demo", "--speed", "0"], "1 to 1000"),
    ],
)
def test_run_refuses_bad_calls(words: list[str], says: str, own_folders: Path, capsys: Any) -> None:
    assert main(words) == 2
    assert says in capsys.readouterr().err


@pytest.mark.parametrize(
    ("change", "says"),
    [
        (
            lambda d: d["blocks"][0]["target"].update(name="IC 40555", ra_deg=None, dec_deg=None),
            "no object is called 'IC 40555'",
        ),
        (
            lambda d: d["blocks"][0]["lines"][1].update(filter="V"),
            "blocks.0.lines.1.filter: Heron 480 has no filter 'V'",
        ),
        (lambda d: d["blocks"][0]["lines"][1].update(exposure_s="long"), "blocks.0.lines.1.exposure_s"),
        (lambda d: d.update(schema=7), "schema 7 is not known here"),
    ],
)
def test_run_refuses_bad_plans(change: Any, says: str, own_folders: Path, capsys: Any) -> None:
    plan = plan_with(own_folders / "plan.json", change)
    before = Path(plan).read_text()
    assert main(["run", plan, "--demo", "--virtual"]) == 2
    assert says in capsys.readouterr().err
    assert Path(plan).read_text() == before, "the plan is left as it is"
    assert not list(own_folders.rglob("keeper.sock"))


def test_run_refuses_a_folder_that_cannot_be_written(own_folders: Path, capsys: Any) -> None:
    notes = own_folders / "notes.txt"
    notes.write_text("mine")
    save(quick_rig(), own_folders / "rig.json")
    rig = str(own_folders / "rig.json")
    assert main(["run", "--rig", rig, "--demo", "--virtual", "--out", str(notes / "frames")]) == 2
    assert "frames can't be written there" in capsys.readouterr().err
    assert notes.read_text() == "mine"


def test_night_without_a_keeper(own_folders: Path, capsys: Any) -> None:
    assert main(["night", "status"]) == 4
    assert "no keeper runs for Heron 480" in capsys.readouterr().err


def test_keep_refuses_a_rig_without_devices(own_folders: Path, capsys: Any) -> None:
    save(demo_rig().model_copy(update={"simulated": None}), own_folders / "rig.json")
    assert main(["keep", "--rig", str(own_folders / "rig.json")]) == 2
    assert "simulated rigs only" in capsys.readouterr().err


def test_the_terminal_tells_a_night_as_people_read_it() -> None:
    out = io.StringIO()
    display = TerminalDisplay("Europe/Vienna", Console(file=out, width=110, force_terminal=False))
    at = datetime(2027, 1, 12, 17, tzinfo=UTC)
    until = (at + timedelta(minutes=16)).isoformat()
    path = "/frames/2027-01-12/IC-405/Ha/one.fits"
    frame_values = {"frame_id": "f1", "path": path, "line": "x", "filter": "Ha"}
    story: list[tuple[Kind, dict[str, Any], str]] = [
        (Kind.NIGHT_STARTED, {"wanted": 16}, "A first night: 16 frames"),
        (Kind.WAITING, {"until": until}, "getting ready begins then"),
        (
            Kind.ACTIVITY_STARTED,
            {"activity": 1, "kind": "focus", "words": "focusing through L"},
            "focus fresh: 91 min",
        ),
        (Kind.ACTIVITY_ENDED, {"activity": 1, "outcome": "failed", "disturbed": []}, "cloud"),
        (
            Kind.EXPOSURE_STARTED,
            {**frame_values, "ends": until, "then": "Ha 2 of 8"},
            "IC 405 · Ha 180 s · 1 of 8",
        ),
        (Kind.EXPOSURE_ENDED, {"frame_id": "f1", "outcome": "done"}, "IC 405"),
        (Kind.FRAME_SAVED, frame_values, "saved one.fits"),
        (Kind.HELD, {}, "a car is coming"),
    ]
    with display:
        for number, (kind, values, reason) in enumerate(story, start=1):
            display.show(Event(id=number, errand="n", at=at, kind=kind, values=values, reason=reason))
        display.show(
            Live(
                errand="n",
                at=at,
                topic="exposure",
                words="exposing",
                initial=0,
                current=10,
                target=180,
                unit="s",
            )
        )
    display.summary(
        {
            "night": "n", "done": 1, "wanted": 16, "closing": {"park": "done", "warm up": "failed"},
            "frames": [{"filter": "Ha", "path": path}],
        }
    )  # fmt: skip
    said = out.getvalue()
    for expected in (
        "18:00:00  night begins  A first night: 16 frames",
        "until 18:16:00: getting ready begins then",
        "focusing through L — focus fresh: 91 min",
        "failed        cloud",
        "exposing      IC 405 · Ha 180 s · 1 of 8",
        "held          a car is coming",
        "n: 1 of 16 frames",
        "warm up: failed",
        "/frames/2027-01-12/IC-405/Ha",
    ):
        assert expected in said, said
    assert "saved one.fits" not in said, "what went as announced needs no line of its own"
    assert asyncio.run(display.ask_leave_or_end()) == "leave"


# -- plans and rehearsals ------------------------------------------------------------------------------------


def test_a_plan_is_shown_checked_and_told(capsys: pytest.CaptureFixture[str], tmp_path: Path) -> None:
    assert main(["plan", "check"]) == 0
    assert "all of its 16 frames fit" in capsys.readouterr().out
    assert main(["plan", "show", "--json"]) == 0
    (told,) = json_lines(capsys)
    assert told["frames"] == 16 and told["wrong"] == [] and told["steps"][0]["kind"] == "exposure"
    assert main(["plan", "text", "--markdown", "--date", "2027-02-01"]) == 0
    assert capsys.readouterr().out.startswith("# A first night")
    plan = json.loads(dump(demo_plan()))
    plan["blocks"][0]["lines"][0] |= {"filter": "X"}
    path = tmp_path / "plan.json"
    path.write_text(json.dumps(plan))
    assert main(["plan", "check", str(path), "--json"]) == 2
    (told,) = json_lines(capsys)
    assert "no filter 'X'" in told["wrong"][0] and not told["ok"]
    plan["blocks"][0]["lines"][0] |= {"filter": "Ha", "count": 900}
    path.write_text(json.dumps(plan))
    assert main(["plan", "check", str(path)]) == 3
    assert "of 900 Ha 180 s frames of IC 405 lost" in capsys.readouterr().out
    assert main(["plan", "text", "--date", "soon"]) == 2
    assert "is no date" in capsys.readouterr().err
    path.write_text('{"kind": "night plan", "schema": 99}')
    assert main(["plan", "check", str(path)]) == 2
    assert "schema 99 is not known here" in capsys.readouterr().err


def test_a_night_is_rehearsed_in_words_and_in_odds(capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["rehearse", "--demo"]) == 0
    said = capsys.readouterr().out
    assert "A first night, rehearsed: 16 of 16 frames" in said and "8 × IC 405 · Ha 180 s" in said
    short = ["--target", "IC 405", "--lines", "Ha 60 s x 2", "--yes"]
    assert main(["rehearse", "--demo", *short, "--seeds", "2", "--json"]) == 0
    *runs, odds = json_lines(capsys)
    assert [run["done"] for run in runs] == [1, 2]
    assert [line["complete_share"] for line in odds["lines"]] == [1.0]
    for words, wrong in (
        (["rehearse"], "which plan"),
        (["rehearse", "--demo", "--seeds", "0"], "1 to 200"),
        (["rehearse", "--demo", "--date", "soon"], "is no date"),
    ):
        assert main(words) == 2
        assert wrong in capsys.readouterr().err


def test_small_matrices_are_reckoned_by_one_thread_which_waits_for_no_other() -> None:
    surroundings = {key: value for key, value in os.environ.items() if key != "OPENBLAS_NUM_THREADS"}
    ran = subprocess.run(
        [sys.executable, "-c", _THREADS], env=surroundings, capture_output=True, text=True, timeout=60
    )
    assert ran.stdout.splitlines()[-1] == "1 1", ran.stderr
