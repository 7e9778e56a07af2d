"""`vigil shoot`: frames by hand under the simulated sky."""

import argparse
import json
import sys
import zlib
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any

from vigil.cli import BAD_INPUT, OK, BadInput
from vigil.cli.assemble import seed_of
from vigil.cli.files import EXAMPLE_RIGS, load_document, moment_wanted, rig_path, scenario_wanted
from vigil.devices.errors import DeviceError
from vigil.devices.protocols import Exposure, RawFrame
from vigil.documents.rig import Rig
from vigil.documents.scenario import Scenario
from vigil.engine.header import bare_header
from vigil.files.fits import Header, write_frame
from vigil.runtime.clock import ScenarioClock
from vigil.runtime.simulated import run_virtual
from vigil.runtime.workshop import Workshop
from vigil.simulator.byhand import expose_at, lay_panel_on, panel_level_for, point, set_up
from vigil.simulator.frame.scene import Scene
from vigil.simulator.observatory import SimObservatory
from vigil.simulator.truthlog import TruthLog
from vigil.sky.angles import parse_position_deg
from vigil.sky.horizontal import air_mass, observe
from vigil.sky.instants import from_datetimes

_INTO_THE_EVENING = timedelta(hours=5)
_BIAS_S = 1e-4
"""A bias is as short as can be."""


@dataclass(frozen=True, slots=True)
class Order:
    """What is to be shot, with nothing left open."""

    rig: Rig
    scenario: Scenario
    seed: int
    at: datetime
    near: tuple[float, float] | None
    kind: str
    filter: str
    exposure: Exposure
    count: int
    focus_offset_steps: float
    sensor_c: float | None
    level: int | None
    out: Path
    truth: Path | None


def run(args: argparse.Namespace) -> int:
    """0 all frames written, 2 bad input."""
    order = _order(args)
    try:
        order.out.mkdir(parents=True, exist_ok=True)
        told = run_virtual(_shoot(order))
    except OSError as problem:
        raise BadInput(f"{order.out}: can't be written ({problem.strerror or problem})") from None
    except DeviceError as problem:
        print(f"vigil: {problem}", file=sys.stderr)
        return BAD_INPUT
    for values in told:
        print(
            json.dumps(values, ensure_ascii=False) if args.json else f"{values['file']}: {_in_words(values)}"
        )
    return OK


def _order(args: argparse.Namespace) -> Order:
    rig = load_document(Rig, rig_path(args.rig or EXAMPLE_RIGS[0]))
    if rig.simulated is None or rig.camera is None or rig.telescope is None:
        raise BadInput(f"{rig.name}: shooting needs a simulated rig with telescope and camera")
    scenario = scenario_wanted(args.scenario)
    names = rig.filter_names
    through = args.filter or (rig.wheel.focus_through if rig.wheel else "")
    if through and through not in names:
        raise BadInput(f"no filter is called {through!r}; {rig.name} has {', '.join(names) or 'none'}")
    if args.kind == "guide" and rig.guider is None:
        raise BadInput(f"{rig.name} has no guide camera")
    if args.kind == "flat" and rig.panel is None:
        raise BadInput(f"{rig.name} has no flat panel")
    if args.sensor_c is not None and rig.camera.cooler is None:
        raise BadInput(
            f"--sensor-c: {rig.camera.name} has no cooler, its sensor is as warm as the air makes it"
        )
    return Order(
        rig=rig,
        scenario=scenario,
        seed=seed_of(rig, args.seed, scenario),
        at=moment_wanted(args.at) if args.at else rig.simulated.starts_at + _INTO_THE_EVENING,
        near=_place(args.near) if args.near else None,
        kind=args.kind,
        filter=through,
        exposure=_exposure(args, rig),
        count=args.count,
        focus_offset_steps=args.focus_offset,
        sensor_c=args.sensor_c,
        level=args.level,
        out=Path(args.out).absolute(),
        truth=Path(args.truth).absolute() if args.truth else None,
    )


def _exposure(args: argparse.Namespace, rig: Rig) -> Exposure:
    assert rig.camera is not None
    exposure_s = _BIAS_S if args.kind == "bias" else args.exposure
    if exposure_s is None:
        raise BadInput(f"--exposure S: how long? A {args.kind} needs it")
    usual = rig.camera.settings_for("lights")
    if args.kind == "guide" and rig.guider is not None:
        gain, offset = rig.guider.gain, 20
    else:
        gain, offset = usual.gain or 0, usual.offset or 0
    return Exposure(
        exposure_s,
        gain if args.gain is None else args.gain,
        offset if args.offset is None else args.offset,
        args.binning,
        light=args.kind in ("light", "flat", "guide"),
    )


def _place(text: str) -> tuple[float, float]:
    try:
        return parse_position_deg(text)
    except ValueError as problem:
        raise BadInput(f"--near: {problem}") from None


