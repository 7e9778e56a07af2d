"""Cameras, main and guide: what falls on them is drawn when the exposure ends."""

import asyncio
from dataclasses import dataclass
from datetime import datetime

import numpy as np

from vigil.devices.errors import NotCapable, Refused
from vigil.devices.protocols import CameraState, Capabilities, Exposure, RawFrame
from vigil.documents.rig import Rig
from vigil.simulator.chance import generator
from vigil.simulator.draw import Scene, draw
from vigil.simulator.gear import Bench
from vigil.simulator.optical import Optics, blur
from vigil.simulator.simmount import SimMount
from vigil.sky.brightness import sky_mag_arcsec2
from vigil.sky.horizontal import air_mass, observe
from vigil.sky.instants import from_datetimes

_RAMP_C_PER_MIN = 1.5
_DEEPEST_BELOW_AIR_C = 35.0
_ADU_PER_OFFSET = 10.0
_GUIDE_ELECTRONS_PER_ADU = 0.25
_GUIDE_READ_NOISE_E = 1.2
_GUIDE_SCOPE_RATIO = 4.0
_OPEN_WIDTH_NM = 300.0
_NO_COOLER = "it has no cooler"


@dataclass(frozen=True, slots=True)
class Sensor:
    """What a camera is made of, and what stands before it."""

    optics: Optics
    columns: int
    rows: int
    electrons_per_adu: float
    read_noise_e: float
    full_well_e: float
    full_scale_adu: int
    bayer: str | None
    download_s: float
    figures: dict[str, float | int]


def main_sensor(rig: Rig, gain: int, binning: int) -> Sensor:
    """The main camera behind the telescope."""
    camera, telescope = rig.camera, rig.telescope
    assert camera is not None
    point = camera.at_gain(gain)
    optics = Optics(
        rig.focal_length_mm or 500.0, telescope.aperture_mm if telescope else 50.0, camera.pixel_um
    )
    figures = {f"camera.{name}": getattr(camera, name) for name in ("columns", "rows", "pixel_um")}
    return Sensor(
        optics,
        camera.columns,
        camera.rows,
        point.electrons_per_adu,
        point.read_noise_e,
        point.full_well_e,
        camera.full_scale_adu,
        camera.bayer,
        camera.download_of(binning),
        figures,
    )


def guide_sensor(rig: Rig, gain: int, binning: int) -> Sensor:
    """The guide camera behind its own scope, or beside the main sensor."""
    guider = rig.guider
    assert guider is not None
    length = rig.guide_focal_length_mm or 200.0
    off_axis = guider.kind == "off-axis" and rig.telescope is not None
    aperture = rig.telescope.aperture_mm if off_axis and rig.telescope else length / _GUIDE_SCOPE_RATIO
    full_scale = 2**guider.bit_depth - 1
    figures = {f"guider.{name}": getattr(guider, name) for name in ("columns", "rows", "pixel_um")}
    return Sensor(
        Optics(length, aperture, guider.pixel_um),
        guider.columns,
        guider.rows,
        _GUIDE_ELECTRONS_PER_ADU * 4096 / 2**guider.bit_depth * 4,
        _GUIDE_READ_NOISE_E,
        16_000.0,
        full_scale,
        None,
        0.3,
        figures,
    )


