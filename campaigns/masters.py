"""Masters of 30 flats, taken by the errand on pixels: how well they flatten what the optics truly do to a
light."""

import asyncio
import tempfile
from datetime import timedelta
from pathlib import Path
from typing import Any

import numpy as np

from campaigns.demo import quick_rig
from campaigns.figures import run_campaign
from vigil.calibration.flatten import flattened
from vigil.cli.benchalone import Alone, Bench, on_the_bench
from vigil.devices.protocols import Exposure
from vigil.documents.errands import Outcome
from vigil.documents.rig.change import with_values
from vigil.documents.scenario import Scenario
from vigil.files.madeframes import made_frames
from vigil.files.masters import Master, make_master, write_master
from vigil.simulator.byhand import lay_panel_on

SETUPS = 40
_FRAMES = 30


def one_setup(seed: int) -> dict[str, Any]:
    """A rig, its dust and vignetting, 30 flats and dark flats through a filter."""
    rng = np.random.default_rng([91, seed])
    colour = bool(rng.random() < 0.3)
    values: dict[Any, Any] = {
        ("camera", "columns"): int(rng.integers(120, 240)) * 2,
        ("camera", "rows"): int(rng.integers(90, 160)) * 2,
    }
    if colour:
        values |= {("camera", "sensor"): "colour", ("camera", "bayer"): str(rng.choice(["RGGB", "GBRG"]))}
    rig = with_values(quick_rig(), values)
    assert rig.simulated is not None and rig.wheel is not None
    scenario = Scenario.model_validate({
        "name": "a flat",
        "optics": {"vignetting": float(rng.uniform(0.05, 0.5)), "dust": int(rng.integers(0, 25))},
        "panel": {"flicker": float(rng.uniform(0, 0.2)), "gamma": float(rng.uniform(0.7, 2.0))},
        "sky": {"faint_stars_to_mag": None, "deep_sky": False, "catalogue_errors": False},
    })  # fmt: skip
    filter_name = str(rng.choice(rig.wheel.in_slots))
    binning = 1 if colour else int(rng.choice([1, 1, 2]))
    wish = {"filters": [filter_name], "count": _FRAMES, "binning": binning, "ready": True,
            "most_exposure_s": 60.0}  # fmt: skip

    async def use(bench: Bench) -> dict[str, Any]:
        ended = await bench.carry_out("flats", wish)
        assert ended.values["outcome"] == Outcome.DONE.value, ended.reason
        assert bench.order.calibration is not None
        master = await asyncio.to_thread(_master, bench.order.calibration)
        return await _judged(bench, master, binning)

    with tempfile.TemporaryDirectory() as name:
        at = rig.simulated.starts_at + timedelta(hours=5)
        order = Alone(rig, scenario, seed, at, calibration=Path(name) / "frames")
        found = on_the_bench(order, use)
    return {"colour": colour, "binning": binning, **found}


def _master(folder: Path) -> Master:
    made = {kind: [p for p in sorted(folder.rglob("*.fits")) if next(made_frames([p])).kind == kind]
            for kind in ("flat", "dark flat")}  # fmt: skip
    dark = make_master(made["dark flat"])
    master = make_master(made["flat"], dark.image, "master dark flat")
    write_master(folder / "master.fits", master)
    return master


async def _judged(bench: Bench, master: Master, binning: int) -> dict[str, Any]:
    """Against the response without noise, and on a light of an even sky without noise."""
    truth = bench.observatory.truth
    gear = truth.gear
    quiet = gear.scenario.camera.model_copy(update={"noise": False, "hot_share": 0.0, "banding": False})
    # so bright a sky that no star counts beside it
    bright = gear.scenario.sky.model_copy(update={"natural_mag_arcsec2": 2.0, "moonlight": False})
    gear.scenario = gear.scenario.model_copy(update={"camera": quiet, "sky": bright})
    assert bench.order.rig.camera is not None
    lights = bench.order.rig.camera.settings_for("lights")
    gain, offset = lights.gain or 0, lights.offset or 0
    without = await truth.camera.expose(Exposure(0.001, gain, offset, binning, light=False))
    bias = float(np.median(without.image))
    found: dict[str, Any] = {"left_out": round(master.left_out, 5)}
    lay_panel_on(bench.observatory, 200)

    async def filled() -> "np.ndarray":
        """A frame that is half full."""
        for k in range(30):
            frame = await truth.camera.expose(Exposure(1e-5 * 2**k, gain, offset, binning))
            if frame.image.max() > 30_000:
                return frame.image
        raise AssertionError("it stays dark")

    response = await filled() - bias
    found["response_rms_percent"] = _rms_percent(response / master.image)
    gear.state.panel_level, gear.state.panel_laid_on, gear.state.parked = 0, False, False
    gear.state.shutters |= {"cover": "open", "roof": "open"}
    for side in (1, -1):  # the wheel came from there, or from the other side
        gear.state.wheel_from = gear.state.slot - side * np.sign(gear.state.slot - gear.state.wheel_from or 1)
        light = await filled()
        level = light - bias
        even = flattened(light, bias, master.image)
        name = "light_rms_percent" if side == 1 else "other_side_rms_percent"
        found[name] = _rms_percent(even)
        found["before_percent"] = _rms_percent(level)
    return found


def _rms_percent(image: "np.ndarray") -> float:
    """By pixels of one colour each, so that their differing sensitivity doesn't count."""
    parts = [image[a::2, b::2] for a in (0, 1) for b in (0, 1)]
    return round(100 * float(np.sqrt(np.mean([np.var(p / p.mean()) for p in parts]))), 3)


def summarise(results: list[dict[str, Any]]) -> dict[str, Any]:
    def worst(name: str) -> float:
        return max(r[name] for r in results)

    return {
        "setups": len(results),
        "before_percent_median": float(np.median([r["before_percent"] for r in results])),
        "response_rms_percent_worst": worst("response_rms_percent"),
        "light_rms_percent_worst": worst("light_rms_percent"),
        "light_rms_percent_median": float(np.median([r["light_rms_percent"] for r in results])),
        "wheel_from_the_other_side_worst": worst("other_side_rms_percent"),
        "within_half_a_percent": sum(
            max(r["response_rms_percent"], r["light_rms_percent"]) <= 0.5 for r in results
        ),
    }


def campaign() -> dict[str, Any]:
    """40 of them."""
    items = [(f"set-up {n}", lambda n=n: one_setup(n)) for n in range(SETUPS)]  # type: ignore[misc]
    return run_campaign("masters", items, summarise)
