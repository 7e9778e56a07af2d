"""A cooled camera: what falls on it is drawn when the exposure ends."""

from datetime import datetime

import numpy as np

from vigil.devices.errors import Refused
from vigil.devices.protocols import CameraState, Exposure, RawFrame
from vigil.simulator.chance import generator
from vigil.simulator.draw import Scene, draw
from vigil.simulator.gear import Bench
from vigil.simulator.optical import blur
from vigil.simulator.simmount import SimMount
from vigil.sky.brightness import sky_mag_arcsec2
from vigil.sky.horizontal import air_mass, observe
from vigil.sky.instants import from_datetimes

_RAMP_C_PER_MIN = 1.5
_DEEPEST_BELOW_AIR_C = 35.0
_ADU_PER_OFFSET = 10.0


class SimCamera:
    def __init__(self, bench: Bench, mount: SimMount) -> None:
        self._bench = bench
        self._mount = mount
        self._activity = "idle"
        self._probe_read = (0, 0.0)

    async def connect(self) -> None:
        await self._bench.connect("camera", 3.0)

    async def disconnect(self) -> None:
        self._bench.disconnect("camera")

    async def read(self) -> CameraState:
        bench = self._bench
        bench.need("camera")
        now = bench.clock.utcnow()
        sensor_c = self.sensor_c(now)
        below = bench.weather.temperature_c(now) - sensor_c
        cooling = bench.state.set_point_c is not None
        power = float(np.clip(below / _DEEPEST_BELOW_AIR_C, 0, 1)) if cooling else 0.0
        shown_c = round(sensor_c + self._probe_noise_c(int(now.timestamp()) // 10), 1)
        return CameraState(shown_c, bench.state.set_point_c, power, self._activity)

    def _probe_noise_c(self, ten_seconds: int) -> float:
        if ten_seconds != self._probe_read[0]:
            noise_c = float(generator(self._bench.state.seed, "probe", ten_seconds).normal(0, 0.03))
            self._probe_read = ten_seconds, noise_c
        return self._probe_read[1]

    async def cool(self, set_point_c: float | None) -> None:
        bench = self._bench
        bench.need("camera")
        self.sensor_c(bench.clock.utcnow())
        bench.state.set_point_c = set_point_c
        bench.save()

    def sensor_c(self, now: datetime) -> float:
        """The sensor's temperature, carried on to `now`: a ramp with the cooler on, else towards the air."""
        state = self._bench.state
        minutes = max(0.0, (now - state.sensor_at).total_seconds() / 60)
        air_c = self._bench.weather.temperature_c(now)
        if state.set_point_c is None:
            state.sensor_c = float(air_c + (state.sensor_c - air_c) * np.exp(-minutes / 8))
        else:
            # a cooler can't heat: above the air there is nothing it can hold
            goal = float(np.clip(state.set_point_c, air_c - _DEEPEST_BELOW_AIR_C, air_c))
            step = _RAMP_C_PER_MIN * minutes
            state.sensor_c = float(np.clip(goal, state.sensor_c - step, state.sensor_c + step))
        state.sensor_at = now
        return state.sensor_c

    async def abort(self) -> None:
        self._bench.need("camera")
        self._activity = "idle"

    async def expose(self, exposure: Exposure) -> RawFrame:
        bench = self._bench
        bench.need("camera")
        if self._activity != "idle":
            raise Refused(f"camera: {self._activity}, not ready for another exposure")
        if exposure.exposure_s <= 0:
            raise Refused(f"camera: an exposure of {exposure.exposure_s} s is not possible")
        count = bench.state.next_count("camera")
        bench.save()
        started_at = bench.clock.utcnow()
        scene = self._scene(exposure, started_at, count)
        try:
            self._activity = "exposing"
            await bench.clock.sleep(exposure.exposure_s)
            self._activity = "downloading"
            await bench.clock.sleep(bench.rig.camera.download_s)
            image = await bench.workshop.run(draw, scene)
        finally:
            self._activity = "idle"
        return RawFrame(image, started_at, exposure, round(scene.sensor_c, 1))

    def _scene(self, exposure: Exposure, at: datetime, count: int) -> Scene:
        bench, state, rig = self._bench, self._bench.state, self._bench.rig
        site = rig.site.place()
        ra_deg, dec_deg = self._mount.true_pointing_deg(at)
        altitude_deg = float(observe(ra_deg, dec_deg, from_datetimes(at), site).altitude_deg)
        optics = next((f for f in rig.wheel.filters if f.slot == state.slot), None)
        defocus = state.drawtube_steps - bench.best_focus_steps(state.slot, at)
        # each frame meets its own seeing, the shorter the more so
        shake = generator(state.seed, "seeing", count).normal(0, 0.02 + 0.04 / np.sqrt(exposure.exposure_s))
        fwhm_px, disc_px = blur(
            rig,
            defocus,
            bench.weather.seeing_arcsec(at) * float(np.exp(shake)),
            float(air_mass(max(altitude_deg, 3.0))),
            exposure.binning,
        )
        camera = rig.camera
        return Scene(
            sky_seed=state.seed,
            noise_key=(state.seed, "camera", count),
            ra_deg=ra_deg,
            dec_deg=dec_deg,
            position_angle_deg=self._mount.position_angle_deg(),
            shape=rig.field_px(exposure.binning),
            scale_arcsec_px=rig.scale_arcsec_px(exposure.binning),
            binning=exposure.binning,
            light=exposure.light,
            exposure_s=exposure.exposure_s,
            aperture_mm=rig.telescope.aperture_mm,
            filter_width_nm=optics.width_nm if optics else 300.0,
            fwhm_px=round(fwhm_px, 3),
            disc_px=round(disc_px, 3),
            sky_mag_arcsec2=sky_mag_arcsec2(ra_deg, dec_deg, at, site),
            sensor_c=self.sensor_c(at),
            electrons_per_adu=camera.electrons_per_adu,
            bias_adu=exposure.offset * _ADU_PER_OFFSET,
            read_noise_e=1.6,
            full_well_e=camera.electrons_per_adu * camera.full_scale_adu,
            dark_e_s_at_minus_10=0.002,
            full_scale_adu=camera.full_scale_adu,
        )
