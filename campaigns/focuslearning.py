"""What several focus runs say together: offsets, backlash, tilt, and temperature histories."""

from dataclasses import replace
from typing import Any

import numpy as np

from campaigns.figures import run_campaign
from campaigns.focusing import carried_events, case
from vigil.documents.rig.change import with_values
from vigil.focusing.history import Run, learn

HISTORIES, RUNS_EACH, BENCHES, TILTS = 500, 20, 30, 12
_RICH = (82.0, 34.5)
"""In the Milky Way, near the zenith at that hour."""


def one_history(seed: int) -> dict[str, Any]:
    """Twenty runs over a few nights, two filters, some astray; the slope against the true one."""
    rng = np.random.default_rng([23, seed])
    slope = float(rng.uniform(3, 30) * rng.choice([-1, 1]))
    sigma = float(rng.uniform(0.05, 0.4) * abs(slope))
    warmth = rng.uniform(-8, 8) + rng.uniform(4, 9) * rng.uniform(-1, 1, RUNS_EACH)
    filters = ["L" if k % 3 else "Ha" for k in range(RUNS_EACH)]
    position = 10_000 + slope * warmth + np.array([30.0 * (f == "Ha") for f in filters])
    position += sigma * rng.normal(size=RUNS_EACH)
    if rng.uniform() < 0.3:
        position[rng.integers(RUNS_EACH)] += 20 * sigma
    runs = [Run(float(p), float(t), f) for p, t, f in zip(position, warmth, filters, strict=True)]
    found = learn(runs, "L").slope
    if found is None:
        return {"kind": "history", "found": False}
    return {
        "kind": "history",
        "found": True,
        "error": round(abs(found.value / slope - 1), 5),
        "inside": bool(found.interval[0] <= slope <= found.interval[1]),
    }


def one_backlash(seed: int) -> dict[str, Any]:
    """Two sweeps each way with the quick sky."""
    drawn = case(20_000 + seed)
    truth = drawn.told["backlash_steps"]
    ended = carried_events(drawn, "backlash", pixels=False)[-1]
    found = ended.values.get("backlash")
    if found is None:
        return {"kind": "backlash", "found": False, "reason": ended.reason, "truth": truth}
    low, high = found["interval_95"]
    return {
        "kind": "backlash",
        "found": True,
        "truth": truth,
        "steps": found["steps"],
        "zone_steps": round(drawn.zone_steps, 1),
        "error": round(abs(found["steps"] - truth) / max(truth, 1), 4),
        "error_of_zone": round(abs(found["steps"] - truth) / drawn.zone_steps, 4),
        "inside": bool(low - 0.5 <= truth <= high + 0.5),
    }


def one_offsets(seed: int) -> dict[str, Any]:
    """Three filters against the reference; the true offsets are those of the simulated optics."""
    drawn = case(30_000 + seed)
    found, worst = {}, 0.0

    def truths(observatory: Any, at: Any) -> dict[str, float]:
        gear = observatory.truth.gear
        slots = {f.name: f.slot for f in gear.rig.wheel.filters if f.slot is not None}
        return {name: gear.best_focus_steps(slot, at) for name, slot in slots.items()}

    told: dict[str, float] = {}
    events = carried_events(
        drawn,
        "filter offsets",
        pixels=False,
        after=lambda bench: told.update(truths(bench.observatory, bench.clock.utcnow())),
        filters=["R", "B", "Ha"],
        rounds=3,
    )
    found = events[-1].values.get("offsets") or {}
    if len(found) < 4:
        return {"kind": "offsets", "found": False, "reason": events[-1].reason}
    inside = 0
    for name, offset in found.items():
        if name == "L":
            continue
        off = offset["steps"] - (told[name] - told["L"])
        worst = max(worst, abs(off) / drawn.zone_steps)
        low, high = offset["interval_95"]
        inside += low <= told[name] - told["L"] <= high
    return {"kind": "offsets", "found": True, "worst_of_zone": round(worst, 4), "inside": inside, "of": 3}


