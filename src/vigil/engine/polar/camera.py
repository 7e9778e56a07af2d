"""The camera that looks at the pole: main or guide, each through its own optics; its frames solved."""

import base64
import zlib
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

import numpy as np
from numpy.typing import NDArray

from vigil.devices.protocols import Exposure, RawFrame
from vigil.documents.polar import CameraName
from vigil.engine.activities.moves import filter_to, frame_exposure, is_mosaic, take
from vigil.engine.activity import ActivityFailed, Kit
from vigil.files.sightings import sighting_of
from vigil.planning.polarfield import look_through, scale_of
from vigil.planning.polarturns import pole_sign
from vigil.polar.attitude import Sighting
from vigil.solving.blind import Breadth
from vigil.solving.near import Hint
from vigil.solving.solution import Solution
from vigil.solving.wcs import Wcs

_SCALE_TOLERANCE, _BREADTH = 0.05, 1.3
_WITHIN_DEG, _AROUND_POLE_DEG, _NEXT_DEG = (4.0, 12.0), 25.0, 3.0
"""How far the mount's coordinates are off near the pole, mostly and at worst; then all round the pole is
searched. Of frames whose place is known by the one before."""
_SMALL_DEG = 0.7
"""Fields this small, all round the pole, take minutes to be told from a hundred thousand stars; a search of
the whole sky takes seconds."""
_GUIDE_OFFSET = 20
_SHOWN_SIDE_PX, _SHOWN_SIGMA = 420, 2.5


@dataclass(frozen=True, slots=True)
class SolvedFrame:
    """`sighting` None where it was not solved: the solution's reason says why."""

    frame: RawFrame
    at: datetime
    solution: Solution
    wcs: Wcs | None
    sighting: Sighting | None


@dataclass(frozen=True, slots=True)
class PolarCamera:
    """Where `exposure_s` and the others are left out they are the rig's."""

    kit: Kit
    name: CameraName
    exposure_s: float | None = None
    gain: int | None = None
    binning: int | None = None
    filter: str = ""

    @property
    def device(self) -> str:
        return "camera" if self.name == "main" else "guide camera"

    @property
    def exposure(self) -> Exposure:
        rig = self.kit.rig
        if self.name == "main":
            usual = frame_exposure(self.kit, self.exposure_s or rig.solve_exposure_s, "solving")
        else:
            assert rig.guider is not None, "asked for before"
            usual = Exposure(self.exposure_s or rig.guider.exposure_s, rig.guider.gain, _GUIDE_OFFSET, 1)
        gain = usual.gain if self.gain is None else self.gain
        return Exposure(usual.exposure_s, gain, usual.offset, self.binning or usual.binning)

    @property
    def scale_arcsec_px(self) -> float:
        return scale_of(self.kit.rig, self.name) * self.exposure.binning

    async def ready(self) -> None:
        """The filter to look through in the beam. Raises ActivityFailed and DeviceError."""
        try:
            name = look_through(self.kit.rig, self.name, self.filter)
        except KeyError as unknown:
            raise ActivityFailed(str(unknown.args[0])) from None
        if name:
            await filter_to(self.kit, name)

    async def take(self, near: Sighting | None = None, longer: float = 1.0) -> SolvedFrame:
        """A frame, solved near the one before where there is one, else by the camera's scale wherever
        near the pole it looks. Raises DeviceError and MeasuringFailed."""
        exposure = self.exposure
        wanted = Exposure(exposure.exposure_s * longer, exposure.gain, exposure.offset, exposure.binning)
        frame = await take(self.kit, wanted, name=self.device)
        middle = frame.started_at + timedelta(seconds=frame.exposure.exposure_s / 2)
        solution = await self._solved(frame, near)
        wcs = solution.wcs
        sighting = None if wcs is None else sighting_of(solution, wcs, middle)
        return SolvedFrame(frame, middle, solution, wcs, sighting)

    async def _solved(self, frame: RawFrame, near: Sighting | None) -> Solution:
        kit, scale = self.kit, scale_of(self.kit.rig, self.name) * frame.exposure.binning
        mosaic = self.name == "main" and is_mosaic(kit, frame)
        side_deg = min(frame.image.shape) * scale / 3600
        blind = Breadth(side_deg / _BREADTH, side_deg * _BREADTH)
        solution: Solution | None = None
        places = self._places(near, side_deg)
        for ra, dec, within in places:
            last = near is None and within == places[-1][2]
            hint = Hint(ra, dec, scale * (1 - _SCALE_TOLERANCE), scale * (1 + _SCALE_TOLERANCE), within)
            solution = await kit.measurer.solve(frame.image, hint, blind if last else None, mosaic)
            if solution.wcs is not None or near is not None:
                break
        assert solution is not None, "there is one place at least"
        return solution

    def _places(self, near: Sighting | None, side_deg: float) -> list[tuple[float, float, float]]:
        if near is not None:
            return [(near.ra_deg, near.dec_deg, _NEXT_DEG)]
        mount = self.kit.devices.mount.state if self.kit.devices.mount else None
        pole = (0.0, 90.0 * pole_sign(self.kit.rig), _AROUND_POLE_DEG)
        if mount is None:
            return [pole]
        around = [(mount.ra_deg, mount.dec_deg, within) for within in _WITHIN_DEG]
        return around if side_deg < _SMALL_DEG else [*around, pole]


def shown(image: NDArray[np.generic]) -> dict[str, Any]:
    """A frame for people to see: no side longer than some 400 pixels, square roots of what stands out of the
    noise in 255 steps, packed."""
    data = np.asarray(image, dtype=np.float32)
    every = max(1, -(-max(data.shape) // _SHOWN_SIDE_PX))
    rows, columns = (side // every for side in data.shape)
    blocks = data[: rows * every, : columns * every].reshape(rows, every, columns, every)
    highest = blocks.max(axis=(1, 3))  # a star must not drown in the mean of its block
    middle = float(np.median(highest))
    noise = 1.4826 * float(np.median(np.abs(highest - middle))) or 1.0
    over = np.maximum(highest - middle - _SHOWN_SIGMA * noise, 0.0)
    top = max(float(np.percentile(over, 99.9)), 10 * noise)
    steps = np.rint(255 * np.sqrt(np.minimum(over / top, 1.0))).astype(np.uint8)
    return {
        "rows": rows,
        "columns": columns,
        "every": every,
        "pixels": base64.b64encode(zlib.compress(steps.tobytes(), 6)).decode(),
    }
