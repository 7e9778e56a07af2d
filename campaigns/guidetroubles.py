"""Guiding when something goes wrong: it goes on, or gives up with the reason."""

import json
from datetime import timedelta
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

import numpy as np

from campaigns.demo import quick_rig
from campaigns.figures import run_campaign
from vigil.cli.benchalone import Alone, Bench, on_the_bench
from vigil.documents.errands import Outcome
from vigil.documents.scenario import Scenario
from vigil.documents.scenario.air import AirEffects, Cloud
from vigil.documents.scenario.fault import Fault, FaultKind
from vigil.documents.scenario.mount import MountEffects

RUNS, FRAMES = 200, 220
TROUBLES = (
    "star lost",
    "cloud",
    "long cloud",
    "bad air",
    "weak pulses",
    "stale calibration",
    "camera gone",
    "camera back",
)
_BEGINS = timedelta(hours=5)
_BEGINS_MIN = 300.0
_GUIDED_ARCSEC = 4.0
_TURNED_DEG = 180.0


def one_run(seed: int) -> dict[str, Any]:
    """Calibrated first, then guided for five minutes or so with one trouble in the middle. Right is: over its
    frames with the star held at the end, or given up with a reason that names what it was."""
    rng = np.random.default_rng([47, seed])
    trouble = TROUBLES[seed % len(TROUBLES)]
    rig = quick_rig()
    assert rig.simulated is not None
    at_min = _BEGINS_MIN + float(rng.uniform(2.0, 3.5))
    mount: dict[str, Any] = {"drift_arcsec_min": round(float(rng.uniform(4, 20) * rng.choice([-1, 1])), 2)}
    air: dict[str, Any] = {}
    faults: list[Fault] = []
    if trouble in ("cloud", "long cloud"):
        minutes = float(rng.uniform(0.5, 4)) if trouble == "cloud" else 60.0
        air["clouds"] = [Cloud(arrives_min=at_min, minutes=minutes, thickness_mag=9.0, edge_min=0.5)]
    elif trouble == "bad air":
        air["seeing_arcsec"] = 6.0
    elif trouble == "weak pulses":
        mount["pulse_response"] = (0.3, 0.3)
    elif trouble == "star lost":
        faults = [
            Fault(
                kind=FaultKind.MOVES,
                device="mount",
                at_min=at_min,
                minutes=0,
                amount=float(rng.uniform(5, 30)),
            )
        ]
    elif trouble.startswith("camera"):
        minutes = 30.0 if trouble == "camera gone" else 0.1
        faults = [Fault(kind=FaultKind.DISCONNECTS, device="guide camera", at_min=at_min, minutes=minutes)]
    scenario = Scenario(mount=MountEffects(**mount), air=AirEffects(**air), faults=faults)
    calm = Scenario(mount=MountEffects(drift_arcsec_min=mount["drift_arcsec_min"]))
    rows: list[dict[str, Any]] = []
    with TemporaryDirectory() as folder:

        def bench(sky: Scenario, at_min: float = _BEGINS_MIN) -> Alone:
            assert rig.simulated is not None
            at = rig.simulated.starts_at + timedelta(minutes=at_min)
            return Alone(rig, sky, seed, at, quick=True, folder=Path(folder), sampled=rows.append)

        async def calibrated(place: Bench) -> None:
            await place.carry_out("guide calibration", {})

        async def guided(place: Bench) -> dict[str, Any]:
            ended = await place.carry_out("guiding", {"frames": FRAMES})
            return {"outcome": ended.values["outcome"], "reason": ended.reason}

        on_the_bench(bench(calm, _BEGINS_MIN - 30), calibrated)
        if trouble == "stale calibration":
            _turn(Path(folder))
        rows.clear()
        ended = on_the_bench(bench(scenario), guided)
    held = [row for row in rows[-20:] if "error" in row]
    off = float(np.sqrt(np.mean([np.sum(np.square(row["error"])) for row in held]))) if held else None
    done = ended["outcome"] == Outcome.DONE.value
    return {
        "trouble": trouble,
        **ended,
        "frames": len(rows),
        "off_at_the_end_arcsec": None if off is None else round(off, 2),
        "right": _right(trouble, done, ended["reason"], off),
    }


def _turn(folder: Path) -> None:
    """The camera turned since the calibration was made."""
    (path,) = folder.glob("guide-calibration_*.json")
    values = json.loads(path.read_text())
    for axis in ("ra", "dec"):
        values[axis]["angle_deg"] = (values[axis]["angle_deg"] + _TURNED_DEG) % 360
    path.write_text(json.dumps(values))


def _right(trouble: str, done: bool, reason: str, off_arcsec: float | None) -> bool:
    if done:
        limit = 3 * _GUIDED_ARCSEC if trouble in ("bad air", "weak pulses") else _GUIDED_ARCSEC
        return off_arcsec is not None and off_arcsec < limit
    names = {  # a camera that is back a few seconds later is no reason to give up
        "star lost": "star",
        "cloud": "cloud",
        "long cloud": "cloud",
        "camera gone": "no guide frame",
        "stale calibration": "wrong way",
        "weak pulses": "",
        "bad air": "",
    }
    return trouble in names and names[trouble] in reason


def summarise(results: list[dict[str, Any]]) -> dict[str, Any]:
    by = {t: [r for r in results if r["trouble"] == t] for t in TROUBLES}
    return {
        "runs": len(results),
        "right": sum(r["right"] for r in results),
        "wrong": [r for r in results if not r["right"]],
        "went_on": {
            t: f"{sum(r['outcome'] == 'done' for r in some)} of {len(some)}" for t, some in by.items() if some
        },
    }


def campaign() -> dict[str, Any]:
    """200 runs in quick measurement."""
    items = [(f"run {n}", lambda n=n: one_run(n)) for n in range(RUNS)]
    return run_campaign("guidetroubles", items, summarise)