class SimCamera:
    """The main camera, or with `guides` the guide camera, which has no cooler."""

    def __init__(self, bench: Bench, mount: SimMount, guides: bool = False) -> None:
        self._bench = bench
        self._mount = mount
        self._guides = guides
        self._name = "guide camera" if guides else "camera"
        self._activity = "idle"
        self._abort = asyncio.Event()
        self._probe_read = (0, 0.0)

    @property
    def _cooled(self) -> bool:
        camera = self._bench.rig.camera
        return not self._guides and camera is not None and camera.cooler is not None

    def _sensor(self, gain: int, binning: int) -> Sensor:
        return (guide_sensor if self._guides else main_sensor)(self._bench.rig, gain, binning)

    async def connect(self) -> None:
        await self._bench.connect(self._name, 3.0)

    async def disconnect(self) -> None:
        self._bench.disconnect(self._name)

    async def capabilities(self) -> Capabilities:
        cannot = {} if self._cooled else {"cool": _NO_COOLER, "warm": _NO_COOLER}
        return Capabilities(cannot, self._sensor(0, 1).figures)

    async def read(self) -> CameraState:
        bench = self._bench
        bench.need(self._name)
        now = bench.clock.utcnow()
        sensor_c = self.sensor_c(now)
        below = bench.weather.temperature_c(now) - sensor_c
        cooling = self._cooled and bench.state.set_point_c is not None
        power = float(np.clip(below / self._deepest_c, 0, 1)) if cooling else 0.0
        shown_c = round(sensor_c + self._probe_noise_c(int(now.timestamp()) // 10), 1)
        return CameraState(shown_c, bench.state.set_point_c if cooling else None, power, self._activity)

    def _probe_noise_c(self, ten_seconds: int) -> float:
        if ten_seconds != self._probe_read[0]:
            noise_c = float(generator(self._bench.state.seed, "probe", ten_seconds).normal(0, 0.03))
            self._probe_read = ten_seconds, noise_c
        return self._probe_read[1]

    @property
    def _deepest_c(self) -> float:
        camera = self._bench.rig.camera
        cooler = camera.cooler if camera else None
        return cooler.deepest_below_ambient_c if cooler else _DEEPEST_BELOW_AIR_C

    async def cool(self, set_point_c: float | None) -> None:
        bench = self._bench
        bench.need(self._name)
        if not self._cooled:
            raise NotCapable(f"{self._name}: {_NO_COOLER}")
        self.sensor_c(bench.clock.utcnow())
        bench.state.set_point_c = set_point_c
        bench.save()

    def sensor_c(self, now: datetime) -> float:
        """The sensor's temperature, carried on to `now`: a ramp with the cooler on, else towards the air;
        a sensor without a cooler is a little warmer than that."""
        state = self._bench.state
        minutes = max(0.0, (now - state.sensor_at).total_seconds() / 60)
        air_c = self._bench.weather.temperature_c(now)
        if not self._cooled:
            return air_c + 6.0
        if state.set_point_c is None:
            state.sensor_c = float(air_c + (state.sensor_c - air_c) * np.exp(-minutes / 8))
        else:
            # a cooler can't heat: above the air there is nothing it can hold
            goal = float(np.clip(state.set_point_c, air_c - self._deepest_c, air_c))
            step = _RAMP_C_PER_MIN * minutes
            state.sensor_c = float(np.clip(goal, state.sensor_c - step, state.sensor_c + step))
        state.sensor_at = now
        return state.sensor_c

    async def abort(self) -> None:
        self._bench.need(self._name)
        self._abort.set()

    async def expose(self, exposure: Exposure) -> RawFrame:
        bench = self._bench
        bench.need(self._name)
        if self._activity != "idle":
            raise Refused(f"{self._name}: {self._activity}, not ready for another exposure")
        if exposure.exposure_s <= 0:
            raise Refused(f"{self._name}: an exposure of {exposure.exposure_s} s is not possible")
        count = bench.state.next_count(self._name)
        bench.save()
        started_at = bench.clock.utcnow()
        sensor = self._sensor(exposure.gain, exposure.binning)
        scene = self._scene(sensor, exposure, started_at, count)
        self._abort.clear()
        try:
            self._activity = "exposing"
            await self._wait(exposure.exposure_s)
            self._activity = "downloading"
            await self._wait(sensor.download_s)
            image = await bench.workshop.run(draw, scene)
        finally:
            self._activity = "idle"
        return RawFrame(image, started_at, exposure, round(scene.sensor_c, 1))

    async def _wait(self, seconds: float) -> None:
        """Raises Refused when the exposure is aborted meanwhile."""
        pending = asyncio.ensure_future(self._abort.wait())
        sleeping = asyncio.ensure_future(self._bench.clock.sleep(seconds))
        try:
            await asyncio.wait({pending, sleeping}, return_when=asyncio.FIRST_COMPLETED)
        finally:
            pending.cancel()
            sleeping.cancel()
        if self._abort.is_set():
            raise Refused(f"{self._name}: the exposure was aborted")

    def _scene(self, sensor: Sensor, exposure: Exposure, at: datetime, count: int) -> Scene:
        bench, state, rig = self._bench, self._bench.state, self._bench.rig
        site = rig.site.place()
        ra_deg, dec_deg = self._mount.true_pointing_deg(at)
        altitude_deg = float(observe(ra_deg, dec_deg, from_datetimes(at), site).altitude_deg)
        filters = rig.wheel.filters if rig.wheel and not self._guides else []
        through = next((f for f in filters if f.slot in (state.slot, None)), None)
        defocus = 0.0 if self._guides else state.drawtube_steps - bench.best_focus_steps(state.slot, at)
        # each frame meets its own seeing, the shorter the more so
        shake = generator(state.seed, "seeing", count).normal(0, 0.02 + 0.04 / np.sqrt(exposure.exposure_s))
        fwhm_px, disc_px = blur(
            sensor.optics,
            defocus * bench.focuser_um_per_step,
            bench.weather.seeing_arcsec(at) * float(np.exp(shake)),
            float(air_mass(max(altitude_deg, 3.0))),
            exposure.binning,
        )
        turned_deg = state.rotator_deg if not self._guides or _turns_with(rig) else 0.0
        return Scene(
            sky_seed=state.seed,
            noise_key=(state.seed, self._name, count),
            ra_deg=ra_deg,
            dec_deg=dec_deg,
            position_angle_deg=(self._mount.position_angle_deg() + turned_deg) % 360,
            shape=(sensor.rows // exposure.binning, sensor.columns // exposure.binning),
            scale_arcsec_px=sensor.optics.scale_arcsec_px(exposure.binning),
            binning=exposure.binning,
            light=exposure.light and not self._shut,
            exposure_s=exposure.exposure_s,
            aperture_mm=sensor.optics.aperture_mm,
            filter_width_nm=through.width_nm if through else _OPEN_WIDTH_NM,
            fwhm_px=round(fwhm_px, 3),
            disc_px=round(disc_px, 3),
            sky_mag_arcsec2=sky_mag_arcsec2(ra_deg, dec_deg, at, site),
            sensor_c=self.sensor_c(at),
            electrons_per_adu=sensor.electrons_per_adu,
            bias_adu=exposure.offset * _ADU_PER_OFFSET,
            read_noise_e=sensor.read_noise_e,
            full_well_e=sensor.full_well_e,
            dark_e_s_at_minus_10=0.002,
            full_scale_adu=sensor.full_scale_adu,
            bayer=sensor.bayer,
        )

    @property
    def _shut(self) -> bool:
        """Whether a cover (main camera) or the roof keeps the sky out."""
        rig, shutters = self._bench.rig, self._bench.state.shutters
        behind_cover = rig.cover is not None and (not self._guides or _turns_with(rig))
        cover_shut = behind_cover and shutters.get("cover", "closed") != "open"
        return cover_shut or (rig.roof is not None and shutters.get("roof", "closed") != "open")


def _turns_with(rig: Rig) -> bool:
    return rig.guider is not None and rig.guider.kind == "off-axis"
