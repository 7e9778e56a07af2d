"""Coverage against a slow and obvious oracle, on random libraries."""

from datetime import UTC, datetime, timedelta
from typing import Any

import numpy as np

from campaigns.figures import run_campaign
from vigil.levels.matching import Covered, Kind, Made, Wanted, cover

LIBRARIES = 1000
_BEGAN = datetime(2026, 3, 1, tzinfo=UTC)
_KINDS: tuple[tuple[Kind, str], ...] = (
    ("dark", "dark"),
    ("flat", "flat"),
    ("dark flat", "dark_flat"),
    ("bias", "bias"),
)


def library(seed: int) -> tuple[list[Made], Wanted]:
    """Frames of few settings, so that many nearly match; some headers say less than others."""
    rng = np.random.default_rng([67, seed])
    wanted = Wanted(
        darks=int(rng.integers(0, 5)), flats=int(rng.integers(0, 5)), dark_flats=int(rng.integers(0, 4)),
        biases=int(rng.integers(0, 4)), within_c=float(rng.choice([0.5, 1.0, 2.0])),
        within_deg=float(rng.choice([1.0, 2.0, 5.0])), within_steps=int(rng.choice([50, 200])),
        darks_keep_days=float(rng.choice([30, 730])),
    )  # fmt: skip
    cameras = ["Alder 3000", "Rowan 26"][: int(rng.integers(1, 3))]
    # what lights of one group share; each frame of it differs by less than the limits can tell apart
    frames = []
    for _ in range(int(rng.integers(5, 50))):
        kind = str(
            rng.choice(["light", "dark", "flat", "dark flat", "bias"], p=[0.25, 0.2, 0.25, 0.15, 0.15])
        )
        camera = str(rng.choice(cameras))
        length = float(rng.choice([480, 360], p=[0.8, 0.2]))
        frames.append(
            Made(
                kind,  # type: ignore[arg-type]
                target=str(rng.choice(["IC 405", "NGC 2403"])) if kind == "light" else "",
                filter=str(rng.choice(["L", "Ha"])),
                exposure_s=float(rng.choice([60.0, 300.0, 2.0, 2.7], p=[0.35, 0.3, 0.2, 0.15])),
                source="twilight" if kind == "flat" and rng.random() < 0.3 else "",
                gain=None if rng.random() < 0.05 else int(rng.choice([100, 0], p=[0.9, 0.1])),
                offset=50,
                binning=int(rng.choice([1, 2], p=[0.9, 0.1])),
                temperature_c=None if rng.random() < 0.05 else float(rng.choice([-10.0, -5.0])),
                rotator_deg=None if rng.random() < 0.2 else float(rng.choice([0.0, 10.0, 180.0])),
                focus_position=None if rng.random() < 0.2 else int(rng.choice([6000, 6100, 6500])),
                camera=camera,
                train="" if rng.random() < 0.2 else f"Heron, {length:g} mm, {camera}",
                at=_BEGAN + timedelta(days=float(rng.uniform(0, 200))),
            )
        )
    return frames, wanted


def _like(one: object, other: object) -> bool:
    return one is None or other is None or one == other


def serves(frame: Made, light: Made, every: list[Made], wanted: Wanted) -> bool:
    """Whether a frame is of use for a light (a dark flat: for the flat in its place), rule by rule."""
    near_c = (
        frame.temperature_c is None
        or light.temperature_c is None
        or abs(frame.temperature_c - light.temperature_c) <= wanted.within_c
    )
    settings = _like(frame.gain, light.gain) and _like(frame.offset, light.offset)
    same = frame.camera == light.camera and frame.binning == light.binning
    assert frame.exposure_s is not None and light.exposure_s is not None
    longest = max(frame.exposure_s, light.exposure_s)
    exposed = abs(frame.exposure_s - light.exposure_s) <= wanted.exposure_share * longest
    assert frame.at is not None and light.at is not None
    if frame.kind == "bias":
        return same and settings
    if frame.kind == "dark flat":
        sky = light.source == "twilight" and longest <= 1.4157 * min(frame.exposure_s, light.exposure_s)
        return same and settings and (exposed or sky) and near_c
    if frame.kind == "dark":
        young = abs((light.at - frame.at).total_seconds()) <= wanted.darks_keep_days * 86400
        return same and settings and exposed and near_c and young
    if not (same and frame.filter == light.filter):
        return False
    if frame.rotator_deg is not None and light.rotator_deg is not None:
        turned = abs(frame.rotator_deg - light.rotator_deg) % 180
        if min(turned, 180 - turned) > wanted.within_deg:
            return False
    known = frame.focus_position is not None and light.focus_position is not None
    if known and abs(frame.focus_position - light.focus_position) > wanted.within_steps:  # type: ignore[operator]
        return False
    if frame.train and light.train and frame.train != light.train:
        return False
    first, last = sorted((frame.at, light.at))
    for other in every:
        assert other.at is not None
        between = first < other.at < last and other.camera == light.camera
        if between and other.train and light.train and other.train != light.train:
            return False
    return True


def count_of(kind: Kind, light: Made, every: list[Made], wanted: Wanted) -> int:
    """How many serve a light, one by one."""
    if kind != "dark flat":
        return sum(f.kind == kind and serves(f, light, every, wanted) for f in every)
    flats = [f for f in every if f.kind == "flat" and serves(f, light, every, wanted)]
    if not flats:
        return 0
    return min(sum(f.kind == kind and serves(f, flat, every, wanted) for f in every) for flat in flats)


def one_library(seed: int) -> dict[str, Any]:
    """Every light's standing against the oracle's."""
    frames, wanted = library(seed)
    wrong: list[str] = []
    checked = 0
    for one in cover(frames, wanted):
        for kind, key in _KINDS:
            checked += 1
            wrong += _wrong(one, kind, key, frames, wanted)
    return {"checked": checked, "wrong": wrong}


def _wrong(one: Covered, kind: Kind, key: str, frames: list[Made], wanted: Wanted) -> list[str]:
    standing = getattr(one, key)
    number = count_of(kind, one.light, frames, wanted)
    asked = {
        "dark": wanted.darks,
        "flat": wanted.flats,
        "dark flat": wanted.dark_flats,
        "bias": wanted.biases,
    }
    most = asked[kind]
    right = "ok" if number >= most else "few" if number else "missing"
    said = standing.state.value
    if said == "stale" and number < most:
        return []  # which ones would have served is the reason's to say
    if said == right and standing.have not in (number, 0):
        return [f"{kind} of {one.light.filter}: {standing.have} said, the oracle has {number}"]
    return (
        [] if said == right else [f"{kind} of {one.light.filter}: {said}, the oracle has {right} ({number})"]
    )


def summarise(results: list[dict[str, Any]]) -> dict[str, Any]:
    return {
        "libraries": len(results),
        "checked": sum(r["checked"] for r in results),
        "wrong": [words for r in results for words in r["wrong"]],
    }


def campaign() -> dict[str, Any]:
    """1,000 of them."""
    items = [(f"library {n}", lambda n=n: one_library(n)) for n in range(LIBRARIES)]  # type: ignore[misc]
    return run_campaign("coverage", items, summarise)
