"""Jobs of flats by day and by night, of a panel, a cloth and the twilight sky, that are stopped, killed,
overtaken or suffer faults: at no end is the panel on or by day the roof open, and no way of the mount leads
past the sun."""

import asyncio
import os
import tempfile
from dataclasses import replace
from datetime import timedelta
from pathlib import Path
from typing import Any
from unittest.mock import patch

import numpy as np

from campaigns.demo import quick_rig, short_plan
from campaigns.figures import run_campaign
from campaigns.kept import Place, kept
from vigil.devices.errors import DeviceFault
from vigil.devices.protocols import Devices
from vigil.devices.ways import keep_at
from vigil.documents.events import Kind
from vigil.documents.messages import Command
from vigil.documents.rig.beside import CoverPart, RoofPart
from vigil.documents.rig.change import with_values
from vigil.planning.skyflats import next_window
from vigil.sky.horizontal import unobserve
from vigil.sky.instants import from_datetimes

RUNS = 300
_ENDS = ("done", "stopped", "stand still", "a night begins", "killed", "killed twice", "the keeper leaves")
_FAULTS = ("none", "none", "panel", "camera", "wheel", "mount", "roof")
_INSIDE_DEG = 1.0
"""So far inside the sun's clearance counts."""
_UNDER_A_ROOF = {"cover": CoverPart(name="Flap"), "roof": RoofPart(name="Slide")}
_SMALL = with_values(quick_rig(), {("camera", "columns"): 120, ("camera", "rows"): 80})


class Failing:
    """A device of which some calls fail, those of `named` alone."""

    def __init__(self, device: Any, named: str, bad: set[int]) -> None:
        self._device, self._named, self._bad, self._asked = device, named, bad, 0

    def __getattr__(self, name: str) -> Any:
        found = getattr(self._device, name)
        if name != self._named:
            return found

        async def call(*args: Any) -> Any:
            self._asked += 1
            if self._asked in self._bad:
                raise DeviceFault(f"{self._named}: no answer")
            return await found(*args)

        return call


def one_run(seed: int) -> dict[str, Any]:
    """A job that is cut off after so many seconds, or not, and how it was left."""
    rng = np.random.default_rng([71, seed])
    end, fault = str(rng.choice(_ENDS)), str(rng.choice(_FAULTS))
    after_s, begins_h = float(rng.uniform(0, 150)), float(rng.uniform(-9, 12))
    assert _SMALL.simulated is not None
    begins = _SMALL.simulated.starts_at + timedelta(hours=begins_h)
    from_light, first = bool(rng.random() < 0.8), int(rng.integers(1, 12))
    bad = set(range(first, first + int(rng.integers(1, 5))))
    wish = {"filters": ["L", "R"], "count": 3, "dark_flats": 2, "ready": bool(rng.random() < 0.9)}
    source = str(rng.choice(["panel", "cloth", "twilight"], p=[0.55, 0.15, 0.3]))
    small = _SMALL if rng.random() < 0.4 else _SMALL.model_copy(update=_UNDER_A_ROOF)
    if source == "twilight":
        window = next_window(_SMALL, begins)
        assert window is not None
        begins = window.begins - timedelta(minutes=float(rng.uniform(0, 20)))
    elif source == "cloth":
        begins = _SMALL.simulated.starts_at.replace(hour=9) + timedelta(hours=float(rng.uniform(0, 5)))
    rig = with_values(small, {("simulated", "starts_at"): begins})
    wish = wish if source == "panel" else {**wish, "source": source}
    seen = _Seen()

    def alter(devices: Devices) -> Devices:
        if fault == "panel":
            return replace(devices, panel=Failing(devices.panel, "set_level", bad))  # type: ignore[arg-type]
        if fault == "camera":
            return replace(devices, camera=Failing(devices.camera, "expose", bad))  # type: ignore[arg-type]
        if fault == "wheel":
            return replace(devices, wheel=Failing(devices.wheel, "move_to", bad))  # type: ignore[arg-type]
        if fault == "mount":
            return replace(devices, mount=Failing(devices.mount, "park", bad))  # type: ignore[arg-type]
        if fault == "roof" and devices.roof is not None:
            return replace(devices, roof=Failing(devices.roof, "close", bad))  # type: ignore[arg-type]
        return devices

    async def work(place: Place) -> None:
        _unpark_somewhere(place, rng)
        watching = asyncio.ensure_future(seen.watch(place))
        try:
            answer = await place.ask(Command.BEGIN, kind="flats", **wish)
            assert answer.taken, answer.reason
            await _cut(place, end, after_s, from_light)
            if not end.startswith("killed") and end != "the keeper leaves":
                await _until_nothing_is_under_way(place)
                seen.at_the_end(place)
        finally:
            await _over(watching)

    async def again(place: Place) -> None:
        watching = asyncio.ensure_future(seen.watch(place))
        try:
            if end == "killed twice" and not seen.killed_twice:
                seen.killed_twice = True
                await asyncio.sleep(float(rng.uniform(1, 60)))
                return
            await _until_nothing_is_under_way(place)
            seen.at_the_end(place)
        finally:
            await _over(watching)

    with tempfile.TemporaryDirectory() as name, patch.dict(os.environ, {"XDG_DATA_HOME": name}):
        folder = Path(name)
        kept(folder, work, killed=end.startswith("killed"), rig=rig, alter=alter, pixels=True)
        if end == "killed twice":
            kept(folder, again, killed=True, rig=rig, pixels=True)
        kept(folder, again, rig=rig, pixels=True)
    told = {"wrong": seen.wrong, "by_day": seen.by_day, "lit": seen.lit, "opened": seen.opened}
    return {"end": end, "fault": fault, "source": source, **told}


