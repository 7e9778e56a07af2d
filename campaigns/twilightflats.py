"""Flats of the twilight sky: evenings and mornings of many skies, some with clouds, against an oracle that
knows the sky."""

import tempfile
from datetime import datetime, timedelta
from itertools import combinations
from pathlib import Path
from typing import Any

import numpy as np

from campaigns.demo import quick_rig
from campaigns.figures import run_campaign
from vigil.cli.benchalone import Alone, Bench, on_the_bench
from vigil.documents.events import Event
from vigil.documents.rig import Rig
from vigil.documents.rig.change import with_values
from vigil.documents.scenario import Scenario
from vigil.planning.skyflats import next_window, twilight_places
from vigil.simulator.chip import main_chip
from vigil.simulator.lightpath import light_of
from vigil.simulator.looking import sky_lights
from vigil.simulator.observatory import SimObservatory
from vigil.sky.brightness import sky_mag_arcsec2
from vigil.sky.horizontal import unobserve
from vigil.sky.instants import from_datetimes

RUNS = 100
_SMALL = with_values(quick_rig(), {("camera", "columns"): 120, ("camera", "rows"): 80})
_STEP_S = 5.0
_LEAST_S, _MOST_S = 1.0, 30.0
_CHANGE_S = 3.0
"""What turning the wheel costs at least."""


def one_run(seed: int) -> dict[str, Any]:
    """One twilight: how many frames were inside their window, and how many filters had all of them."""
    rng = np.random.default_rng([83, seed])
    when = "dusk" if seed % 2 == 0 else "dawn"
    assert _SMALL.simulated is not None
    day = _SMALL.simulated.starts_at + timedelta(days=float(rng.integers(0, 365)))
    rig = with_values(_SMALL, {("site", "latitude_deg"): float(rng.uniform(-50, 52))})
    window = next_window(rig, day, when)  # type: ignore[arg-type]
    assert window is not None, "no site is so far north"
    begins = window.begins - timedelta(minutes=float(rng.uniform(2, 60)))
    rig = with_values(rig, {("simulated", "starts_at"): begins})
    cloudy = bool(rng.random() < 0.3)
    scenario = Scenario.model_validate(
        {
            "name": "a twilight",
            "sky": {
                "twilight_fainter_mag": float(rng.uniform(-0.7, 0.7)),
                "twilight_fainter_mag_deg": float(rng.uniform(-0.06, 0.06)),
                "faint_stars_to_mag": None,
                "deep_sky": False,
            },
            "optics": {"throughput": float(rng.uniform(0.3, 0.7))},
            "air": {"clouds": _clouds(rng) if cloudy else []},
        }
    )
    count = int(rng.integers(10, 31))
    wish = {"source": "twilight", "when": when, "count": count, "dark_flats": 0, "ready": True}

    async def use(bench: Bench) -> tuple[Event, list[Event], int]:
        ended = await bench.carry_out("flats", wish)
        return (
            ended,
            bench.events,
            most_filters(bench.observatory, rig, window.begins, window.ends, when, count),
        )

    with tempfile.TemporaryDirectory() as name:
        order = Alone(rig, scenario, seed, begins, calibration=Path(name))
        ended, events, oracle = on_the_bench(order, use)
    frames = [e.values["frame"] for e in events if "frame" in e.values]
    done = sum(n >= count for n in ended.values.get("flats", {}).values())
    return {
        "when": when, "cloudy": cloudy, "count": count, "frames": len(frames),
        "inside": sum(f["kept"] for f in frames), "looks": sum("trial" in e.values for e in events),
        "done": done, "oracle": oracle,
    }  # fmt: skip


def _clouds(rng: np.random.Generator) -> list[dict[str, Any]]:
    """One to three, thin to thick, one after the other."""
    found, at_min = [], float(rng.uniform(10, 60))
    for _ in range(int(rng.integers(1, 4))):
        minutes = float(rng.uniform(4, 25))
        found.append({
            "arrives_min": at_min, "minutes": minutes, "thickness_mag": float(rng.uniform(0.2, 2.5)),
            "edge_min": float(rng.uniform(1, 6)),
        })  # fmt: skip
        at_min += minutes + float(rng.uniform(5, 30))
    return found


