"""Both axes by drift, one after the other, in quick measurement: what is said on the way, and how right it is
once it is said to be enough."""

from dataclasses import replace
from typing import Any

import numpy as np

from campaigns.figures import run_campaign
from campaigns.polarsetups import set_up
from vigil.cli.benchalone import Alone, Bench, on_the_bench

SET_UPS, MOST_ARCMIN, _WITHIN_ARCMIN = 100, 60.0, 0.5


def one_set_up(seed: int) -> dict[str, Any]:
    """Azimuth first, whose place is free of altitude; then altitude, azimuth's share taken off."""
    made = set_up(seed, MOST_ARCMIN)

    async def use(bench: Bench) -> dict[str, Any]:
        told = {}
        truths = (("azimuth", made.azimuth_arcmin), ("altitude", made.altitude_arcmin))
        for axis, truth in truths:
            rows: list[dict[str, Any]] = []
            bench.order = replace(bench.order, sampled=rows.append)
            ended = await bench.carry_out("polar drift", {"axis": axis, "goes": True})
            told[axis] = _told(rows, truth) | {"reason": ended.reason}
        return told

    return on_the_bench(Alone(made.rig, made.scenario, seed, made.at, quick=True), use)


def _told(rows: list[dict[str, Any]], truth: float) -> dict[str, Any]:
    looks = [row for row in rows if "words" in row]
    if not looks:
        return {"measured": False}
    last = looks[-1]
    halves = [(row["interval_95"][1] - row["interval_95"][0]) / 2 for row in looks]
    return {
        "measured": True,
        "enough": last["enough"],
        "took_s": last["at_s"],
        "off_arcmin": round(last["error_arcmin"] - truth, 4),
        "half_arcmin": round(halves[-1], 4),
        "enough_while_wide": any(
            row["enough"] and half > _WITHIN_ARCMIN for row, half in zip(looks, halves, strict=True)
        ),
        "wrong_signs": sum(row["sign_known"] and row["error_arcmin"] * truth < 0 for row in looks),
        "sign_said": any(row["sign_known"] for row in looks),
    }


def summarise(results: list[dict[str, Any]]) -> dict[str, Any]:
    drifts = [r[axis] for r in results for axis in ("azimuth", "altitude") if r[axis]["measured"]]
    enough = [d for d in drifts if d["enough"]]
    return {
        "set_ups": len(results),
        "drifts": len(drifts),
        "not_measured": [r[a]["reason"] for r in results for a in r if not r[a]["measured"]],
        "enough": len(enough),
        "of_these_within_half_an_arcmin": sum(abs(d["off_arcmin"]) <= _WITHIN_ARCMIN for d in enough),
        "worst_off_arcmin": max(abs(d["off_arcmin"]) for d in enough),
        "inside_interval_percent": round(
            100 * float(np.mean([abs(d["off_arcmin"]) <= d["half_arcmin"] for d in drifts])), 1
        ),
        "enough_while_wide": sum(d["enough_while_wide"] for d in drifts),
        "wrong_signs_said": sum(d["wrong_signs"] for d in drifts),
        "sign_said": sum(d["sign_said"] for d in drifts),
        "median_time_s": float(np.median([d["took_s"] for d in enough])),
    }


def campaign() -> dict[str, Any]:
    """100 set-ups, both axes of each."""
    items = [(f"set-up {n}", lambda n=n: one_set_up(n)) for n in range(SET_UPS)]
    return run_campaign("polardrift", items, summarise)