class _Seen:
    """What the truth showed meanwhile."""

    def __init__(self) -> None:
        self.wrong: list[str] = []
        self.by_day = self.lit = self.killed_twice = self.opened = False

    def at_the_end(self, place: Place) -> None:
        level = place.observatory.truth.gear.state.panel_level
        if level:
            self.wrong.append(f"the panel is at level {level}")
        truth = place.observatory.truth
        by_day = keep_at(truth.gear.rig, truth.gear.clock.utcnow()).sun is not None
        if by_day and truth.gear.rig.roof is not None and _roof(place) != "closed":
            self.wrong.append(f"the roof is {_roof(place)} by day")

    async def watch(self, place: Place) -> None:
        truth = place.observatory.truth
        while True:
            now = truth.gear.clock.utcnow()
            self.lit |= truth.gear.state.panel_level > 0
            self.opened |= truth.gear.rig.roof is not None and _roof(place) == "open"
            keep, looks = keep_at(truth.gear.rig, now), truth.mount.looks(now)
            self.by_day |= keep.sun is not None
            inside = float(np.max(keep.near_sun_deg(looks.hour_angle_deg, looks.dec_deg)))
            if inside > _INSIDE_DEG:
                self.wrong.append(f"{20 - inside:.0f}° from the sun")
            await asyncio.sleep(2)


def _roof(place: Place) -> str:
    return place.observatory.truth.gear.state.shutters.get("roof", "closed")


async def _over(watching: "asyncio.Task[None]") -> None:
    """Raises what it died of."""
    watching.cancel()
    await asyncio.wait({watching})
    if not watching.cancelled() and (problem := watching.exception()) is not None:
        raise problem


def _unpark_somewhere(place: Place, rng: np.random.Generator) -> None:
    """As somebody left it: not parked, away from the sun."""
    truth = place.observatory.truth
    now, site = truth.gear.clock.utcnow(), truth.gear.rig.site
    keep = keep_at(truth.gear.rig, now)
    for _ in range(50):
        hour_angle_deg, dec_deg = float(rng.uniform(-60, 60)), float(rng.uniform(0, 70))
        if float(keep.near_sun_deg(hour_angle_deg, dec_deg)) < -10:
            ra, dec = unobserve(hour_angle_deg, dec_deg, from_datetimes(now), site.place())
            truth.mount.put(float(ra) % 360, float(dec))
            return


async def _cut(place: Place, end: str, after_s: float, from_light: bool) -> None:
    """After so many seconds, of the beginning or of the first trial: before that the camera cools."""
    if end == "done":
        return
    while from_light and not any("trial" in e.values or "place" in e.values for e in place.told):
        await asyncio.sleep(1)
        if any(e.kind is Kind.ERRAND_ENDED for e in place.told):
            break
    await asyncio.sleep(after_s)
    if end == "stopped":
        await place.ask(Command.STOP_ERRAND)
    elif end == "stand still":
        await place.ask(Command.DEVICE, device="all", action="stop")
    elif end == "a night begins":
        await place.ask(Command.START, plan=short_plan(count=1).model_dump(mode="json"))


async def _until_nothing_is_under_way(place: Place) -> None:
    """Of flats; a night may go on."""
    while True:
        await asyncio.sleep(5)
        if not any(errand.kind == "flats" for errand in await place.under_way()):
            return


def summarise(results: list[dict[str, Any]]) -> dict[str, Any]:
    return {
        "runs": len(results),
        "by_end": {end: sum(r["end"] == end for r in results) for end in _ENDS},
        "with_faults": sum(r["fault"] != "none" for r in results),
        "by_day": sum(r["by_day"] for r in results),
        "by_source": {s: sum(r["source"] == s for r in results) for s in ("panel", "cloth", "twilight")},
        "lit_meanwhile": sum(r["lit"] for r in results),
        "opened_meanwhile": sum(r["opened"] for r in results),
        "wrong": [
            f"{r['source']}, {r['end']}, {r['fault']}: {words}" for r in results for words in r["wrong"]
        ],
    }


def campaign() -> dict[str, Any]:
    """300 of them."""
    items = [(f"run {n}", lambda n=n: one_run(n)) for n in range(RUNS)]  # type: ignore[misc]
    return run_campaign("flatsends", items, summarise)
