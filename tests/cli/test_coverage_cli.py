"""`vigil coverage` on folders of frames from anywhere."""

import json
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from astropy.io import fits

from vigil.cli import main

USUAL = {
    "INSTRUME": "Robin 9", "GAIN": 100, "OFFSET": 20, "XBINNING": 1, "CCD-TEMP": -10.1, "TELESCOP": "Heron",
    "FOCALLEN": 480.0, "DATE-OBS": "2027-01-12T22:00:00",
}  # fmt: skip


def frame(folder: Path, name: str, kind: str, **more: Any) -> None:
    folder.mkdir(exist_ok=True)
    header = fits.Header({**USUAL, "IMAGETYP": kind, **more})
    fits.PrimaryHDU(np.zeros((4, 4), np.uint16), header).writeto(folder / name)


def test_lights_of_a_folder_against_a_library(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    lights, library = tmp_path / "lights", tmp_path / "library"
    for k in range(3):
        frame(lights, f"l{k}.fits", "LIGHT", OBJECT="IC 405", FILTER="Ha", EXPTIME=300.0, ROTATANG=30.0)
        frame(library, f"d{k}.fit", "Dark Frame", EXPTIME=300.0)
        frame(library, f"f{k}.fits", "FLAT", FILTER="Ha", EXPTIME=2.0, ROTATANG=80.0, GAIN=0)
    (library / "notes.fits").write_text("no frame")
    options = ["--darks", "3", "--flats", "3", "--dark-flats", "3", "--biases", "0"]
    assert main(["coverage", str(lights), str(library), *options, "--json"]) == 3
    (told,) = json.loads(capsys.readouterr().out)["lights"]
    assert told["target"] == "IC 405" and told["frames"] == 3 and told["temperature_c"] == -10.1
    assert told["dark"] == {"state": "ok", "have": 3, "wanted": 3, "reason": ""}
    assert told["flat"]["state"] == "stale" and "turned by 50°" in told["flat"]["reason"]
    assert told["dark_flat"]["state"] == "missing" and told["bias"]["state"] == "ok"
    assert main(["coverage", str(lights), str(library), *options]) == 3
    said = capsys.readouterr().out
    assert "IC 405 Ha: 3 × 300 s, −10 °C" in said and "flat      stale" in said


def test_a_folder_that_isn_t_there_is_refused(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["coverage", str(tmp_path / "nowhere")]) == 2
    assert "there is no such folder" in capsys.readouterr().err
    assert main(["coverage", str(tmp_path)]) == 0 and "no lights" in capsys.readouterr().out
