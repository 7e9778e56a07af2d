"""What really was, written down beside a night so that anybody can audit it."""

import asyncio
import csv
from datetime import datetime
from pathlib import Path
from typing import Any

from vigil.devices.protocols import RawFrame
from vigil.simulator.frame.scene import Scene
from vigil.simulator.looking import altitude_of
from vigil.simulator.observatory import SimObservatory

EVERY_S = 10.0
COLUMNS = (
    "row",
    "time",
    "ra_deg",
    "dec_deg",
    "position_angle_deg",
    "hour_angle_deg",
    "altitude_deg",
    "pier_side",
    "tracking",
    "at_the_pier",
    "focuser_position",
    "focus_error_um",
    "filter_slot",
    "seeing_arcsec",
    "cloud_mag",
    "wind_m_s",
    "outside_c",
    "sensor_c",
    "roof",
    "dew",
    "exposure_s",
)


class TruthLog:
    """Appends a row every ten seconds while any device is connected, and one for the middle of each
    exposure of the main camera. Raises OSError where the file can't be written."""

    def __init__(self, observatory: SimObservatory, path: Path) -> None:
        self._observatory = observatory
        self._gear = observatory.truth.gear
        fresh = not path.exists() or path.stat().st_size == 0
        path.parent.mkdir(parents=True, exist_ok=True)
        self._file = path.open("a", newline="", encoding="utf-8", buffering=1)
        self._rows = csv.DictWriter(self._file, COLUMNS)
        if fresh:
            self._rows.writeheader()
        self._ticker: asyncio.Task[None] | None = None
        self._gear.on_line = self._connected
        observatory.truth.camera.on_frame = self._frame

    def close(self) -> None:
        if self._ticker is not None:
            self._ticker.cancel()
        self._gear.on_line = lambda: None
        self._file.close()

    def _connected(self) -> None:
        if self._ticker is None or self._ticker.done():
            self._ticker = asyncio.get_running_loop().create_task(self._tick())

    async def _tick(self) -> None:
        while any(self._gear.state.connected.values()):
            self._rows.writerow(self._row("tick", self._gear.clock.utcnow(), None))
            await self._gear.clock.sleep(EVERY_S)

    def _frame(self, frame: RawFrame, scene: Scene) -> None:
        seen = scene.aim.seen
        assert seen is not None
        self._rows.writerow(self._row("frame", seen.at, scene))

    def _row(self, kind: str, at: datetime, scene: Scene | None) -> dict[str, Any]:
        gear, truth = self._gear, self._observatory.truth
        state, air = gear.state, gear.weather
        looks = truth.mount.looks(at)
        if scene is not None:
            ra_deg, dec_deg = scene.aim.ra_deg, scene.aim.dec_deg
            angle_deg, error_um = scene.aim.position_angle_deg, scene.blur.defocus_um
        else:
            (ra_deg, dec_deg), angle_deg = truth.mount.true_pointing_deg(at), truth.position_angle_deg()
            steps = state.drawtube_steps - gear.best_focus_steps(state.slot, at)
            error_um = steps * gear.focuser_um_per_step
        return {
            "row": kind,
            "time": f"{at:%Y-%m-%dT%H:%M:%S.%f}"[:-3] + "Z",
            "ra_deg": round(ra_deg, 7),
            "dec_deg": round(dec_deg, 7),
            "position_angle_deg": round(angle_deg, 5),
            "hour_angle_deg": round(float(looks.hour_angle_deg[0]), 5),
            "altitude_deg": round(altitude_of(looks, gear), 5),
            "pier_side": state.pier_side,
            "tracking": int(state.tracking and state.motion is None),
            "at_the_pier": int(truth.mount.at_the_pier(at)),
            "focuser_position": state.focuser_position,
            "focus_error_um": round(error_um, 2),
            "filter_slot": state.slot,
            "seeing_arcsec": round(air.seeing_arcsec(at), 4),
            "cloud_mag": round(air.cloud_mag(at), 4),
            "wind_m_s": round(air.wind_m_s(at), 3),
            "outside_c": round(air.temperature_c(at), 3),
            "sensor_c": round(truth.camera.sensor_c(max(at, state.sensor_at)), 3),
            "roof": state.shutters.get("roof", "closed") if gear.rig.roof else "none",
            "dew": round(state.dew, 4),
            "exposure_s": scene.exposure_s if scene is not None else "",
        }
