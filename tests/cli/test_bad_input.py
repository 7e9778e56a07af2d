"""What can't be used is refused in a sentence: no traceback, no library's words, nothing left behind."""

from pathlib import Path

import pytest

from vigil.cli import BAD_INPUT, main

LIBRARY_WORDS = (
    "Traceback", "pydantic", "Input should", "Field required", "Extra inputs", "validation error", "Errno",
    "OverflowError", "FITS verification", "unrecognized arguments",
)  # fmt: skip
PLAN = "PLAN"
TABLE = [
    (["rig", "new", ""], "a name must not be empty"),
    (["rig", "new", "  "], "a name must not be empty"),
    (["rig", "copy", "heron-480", ""], "a name must not be empty"),
    (["rig", "set", "--rig", "heron-480", "telescope.focal_length_mm", "1e400"], "no number"),
    (["rig", "set", "--rig", "heron-480", "telescope.focal_length_mm", "nan"], "focal_length_mm"),
    (["rig", "set", "--rig", "heron-480", "camera.pixle_um", "3"], "camera"),
    (["rig", "set", "--rig", "heron-480", "name", ""], "must not be empty"),
    (["rig", "show", "--rig", "heron-480", "--seeing", "-3"], "0.2 to 20"),
    (["rig", "check", "--rig", "nobody"], "there is no rig called"),
    (["pattern", "keep", PLAN, ""], "a name must not be empty"),
    (["shelf", "export", "/no/such/folder/y.csv"], "there is no such folder"),
    (["targets", "--night", "9999-12-31"], "1950 to 2099"),
    (["targets", "--night", "yesterday"], "2027-01-12"),
    (["focus", "fit", "/no/such.csv"], "there is no such file"),
    (["focus", "fit", "deep.json"], "no column 'position'"),
    (["guide", "study", "deep.json"], "no column 'time_s'"),
    (["guide", "replay", "focus.csv"], "no column 'time_s'"),
    (["focus", "fit", "focus.csv"], "row 3: size nan must be over 0"),
    (["targets", "--above", "95"], "0 to 89"),
    (["targets", "--most", "-3"], "1 or more"),
    (["targets", "--moon", "inf"], "0 to 180"),
    (["targets", "--weights", "time=nan"], "0 to 3"),
    (["targets", "--weights", "colour=1"], "time=2,size=1"),
    (["targets", "--kind", "nonsense"], "open cluster"),
    (["targets", "--constellation", "Xyz"], "Ori"),
    (["rehearse", "--demo", "--date", "9999-12-31"], "1950 to 2099"),
    (["rehearse", "--demo", "--date", "1800-01-01"], "1950 to 2099"),
    (["rehearse", "--demo", "--seeds", "0"], "1 to 200"),
    (["rehearse", "--target", "M 31", "--lines", "L 60 s x 0"], "must be at least 1"),
    (["rehearse", "--target", "M 31", "--lines", "L 60 min x 3"], "in seconds"),
    (["rehearse", "--target", "M 31", "--lines", "Zz 60 s x 3"], "it has L, R"),
    (["rehearse", "--target", "", "--lines", "L 60 s x 3"], "no object is called"),
    (["rehearse", "--target", "NGC 22999", "--lines", "L 60 s x 3"], "no object is called"),
    (["run", "deep.json", "--demo", "--virtual"], "nested too deep"),
    (["run", "none.json", "--demo", "--virtual"], "there is no such file"),
    (["run", "--demo", "--speed", "-1"], "1 to 1000"),
    (["run", "--demo", "--seed", "x"], "no whole number"),
    (["frame", "M 31", "--angle", "nan"], "-360 to 360"),
    (["frame", "M 31", "--columns", "1000"], "1 to 10"),
    (["frame", "M 31", "--overlap", "inf"], "0 to 90"),
    (["frame", "M 31", "--lines", "Zz 300 s x 12", "--keep"], "it has L, R"),
    (["shoot", "--exposure", "nan"], "up to 86400"),
    (["shoot", "--exposure", "1e9"], "up to 86400"),
    (["shoot", "--exposure", "1", "--sensor-c", "nan"], "-100 to 60"),
    (["shoot", "--exposure", "1", "--at", "1700-01-01T00:00"], "1950 to 2099"),
    (["shoot", "--exposure", "1", "--binning", "9"], "1 to 4"),
    (["solve", PLAN], "pictures end in"),
    (["solve", "none.fits", "--within", "0"], "over 0"),
    (["measure", PLAN], "not a FITS file"),
    (["plan", "set", PLAN, "orders.focus_every_min", "inf"], "at most 1440"),
    (["plan", "set", PLAN, "orders.nonsense", "1"], "nonsense"),
    (["plan", "check", "--date", "soon"], "2027-01-12"),
    (["scenario", "fault", "nonsense"], "nonsense"),
    (["catalogue", "add", "none.csv"], "none.csv"),
    (["device", "mount", "slew", "--rig", "nobody"], "there is no rig called"),
    (["night", "status", "--rig", "nobody"], "there is no rig called"),
    (["errand", "list", "--rig", "nobody"], "there is no rig called"),
]  # fmt: skip


