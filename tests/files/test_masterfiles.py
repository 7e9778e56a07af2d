"""Masters on disk, and which flats there are to try on which light."""

import json
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from vigil.cli import NOT_ALL, OK, main
from vigil.files.fits import BadFrame, read_frame, write_frame
from vigil.files.masters import make_master, write_master
from vigil.files.trying import choices, tried

SHAPE = (96, 128)
AT = datetime(2027, 1, 12, 18, tzinfo=UTC)
BIAS = 500
SHADE = (
    1 - 0.3 * (np.linspace(-1, 1, SHAPE[0])[:, None] ** 2 + np.linspace(-1, 1, SHAPE[1])[None, :] ** 2) / 2
)


def frame(path: Path, kind: str, level: float, number: int = 0, shade: Any = SHADE, **header: Any) -> Path:
    rng = np.random.default_rng([number, len(kind)])
    image = BIAS + rng.normal(level * shade, 3 + np.sqrt(level))
    cards = {
        "IMAGETYP": (kind, ""), "EXPTIME": (header.pop("exposure_s", 2.0), ""), "GAIN": (100, ""),
        "OFFSET": (50, ""), "INSTRUME": ("Robin 9", ""), "XBINNING": (1, ""), "SET-TEMP": (-10.0, ""),
        "FILTER": (header.pop("filter", "L"), ""),
        "DATE-OBS": (f"{AT + timedelta(minutes=number):%Y-%m-%dT%H:%M:%S}", ""),
        **{key: (value, "") for key, value in header.items()},
    }  # fmt: skip
    path.parent.mkdir(parents=True, exist_ok=True)
    write_frame(path, np.clip(np.rint(image), 0, 65535).astype(np.uint16), cards)
    return path


def library(folder: Path) -> dict[str, list[Path]]:
    made = {"FLAT": (20_000, 12), "DARK FLAT": (0, 6), "BIAS": (0, 5)}
    found = {
        kind: [frame(folder / kind / f"{n}.fits", kind, level, n) for n in range(count)]
        for kind, (level, count) in made.items()
    }
    found["LIGHT"] = [frame(folder / "light.fits", "LIGHT", 900, 99, exposure_s=120.0, OBJECT="M 1")]
    return found


def test_a_master_flat_is_the_response_and_says_what_it_was_made_of(tmp_path: Path) -> None:
    paths = library(tmp_path)
    told: list[float] = []
    dark = make_master(paths["DARK FLAT"])
    assert dark.image.mean() == pytest.approx(BIAS, abs=0.5), "darks stay in ADU"
    master = make_master(paths["FLAT"], dark.image, "twelve dark flats", told.append)
    ratio = master.image / SHADE
    assert float(np.std(ratio / ratio.mean())) < 0.004 and told[-1] == 1.0
    write_master(tmp_path / "master.fits", master)
    back = read_frame(tmp_path / "master.fits")
    assert back.image.dtype == np.float32 and np.array_equal(back.image, master.image)
    header = back.header
    assert (header["IMAGETYP"], header["NCOMBINE"], header["FILTER"]) == ("MASTER FLAT", 12, "L")
    assert header["SUBTRACT"] == "twelve dark flats" and header["SRC00012"] == "11.fits"


def test_frames_that_do_not_belong_together_are_named(tmp_path: Path) -> None:
    paths = library(tmp_path)["FLAT"]
    red = frame(tmp_path / "red.fits", "FLAT", 20_000, filter="R")
    with pytest.raises(BadFrame, match=r"red\.fits: does not belong with 0\.fits: filter 'R', 'L'"):
        make_master([*paths, red])
    with pytest.raises(BadFrame, match=r"light\.fits: does not belong with 0\.fits: kind 'light', 'flat'"):
        make_master([*paths, tmp_path / "light.fits"])
    (tmp_path / "broken.fits").write_bytes(b"SIMPLE  = no")
    with pytest.raises(BadFrame, match=r"broken\.fits: can't be read"):
        make_master([tmp_path / "broken.fits"])
    with pytest.raises(BadFrame, match="there is no light in it"):
        make_master([frame(tmp_path / "black.fits", "FLAT", 0)], 600.0)
    with pytest.raises(BadFrame, match="no frame to make a master of"):
        make_master([])


def test_a_filter_s_newest_light_is_tried_with_the_flats_that_serve_it(tmp_path: Path) -> None:
    paths = library(tmp_path)
    frame(tmp_path / "turned.fits", "FLAT", 20_000, 50, filter="R", ROTATANG=40.0)
    frame(tmp_path / "red light.fits", "LIGHT", 900, 51, filter="R", ROTATANG=80.0)
    found = choices([tmp_path])
    assert list(found) == ["L"], "flats of another angle serve no light"
    choice = found["L"]
    assert choice.light == paths["LIGHT"][0] and len(choice.flats) == 12 and len(choice.dark_flats) == 6
    assert len(choice.darks) == 5, "bias where there are no darks"
    assert choice.words == "light.fits with 12 flats"
    bare = replace(choice, darks=())
    assert "no darks or bias" in bare.words and tried(bare).corner_after > 1.02
    seen = tried(choice)
    assert seen.corner_before < 0.85 and seen.corner_after == pytest.approx(1.0, abs=0.02)


def test_the_command_line_makes_judges_and_tries(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    paths = library(tmp_path)
    flats, dark_flats = ([str(p) for p in paths[kind]] for kind in ("FLAT", "DARK FLAT"))
    master = tmp_path / "out" / "flat.fits"
    master.parent.mkdir()
    assert main(["master", *flats, "--less", *dark_flats, "--out", str(master), "--json"]) == OK
    told = json.loads(capsys.readouterr().out)
    assert told["kind"] == "flat" and told["frames"] == 12 and master.exists()
    assert main(["flats", "judge", *flats, "--bias", "500", "--json"]) == OK
    judged = json.loads(capsys.readouterr().out)
    assert judged["flats"][0]["faults"] == [] and judged["set"] == []
    slope = frame(tmp_path / "slope.fits", "FLAT", 20_000, shade=SHADE + np.linspace(-0.1, 0.1, SHAPE[1]))
    assert main(["flats", "judge", str(slope), "--bias", "500"]) == NOT_ALL
    assert "uneven light" in capsys.readouterr().out
    light = str(paths["LIGHT"][0])
    bias = [str(p) for p in paths["BIAS"]]
    assert main(["flats", "try", light, str(master), "--dark", *bias, "--json"]) == OK
    told = json.loads(capsys.readouterr().out)
    assert told["corner_before"] < 0.85 and told["corner_after"] == pytest.approx(1.0, abs=0.02)
    assert main(["flats", "try", light, str(master), "--dark", "nowhere.fits"]) == 2
    assert "nowhere.fits: there is no such file" in capsys.readouterr().err
