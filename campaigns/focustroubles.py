"""Focus runs under what goes wrong: none may end worse than where it began, and each says why."""

from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np

from campaigns.figures import run_campaign
from campaigns.focusing import Case, carried_out, case
from vigil.documents.rig.change import with_values

RUNS = 200
_MINUTES = 300.0
"""From the evening's beginning to the run."""
_NO_WORSE = 1.05
"""Star size after against before; a run is promised to be within 5 % of the best."""
_NEBULA, _FEW_STARS = (83.82, -5.39), (150.0, 40.0)


def clouded(drawn: Case, rng: np.random.Generator) -> Case:
    """A cloud arrives while it measures, and passes or stays."""
    cloud = {
        "arrives_min": _MINUTES + float(rng.uniform(0.2, 1.2)),
        "minutes": float(rng.choice([1.5, 4.0, 60.0])),
        "thickness_mag": float(rng.uniform(0.8, 5.0)),
        "edge_min": 0.2,
    }
    return _with_air(drawn, clouds=[cloud])


def gusty(drawn: Case, rng: np.random.Generator) -> Case:
    """Wind that shakes the mount, in gusts."""
    return _with_air(drawn, wind_m_s=float(rng.uniform(8, 16)), gusts=0.8, shake_arcsec=3.0)


def stuck(drawn: Case, rng: np.random.Generator) -> Case:
    """The motor counts on, and nothing turns: from the beginning, or from somewhere in the run."""
    fault = {"kind": "focuser stalls", "at_min": _MINUTES + float(rng.uniform(-5, 1.0)), "minutes": 120}
    scenario = drawn.scenario.model_validate({**drawn.scenario.model_dump(mode="json"), "faults": [fault]})
    return replace(drawn, scenario=scenario)


def saturated(drawn: Case, rng: np.random.Generator) -> Case:
    """A camera that clips early."""
    values = {("camera", "full_scale_adu"): 1023, ("camera", "bit_depth"): 10}
    return replace(_smaller(drawn), rig=with_values(_smaller(drawn).rig, values))


def nebulous(drawn: Case, rng: np.random.Generator) -> Case:
    """Light everywhere that is no star."""
    return _smaller(drawn)


def sparse(drawn: Case, rng: np.random.Generator) -> Case:
    """A field with about three stars to be seen."""
    return replace(drawn, rig=with_values(drawn.rig, {("camera", "columns"): 420, ("camera", "rows"): 320}))


def _smaller(drawn: Case) -> Case:
    return replace(drawn, rig=with_values(drawn.rig, {("camera", "columns"): 800, ("camera", "rows"): 600}))


def _with_air(drawn: Case, **air: Any) -> Case:
    told = drawn.scenario.model_dump(mode="json")
    return replace(drawn, scenario=drawn.scenario.model_validate({**told, "air": {**told["air"], **air}}))


Trouble = Callable[[Case, np.random.Generator], Case]
TROUBLES: dict[str, tuple[Trouble, bool, tuple[float, float] | None]] = {
    "cloud": (clouded, False, None),
    "gust": (gusty, False, None),
    "stuck": (stuck, False, None),
    "saturated": (saturated, True, None),
    "nebula": (nebulous, True, _NEBULA),
    "three stars": (sparse, True, _FEW_STARS),
}
"""How each alters a case, whether it needs pixels, and where the telescope looks."""


def one_trouble(number: int) -> dict[str, Any]:
    """The kinds in turn; the focuser begins within two zones."""
    kind = list(TROUBLES)[number % len(TROUBLES)]
    alter, pixels, near = TROUBLES[kind]
    drawn = case(9000 + number)
    drawn = replace(drawn, off=drawn.off / 4)
    result = carried_out(alter(drawn, np.random.default_rng([19, number])), "focus", pixels, near=near)
    worse = result["accepted"] and result["size_over_best"] > _NO_WORSE * result["before_over_best"]
    return {**result, "trouble": kind, "worse": bool(worse), "says_why": bool(result["reason"])}


def summarise(results: list[dict[str, Any]]) -> dict[str, Any]:
    told: dict[str, Any] = {
        "runs": len(results),
        "accepted_though_worse": sum(r["worse"] for r in results),
        "without_a_reason": sum(not r["says_why"] for r in results),
    }
    for kind in TROUBLES:
        some = [r for r in results if r["trouble"] == kind]
        told[kind] = {"runs": len(some), "accepted": sum(r["accepted"] for r in some)}
    told["worse"] = [r for r in results if r["worse"]]
    return told


def campaign() -> dict[str, Any]:
    """200 runs."""
    items = [(f"trouble {n}", lambda n=n: one_trouble(n)) for n in range(RUNS)]
    return run_campaign("focustroubles", items, summarise)
