"""The polar axis out of frames of the simulated sky, by the command line."""

import json
from math import cos, radians
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from campaigns.demo import demo_rig
from campaigns.shooting import under_the_sky
from vigil.cli import main
from vigil.devices.protocols import Exposure
from vigil.documents.scenario import Scenario
from vigil.documents.scenario.mount import MountEffects
from vigil.engine.header import bare_header
from vigil.files.fits import write_frame
from vigil.runtime.clock import ScenarioClock
from vigil.simulator.observatory import SimObservatory
from vigil.sky.horizontal import unobserve
from vigil.sky.instants import from_datetimes

RIG = demo_rig()
OFF = Scenario(mount=MountEffects(polar_altitude_arcmin=20.0, polar_azimuth_arcmin=-30.0, flexure_arcsec=5.0))
"""A tube that sags shows the axis lower by that much, wherever it is."""


@pytest.fixture(scope="module")
def frames(tmp_path_factory: pytest.TempPathFactory) -> list[str]:
    """Three of the guide camera at declination 85°, the mount turned by 30° between them."""
    folder = tmp_path_factory.mktemp("polar")

    async def work(sim: SimObservatory, clock: ScenarioClock) -> list[str]:
        mount, camera = sim.devices.mount, sim.devices.guide_camera
        await mount.connect()
        await camera.connect()
        await mount.unpark()
        names = []
        ra, dec = unobserve(-70.0, 85.0, from_datetimes(clock.utcnow()), RIG.site.place())
        await mount.slew(float(ra) % 360, float(dec))
        for number in range(3):
            if number:  # about the one axis alone
                await mount.move_axis(0, 1.0)
                await clock.sleep(30)
                await mount.move_axis(0, 0.0)
            await clock.sleep(30)
            frame = await camera.expose(Exposure(4.0, RIG.guider.gain, 20))
            state = await mount.read()
            header = bare_header(RIG, frame, guides=True)
            header |= {
                "RA": (state.ra_deg, ""),
                "DEC": (state.dec_deg, ""),
                "SITELAT": (RIG.site.latitude_deg, ""),
                "SITELONG": (RIG.site.longitude_deg, ""),
                "SITEELEV": (RIG.site.height_m, ""),
            }
            path = folder / f"{number}.fits"
            write_frame(path, frame.image, header)
            names.append(str(path))
        return names

    return under_the_sky(RIG, OFF, work)


def told(capsys: pytest.CaptureFixture[str], *words: str) -> tuple[int, dict[str, Any]]:
    capsys.readouterr()
    status = main(["polar", "solve", *words, "--json"])
    return status, json.loads(capsys.readouterr().out)


def test_three_frames_tell_the_axis(frames: list[str], capsys: pytest.CaptureFixture[str]) -> None:
    status, found = told(capsys, *frames)
    across = cos(radians(RIG.site.latitude_deg))
    assert status == 0 and found["solved"] and found["agrees"], found
    assert found["altitude_error_arcmin"] == pytest.approx(20.0, abs=0.3)
    assert found["azimuth_error_arcmin"] == pytest.approx(-30.0 * across, abs=0.3)
    assert all(turn == pytest.approx(30.0, abs=1.0) for turn in found["turns_deg"])
    assert found["refracted"]["altitude_error_arcmin"] < found["altitude_error_arcmin"] - 0.5
    assert 0 < found["sigma_arcmin"]["altitude"] < 0.3
    status, two = told(capsys, frames[0], frames[2])
    assert status == 0 and two["altitude_error_arcmin"] == pytest.approx(20.0, abs=1.0)
    assert main(["polar", "solve", *frames]) == 0
    said = capsys.readouterr().out
    assert "too high" in said and "west of the pole" in said


def test_what_can_t_be_told_says_why(frames: list[str], capsys: pytest.CaptureFixture[str]) -> None:
    status, found = told(capsys, frames[0], frames[0])
    assert status == 3 and "did the mount turn" in found["reason"]
    assert main(["polar", "solve", frames[0]]) == 2
    assert "takes two" in capsys.readouterr().err
    assert main(["polar", "solve", *frames, "--site", "north"]) == 2
    assert "LAT LON" in capsys.readouterr().err
    assert main(["polar", "solve", frames[0], str(Path(frames[0]).with_name("none.fits"))]) == 2
    assert "none.fits" in capsys.readouterr().err


def test_a_record_s_drift_tells_an_axis(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    rng = np.random.default_rng(2)
    path = tmp_path / "drift.csv"
    rows = ["time_s,ra_arcsec,dec_arcsec,ra_pulse_ms,dec_pulse_ms,snr"]
    rows += [f"{t},0,{-0.2625 * 6 / 60 * t + rng.normal(0, 0.8):.3f},0,0,40" for t in range(0, 400, 2)]
    path.write_text("\n".join(rows))
    asked = ["--latitude", "47", "--declination", "5", "--hour-angle", "0"]
    assert main(["polar", "drift", str(path), "--axis", "azimuth", *asked, "--json"]) == 0
    found = json.loads(capsys.readouterr().out)
    assert found["interval_95"][0] < 6.0 < found["interval_95"][1] and found["error_arcmin"] > 5
    assert main(["polar", "drift", str(path), "--axis", "azimuth", *asked]) == 0
    assert "east" in capsys.readouterr().out
    assert main(["polar", "drift", str(path), "--axis", "altitude", *asked]) == 2
    assert "take a star far east or west" in capsys.readouterr().err
    assert main(["polar", "drift", str(path), *asked]) == 2
    assert "--axis" in capsys.readouterr().err
