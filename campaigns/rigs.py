"""Nights of every example rig, and of the demo rig with devices that time out: `./dev figures rigs`."""

import tempfile
from collections import Counter
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any

from campaigns.demo import demo_plan
from campaigns.figures import run_campaign
from campaigns.night import play
from vigil.cli.files import EXAMPLE_RIGS, demo_file
from vigil.documents.events import Kind
from vigil.documents.plan import NightPlan
from vigil.documents.rig import Rig
from vigil.documents.rig.change import with_value, with_values
from vigil.documents.store import load
from vigil.planning.fitting import fit

ONE_IN_TWENTY = 0.05
SEEDS = (1, 2)
MOVED_DEVICES = ("camera", "filter wheel", "focuser", "mount", "heaters")


def example(name: str) -> Rig:
    return load(Rig, demo_file(f"{name}.json"))


def small(rig: Rig, times: int) -> Rig:
    """The same field on fewer, larger pixels; the guide camera takes no part."""
    camera = rig.camera
    assert camera is not None
    pixels = {
        ("camera", "columns"): camera.columns // times,
        ("camera", "rows"): camera.rows // times,
        ("camera", "pixel_um"): camera.pixel_um * times,
    }
    return with_values(rig, pixels)


def with_time_outs(rig: Rig, devices: tuple[str, ...], share: float = ONE_IN_TWENTY) -> Rig:
    """The rig with devices that now and then never answer."""
    return with_value(rig, ("simulated", "times_out"), dict.fromkeys(devices, share))


def played_night(rig: Rig, plan: NightPlan, seed: int) -> dict[str, Any]:
    """What came of one night."""
    plan, _ = fit(plan, rig)
    with tempfile.TemporaryDirectory() as folder:
        played = play(rig, plan, Path(folder), seed)
        on_disk = sum(1 for frame in played.frames if Path(frame["path"]).exists())
    over = played.events[-1]
    measured = [e.values for e in played.of(Kind.FRAME_MEASURED)]
    failed = [e for e in played.of(Kind.ACTIVITY_ENDED) if e.values["outcome"] == "failed"]
    return {
        "seed": seed,
        "frames": on_disk,
        "wanted": plan.wanted,
        "solved": sum(values["off_px"] is not None for values in measured),
        "worst_off_px": max((v["off_px"] for v in measured if v["off_px"] is not None), default=None),
        "recovered": len(played.of(Kind.DEVICE_RECOVERED)),
        "lost": len(played.of(Kind.DEVICE_LOST)),
        "failed": dict(Counter(e.values["kind"] for e in failed)),
        "closing": over.values["closing"],
        "ended": over.at.isoformat(),
    }


def complete(night: dict[str, Any]) -> bool:
    """Every frame on disk, solved, and the closing done."""
    closed = set(night["closing"].values()) == {"done"}
    return bool(night["frames"] == night["wanted"] == night["solved"] and closed)


def campaign() -> dict[str, Any]:
    """Two nights of each example rig, and of the demo rig with each device, and all of them, timing out."""
    plan = demo_plan()
    rigs = {name: example(name) for name in EXAMPLE_RIGS}
    demo = rigs[EXAMPLE_RIGS[0]]
    for device in MOVED_DEVICES:
        rigs[f"{device} times out"] = with_time_outs(demo, (device,))
    rigs["all time out"] = with_time_outs(demo, MOVED_DEVICES)
    items: list[tuple[str, Callable[[], dict[str, Any]]]] = [
        (f"{name}, seed {seed}", partial(played_night, rig, plan, seed))
        for name, rig in rigs.items()
        for seed in SEEDS
    ]
    return run_campaign("rigs", items, _summary)


def _summary(nights: list[dict[str, Any]]) -> dict[str, Any]:
    return {
        "nights": len(nights),
        "complete": sum(complete(night) for night in nights),
        "recovered": sum(night["recovered"] for night in nights),
        "lost": sum(night["lost"] for night in nights),
        "worst_off_px": max(night["worst_off_px"] for night in nights),
    }