def one_tilt(seed: int) -> dict[str, Any]:
    """A run with pixels on a sensor that is tilted and curved."""
    rng = np.random.default_rng([29, seed])
    drawn = case(40_000 + seed)
    zone_um = drawn.zone_steps * (drawn.rig.focuser.um_per_step if drawn.rig.focuser else 1.0)
    size, turn = float(rng.uniform(0.5, 1.5)) * zone_um, float(rng.uniform(0, 2 * np.pi))
    tilt = [round(size * np.cos(turn), 1), round(size * np.sin(turn), 1)]
    told = drawn.scenario.model_dump(mode="json")
    told["optics"] |= {"tilt_um": tilt, "curvature_um": round(float(rng.uniform(-0.5, 0.5)) * zone_um, 1)}
    told["air"] |= {"seeing_arcsec": float(rng.uniform(1.8, 3.0))}
    rig = with_values(drawn.rig, {("camera", "columns"): 2000, ("camera", "rows"): 1500})
    drawn = replace(drawn, rig=rig, scenario=drawn.scenario.model_validate(told))
    ended = carried_events(drawn, "focus", pixels=True, near=_RICH)[-1]
    field = (ended.values.get("run") or {}).get("field")
    if field is None:
        return {"kind": "tilt", "found": False, "reason": ended.reason}
    camera = rig.camera
    assert camera is not None
    half_x, half_y = (side * camera.pixel_um / 2000 for side in (camera.columns, camera.rows))
    # a sensor that is farther out is in focus farther in: the focuser's best position goes the other way
    slope = np.array([-tilt[0] / half_x, -tilt[1] / half_y])
    true_deg = np.degrees(np.arctan(np.hypot(*slope) / 1000))
    towards = np.degrees(np.arctan2(slope[1], slope[0])) % 360
    apart = abs((field["towards_deg"] - towards + 180) % 360 - 180)
    return {
        "kind": "tilt",
        "found": True,
        "error": round(float(abs(field["tilt_deg"] / true_deg - 1)), 4),
        "direction_deg": round(float(apart), 2),
        "tilt_deg": round(float(true_deg), 4),
    }


def summarise(results: list[dict[str, Any]]) -> dict[str, Any]:
    of = {
        kind: [r for r in results if r["kind"] == kind] for kind in ("history", "backlash", "offsets", "tilt")
    }
    found = {kind: [r for r in some if r["found"]] for kind, some in of.items()}
    told: dict[str, Any] = {kind: {"runs": len(of[kind]), "found": len(found[kind])} for kind in of}
    if found["history"]:
        told["history"] |= {
            "median_error_percent": round(100 * float(np.median([r["error"] for r in found["history"]])), 2),
            "interval_true_percent": round(100 * float(np.mean([r["inside"] for r in found["history"]])), 1),
        }
    if found["backlash"]:
        some = found["backlash"]
        told["backlash"] |= {
            "within_5_percent_or_a_twentieth_of_the_zone": sum(
                r["error"] <= 0.05 or r["error_of_zone"] <= 0.05 for r in some
            ),
            "within_5_percent": sum(r["error"] <= 0.05 for r in some),
            "median_error_percent": round(100 * float(np.median([r["error"] for r in some])), 2),
            "interval_true_percent": round(100 * float(np.mean([r["inside"] for r in some])), 1),
        }
    if found["offsets"]:
        some = found["offsets"]
        told["offsets"] |= {
            "within_a_sixth_of_the_zone": sum(r["worst_of_zone"] <= 1 / 6 for r in some),
            "worst_of_zone": max(r["worst_of_zone"] for r in some),
            "interval_true_percent": round(
                100 * sum(r["inside"] for r in some) / sum(r["of"] for r in some), 1
            ),
        }
    if found["tilt"]:
        some = found["tilt"]
        told["tilt"] |= {
            "within_15_percent": sum(r["error"] <= 0.15 for r in some),
            "within_10_degrees": sum(r["direction_deg"] <= 10 for r in some),
            "worst_error_percent": round(100 * max(r["error"] for r in some), 1),
            "worst_direction_deg": max(r["direction_deg"] for r in some),
        }
    return told


def campaign() -> dict[str, Any]:
    """500 histories, 30 backlashes and offsets in quick measurement, 12 tilted fields with pixels."""
    items = [(f"history {n}", lambda n=n: one_history(n)) for n in range(HISTORIES)]
    items += [(f"backlash {n}", lambda n=n: one_backlash(n)) for n in range(BENCHES)]
    items += [(f"offsets {n}", lambda n=n: one_offsets(n)) for n in range(BENCHES)]
    items += [(f"tilt {n}", lambda n=n: one_tilt(n)) for n in range(TILTS)]
    return run_campaign("focuslearning", items, summarise)