async def _shoot(order: Order) -> list[dict[str, Any]]:
    clock = ScenarioClock(order.at)
    observatory = SimObservatory(order.rig, order.seed, clock, Workshop(0), scenario=order.scenario)
    gear = observatory.truth.gear
    truth = TruthLog(observatory, order.truth) if order.truth else None
    level = None
    try:
        set_up(observatory, order.filter, order.sensor_c)
        if order.kind in ("light", "guide"):
            altitude_deg = point(observatory, order.near)
            if altitude_deg < 0:
                raise BadInput(f"--near: that place stands {altitude_deg:.0f}° high, under the horizon")
        if order.kind == "flat":
            level = panel_level_for(observatory, order.exposure) if order.level is None else order.level
            lay_panel_on(observatory, level)
        # frames of another kind or exposure must not share their noise
        gear.state.counters = dict.fromkeys(("camera", "guide camera"), _first_count(order))
        told = []
        for number in range(1, order.count + 1):
            frame, scene = await expose_at(
                observatory, order.exposure, order.focus_offset_steps, order.kind == "guide", order.sensor_c
            )
            path = _free_path(order, number)
            write_frame(path, frame.image, _header(order, frame, scene))
            told.append({"file": str(path), **_values(order, frame, scene, level)})
        return told
    finally:
        if truth is not None:
            truth.close()


def _first_count(order: Order) -> int:
    what = (order.kind, order.filter, order.exposure, order.near, order.at.isoformat(), order.level)
    return zlib.crc32(repr(what).encode()) * 1000


def _free_path(order: Order, number: int) -> Path:
    parts = [
        order.kind,
        order.filter if order.kind in ("light", "flat") else "",
        f"{order.exposure.exposure_s:g}s",
    ]
    stem = "_".join(part for part in [*parts, f"g{order.exposure.gain}"] if part)

    def names() -> Iterator[Path]:
        yield order.out / f"{stem}_{number:04d}.fits"
        for again in range(2, 10_000):
            yield order.out / f"{stem}_{number:04d}_{again}.fits"

    return next(path for path in names() if not path.exists())


def _header(order: Order, frame: RawFrame, scene: Scene) -> Header:
    header = bare_header(order.rig, frame, order.kind == "guide")
    header["IMAGETYP"] = ("LIGHT" if order.kind == "guide" else order.kind.upper(), "kind of frame")
    header["OFFSET"] = (frame.exposure.offset, "camera's offset setting")
    header["EGAIN"] = (round(scene.sensor.electrons_per_adu, 4), "[e-/ADU]")
    if order.filter and order.kind in ("light", "flat"):
        header["FILTER"] = (order.filter, "")
    if order.kind in ("light", "guide"):
        # to the arc-minute, as a mount would say it
        header["RA"] = (round(scene.aim.ra_deg, 2), "[deg] ICRS, about")
        header["DEC"] = (round(scene.aim.dec_deg, 2), "[deg] ICRS, about")
    return header


def _values(order: Order, frame: RawFrame, scene: Scene, level: int | None) -> dict[str, Any]:
    light, sensor = scene.light, scene.sensor
    values: dict[str, Any] = {
        "kind": order.kind,
        "started_at": frame.started_at.isoformat(),
        "exposure_s": frame.exposure.exposure_s,
        "gain": frame.exposure.gain,
        "binning": frame.exposure.binning,
        "seed": order.seed,
        "scenario": order.scenario.name,
        "electrons_per_adu": sensor.electrons_per_adu,
        "bias_adu": sensor.bias_adu * sensor.binning**2,
        "read_noise_e": sensor.read_noise_e * sensor.binning,
        "dark_e_s": sensor.dark_e_s * sensor.binning**2,
        "sensor_c": frame.temperature_c,
    }
    if level is not None:
        values |= {"level": level, "panel_e_s_px": scene.panel_e_s_px, "filter": order.filter}
    seen = scene.aim.seen
    if scene.sky is None or seen is None:
        return values
    there = observe(scene.aim.ra_deg, scene.aim.dec_deg, from_datetimes(seen.at), seen.site)
    mass = float(air_mass(there.altitude_deg))
    sky_e_s = light.sky_e_s_arcsec2(scene.sky.mag_arcsec2) * scene.scale_arcsec_px**2
    return values | {
        "filter": order.filter if order.kind == "light" else "",
        "ra_deg": round(scene.aim.ra_deg, 7),
        "dec_deg": round(scene.aim.dec_deg, 7),
        "position_angle_deg": round(scene.aim.position_angle_deg, 5),
        "scale_arcsec_px": scene.scale_arcsec_px,
        "altitude_deg": round(float(there.altitude_deg), 4),
        "air_mass": round(mass, 5),
        "zero_point_e_s": light.zero_point_e_s,
        "extinction_mag": float(light.extinction_mag(mass)),
        "sky_mag_arcsec2": scene.sky.mag_arcsec2,
        "sky_e_s_px": sky_e_s,
        "cloud_mag": scene.sky.cloud_mag,
        "fwhm_px": scene.blur.fwhm_px,
        "defocus_um": scene.blur.defocus_um,
    }


def _in_words(values: dict[str, Any]) -> str:
    said = f"{values['exposure_s']:g} s, gain {values['gain']}, {values['sensor_c']:.1f} °C"
    if "level" in values:
        return f"{said}, panel at step {values['level']}"
    if "sky_mag_arcsec2" not in values:
        return said
    return (
        f"{said}, {values['altitude_deg']:.0f}° high, sky {values['sky_mag_arcsec2']:.2f} mag/″², "
        f"FWHM {values['fwhm_px']:.2f} px"
    )
