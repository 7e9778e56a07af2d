"""Which calibration frames a plan's lights will want."""

from pathlib import Path

import numpy as np
import pytest

from campaigns.demo import demo_plan, demo_rig
from vigil.documents.messages import DeviceReport
from vigil.files.calibrationframes import CalibrationFrame, calibration_frames
from vigil.files.fits import write_frame
from vigil.planning.calibration import missing_calibration
from vigil.planning.planmuster import Around, plan_muster

PLAN, RIG = demo_plan(), demo_rig()
GAIN, OFFSET = PLAN.blocks[0].lines[0].settings_on(RIG)
DARK = CalibrationFrame("dark", "", 180.0, GAIN, OFFSET, 1, -10.0)
FLATS = tuple(CalibrationFrame("flat", name, 2.0, GAIN, OFFSET, 1, -10.0) for name in ("Ha", "L"))


def test_what_is_there_is_not_missing() -> None:
    assert missing_calibration(PLAN, RIG, (DARK, *FLATS)) == []
    assert missing_calibration(PLAN, RIG, ()) == [
        f"darks of 180 s at gain {GAIN}, −10 °C",
        "flats through Ha, L",
    ]


@pytest.mark.parametrize(
    ("field", "value", "matches"),
    [
        ("exposure_s", 181.0, True),
        ("exposure_s", 182.0, False),
        ("gain", GAIN + 1, False),
        ("gain", None, True),
        ("offset", OFFSET + 1, False),
        ("binning", 2, False),
        ("temperature_c", -9.1, True),
        ("temperature_c", -8.5, False),
        ("kind", "bias", False),
    ],
)
def test_a_dark_matches_by_what_its_header_says(field: str, value: object, matches: bool) -> None:
    dark = CalibrationFrame(**{**{n: getattr(DARK, n) for n in DARK.__slots__}, field: value})
    assert (missing_calibration(PLAN, RIG, (dark, *FLATS)) == []) is matches


def test_frames_are_known_by_their_headers_whatever_lies_between(tmp_path: Path) -> None:
    (tmp_path / "deep").mkdir()
    for name, kind in (("0", "Dark Frame"), ("deep/1", "FLAT"), ("deep/2", "LIGHT"), ("deep/3", "bias")):
        header = {"IMAGETYP": (kind, ""), "EXPTIME": (180.0, ""), "GAIN": (GAIN, ""), "CCD-TEMP": (-10.1, "")}
        write_frame(tmp_path / f"{name}.fits", np.zeros((8, 8), np.uint16), header)
    (tmp_path / "torn.fits").write_bytes(b"SIMPLE")
    found = calibration_frames(tmp_path)
    assert sorted(frame.kind for frame in found) == ["bias", "dark", "flat"]
    dark = next(frame for frame in found if frame.kind == "dark")
    assert (dark.exposure_s, dark.gain, dark.offset, dark.temperature_c) == (180.0, GAIN, None, -10.1)
    assert calibration_frames(tmp_path / "nowhere") == ()


def test_muster_names_them_and_devices_and_clocks() -> None:
    reports = [DeviceReport(name=name, lamp="ready") for name in RIG.device_names]
    off = [r.model_copy(update={"clock_off_s": 12.0}) if r.name == "mount" else r for r in reports]
    gone = [r.model_copy(update={"lamp": "not connected"}) if r.name == "focuser" else r for r in off]
    words = [
        f.words for f in plan_muster(PLAN, RIG, Around(reports=gone, calibration=(), calibration_folder="x"))
    ]
    assert "The focuser isn't connected." in words
    assert any("clock is 12 s ahead" in w for w in words)
    assert any(w.startswith("Calibration frames to be taken: darks of 180 s") for w in words)
    whole = plan_muster(PLAN, RIG, Around(reports=reports, calibration=(DARK, *FLATS)))
    assert whole == []