@pytest.mark.parametrize(("words", "said"), TABLE, ids=[" ".join(words)[:60] for words, _ in TABLE])
def test_bad_input_is_refused_in_a_sentence(
    words: list[str],
    said: str,
    own_folders: Path,
    monkeypatch: pytest.MonkeyPatch,
    capsys: pytest.CaptureFixture[str],
) -> None:
    monkeypatch.chdir(own_folders)
    plan = Path(__file__).parents[2] / "src" / "vigil" / "data" / "demo" / "plan.json"
    (own_folders / "plan.json").write_bytes(plan.read_bytes())
    (own_folders / "deep.json").write_text("[" * 100_000)
    (own_folders / "focus.csv").write_text("position,size\n1,2\n2,nan\n")
    status = main([str(own_folders / "plan.json") if word == PLAN else word for word in words])
    out, told = capsys.readouterr()
    assert status == BAD_INPUT, out + told
    assert said in told
    for word in LIBRARY_WORDS:
        assert word not in out + told
    assert (own_folders / "plan.json").read_bytes() == plan.read_bytes()


@pytest.mark.parametrize(
    "words",
    [
        ["plan", "show", "--rig", "heron-480", PLAN],
        ["plan", "--rig", "heron-480", "show", PLAN],
        ["plan", "show", PLAN, "--date", "2027-01-12", "--rig", "heron-480"],
        ["rig", "set", "--rig", "heron-480", "camera.cooler.set_point_c", "-5"],
        ["targets", "--search", "05:16:12 -34:27"],
        ["frame", "--angle", "-20", "M 31"],
    ],
    ids=" ".join,
)
def test_options_and_words_in_any_order(
    words: list[str], own_folders: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    plan = Path(__file__).parents[2] / "src" / "vigil" / "data" / "demo" / "plan.json"
    assert main([str(plan) if word == PLAN else word for word in words]) == 0, capsys.readouterr().err


def test_a_position_for_a_target(own_folders: Path, capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["rehearse", "--target", "05:16 +34:27", "--lines", "OIII 60 s x 2", "--yes"]) == 0
    assert "O3 60 s: 2 of 2" in capsys.readouterr().out


def test_nights_without_end_and_without_beginning(
    own_folders: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    assert main(["rig", "copy", "heron-480", "North"]) == 0
    assert main(["rig", "set", "--rig", "north", "site.latitude_deg", "78.2"]) == 0
    words = ["rehearse", "--rig", "north", "--target", "M 81", "--lines", "L 60 s x 2", "--yes", "--date"]
    assert main([*words, "2026-12-21"]) == 0
    assert "L 60 s: 2 of 2" in capsys.readouterr().out
    assert main([*words, "2026-06-21"]) == BAD_INPUT
    assert "no night begins on 2026-06-21 at Larch Hollow: the sun stays up" in capsys.readouterr().err