# -- the oracle ----------------------------------------------------------------------------------------------


def most_filters(
    observatory: SimObservatory, rig: Rig, begins: datetime, ends: datetime, when: str, count: int
) -> int:
    """So many filters can have all their frames for somebody who knows the sky's light at every moment: every
    choice of filters is tried, the darkest first, at dawn backwards."""
    at_s = np.arange(0.0, (ends - begins).total_seconds(), _STEP_S)
    rates = _rates_adu_s(observatory, rig, begins, at_s)
    gathered = {name: np.concatenate([[0.0], np.cumsum(r) * _STEP_S]) for name, r in rates.items()}
    if when == "dawn":
        gathered = {name: sums[-1] - sums[::-1] for name, sums in gathered.items()}
    edges = np.append(at_s, at_s[-1] + _STEP_S)
    assert rig.camera is not None
    aim_adu = 0.35 * rig.camera.full_scale_adu - 300.0
    between_s = rig.camera.download_of(1)
    dark_first = sorted(rates, key=lambda name: float(gathered[name][-1]))
    for many in range(len(dark_first), 0, -1):
        for chosen in combinations(dark_first, many):
            at = 0.0
            if all((at := _done_at(gathered[n], edges, aim_adu, between_s, count, at)) < 1e9 for n in chosen):
                return many
    return 0


def _done_at(
    sums: np.ndarray, edges: np.ndarray, aim_adu: float, between_s: float, count: int, from_s: float
) -> float:
    """When all frames of a filter are there, begun as soon as it can be; infinite where that never is."""
    at, have = from_s + _CHANGE_S, 0
    while have < count:
        if at >= edges[-1]:
            return float("inf")
        before = float(np.interp(at, edges, sums))
        if before + aim_adu > sums[-1]:
            return float("inf")
        exposure_s = float(np.interp(before + aim_adu, sums, edges)) - at
        if _LEAST_S <= exposure_s <= _MOST_S:
            at, have = at + exposure_s + between_s, have + 1
        else:
            at += _STEP_S
    return at


def _rates_adu_s(
    observatory: SimObservatory, rig: Rig, begins: datetime, at_s: np.ndarray
) -> dict[str, np.ndarray]:
    """What the sky truly makes of every filter."""
    gear = observatory.truth.gear
    assert rig.wheel is not None and rig.camera is not None
    place, site = twilight_places(rig, begins)[0], rig.site.place()
    chip = main_chip(rig, rig.camera.settings_for("lights").gain or 0)
    light = []
    for seconds in at_s:
        at = begins + timedelta(seconds=float(seconds))
        ra, dec = unobserve(place.hour_angle_deg, place.dec_deg, from_datetimes(at), site)
        light.append(10 ** (-0.4 * sky_mag_arcsec2(float(ra), float(dec), at, site, sky_lights(gear, at))))
    slot, found = gear.state.slot, {}
    for name in rig.wheel.in_slots:
        gear.state.slot = rig.wheel.filter(name).slot or 1
        one = light_of(gear, chip).sky_e_s_arcsec2(0.0) * rig.scale_arcsec_px() ** 2 / chip.electrons_per_adu
        found[name] = one * np.array(light)
    gear.state.slot = slot
    return found


def summarise(results: list[dict[str, Any]]) -> dict[str, Any]:
    frames = sum(r["frames"] for r in results)
    return {
        "twilights": len(results),
        "of_them_cloudy": sum(r["cloudy"] for r in results),
        "frames": frames,
        "inside_percent": round(100 * sum(r["inside"] for r in results) / max(frames, 1), 2),
        "filters_done": sum(r["done"] for r in results),
        "by_the_oracle": sum(r["oracle"] for r in results),
        "worse_by_more_than_one": [k for k, r in enumerate(results) if r["done"] < r["oracle"] - 1],
    }


def campaign() -> dict[str, Any]:
    """100 evenings and mornings."""
    items = [(f"twilight {n}", lambda n=n: one_run(n)) for n in range(RUNS)]  # type: ignore[misc]
    return run_campaign("twilightflats", items, summarise)
