"""A simulated person at the adjusters, who does what the screen says and nothing else: slowly, sometimes the
wrong way, with screws that stick and jump."""

import math
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np

from campaigns.figures import run_campaign
from campaigns.polarsetups import left_arcmin, set_up
from vigil.cli.benchalone import Alone, Bench, on_the_bench
from vigil.polar.adjusters import RIGHT_ARCMIN

SET_UPS, MOST_ARCMIN = 200, 180.0
_GOOD_ARCMIN, _MOST_ROUNDS, _MOST_FRAMES = 1.0, 8, 400
_CONTENT_FRAMES = 4


@dataclass
class Person:
    """Sees a frame, and acts some frames later; thinks a screw does more or less than it does."""

    rng: np.random.Generator
    bench: Bench
    thinks: float = 1.0
    reaction_frames: int = 2
    _waits: int = 0
    _content: int = 0
    _tried: dict[str, float] = field(default_factory=dict)
    turns: int = 0

    @property
    def content(self) -> bool:
        """Whether the screen has said long enough that both are right."""
        return self._content >= _CONTENT_FRAMES

    def sees(self, row: dict[str, Any]) -> None:
        """One axis at a time, the worse one first; a screw that hasn't moved is turned farther."""
        if "altitude_arcmin" not in row:
            return
        shown = {name: round(row[f"{name}_arcmin"], 1) for name in ("altitude", "azimuth")}
        if max(map(abs, shown.values())) <= RIGHT_ARCMIN:
            self._content += 1
            return
        self._content = 0
        self._waits += 1
        if self._waits <= self.reaction_frames or row.get("moving"):
            return
        self._waits = 0
        name = max(shown, key=lambda n: abs(shown[n]))
        stuck = self._tried.get(name) == shown[name]
        push = 1.0 + float(self.rng.uniform(0.3, 1.0)) if stuck else 1.0
        by = -shown[name] * self.thinks * push * float(self.rng.uniform(0.7, 1.2))
        if self.rng.random() < 0.1:
            by = -by
        self._tried[name] = shown[name]
        self.turns += 1
        cos = math.cos(math.radians(self.bench.order.rig.site.latitude_deg))
        turn = self.bench.observatory.truth.mount.turn_adjusters
        turn(by, 0.0) if name == "altitude" else turn(0.0, by / cos)


def one_set_up(seed: int) -> dict[str, Any]:
    """Measured, turned until the screen says that it is right, measured again, until that says so too."""
    rng = np.random.default_rng([63, seed])
    made = set_up(
        seed,
        MOST_ARCMIN,
        adjuster_sticks_arcmin=round(float(rng.uniform(0, 1.0)), 2),
        adjuster_jumps=round(float(rng.uniform(0, 0.4)), 2),
    )

    async def use(bench: Bench) -> dict[str, Any]:
        person = Person(rng, bench, float(rng.uniform(0.6, 1.3)), int(rng.integers(1, 5)))
        wish: dict[str, Any] = {"camera": made.camera}
        ended = await bench.carry_out("polar axis", {**wish, "goes": True})
        rounds = 0
        while rounds < _MOST_ROUNDS:
            record = ended.values.get("polar")
            if record is None or record["total_arcmin"] <= _GOOD_ARCMIN / 2:
                break
            rounds += 1
            await _turned(bench, person, wish)
            ended = await bench.carry_out("polar axis", wish)
        altitude, azimuth = left_arcmin(bench, made)
        total = float(np.hypot(altitude, azimuth))
        return {
            "left_arcmin": round(total, 3),
            "good": total < _GOOD_ARCMIN,
            "rounds": rounds,
            "turns": person.turns,
            "reason": ended.reason,
        }

    before = float(np.hypot(made.altitude_arcmin, made.azimuth_arcmin))
    found = on_the_bench(Alone(made.rig, made.scenario, seed, made.at, quick=True), use)
    return {"before_arcmin": round(before, 2), **found}


async def _turned(bench: Bench, person: Person, wish: dict[str, Any]) -> None:
    """Frames until the person is content."""
    person._content = 0
    for _ in range(_MOST_FRAMES // 20):
        bench.order = replace(bench.order, sampled=person.sees)
        ended = await bench.carry_out("polar turning", {**wish, "frames": 20})
        if person.content or ended.values["outcome"] != "done":
            return


def summarise(results: list[dict[str, Any]]) -> dict[str, Any]:
    return {
        "set_ups": len(results),
        "under_1_arcmin": sum(r["good"] for r in results),
        "worst_left_arcmin": max(r["left_arcmin"] for r in results),
        "median_left_arcmin": round(float(np.median([r["left_arcmin"] for r in results])), 3),
        "median_rounds": float(np.median([r["rounds"] for r in results])),
        "most_rounds": max(r["rounds"] for r in results),
        "median_turns": float(np.median([r["turns"] for r in results])),
    }


def campaign() -> dict[str, Any]:
    """200 set-ups in quick measurement."""
    items = [(f"set-up {n}", lambda n=n: one_set_up(n)) for n in range(SET_UPS)]
    return run_campaign("polarpersons", items, summarise)
