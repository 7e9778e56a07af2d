"""Random mosaics: whole without holes, with the overlap asked for as the least."""

from typing import Any

import numpy as np

from campaigns.figures import run_campaign
from vigil.optics.footprint import Footprint
from vigil.optics.mosaics import least_overlap, mosaic
from vigil.simulator.chance import generator

MOSAICS = 300
_PLACES = 4000


def try_mosaic(number: int, follow_sphere: bool = True) -> dict[str, Any]:
    """Up to 10 × 10 panels of 0.3° to 5°, Dec −89° to +89°, any angle, the panels at one angle or following
    the sphere; places are thrown inside the outline. One that is refused near the pole says so."""
    rng = generator(407, "mosaic", number)
    width = float(np.exp(rng.uniform(np.log(0.3), np.log(5.0))))
    centre = Footprint(
        float(rng.uniform(0, 360)),
        float(rng.uniform(-89, 89)),
        float(rng.uniform(0, 360)),
        width,
        width * float(rng.uniform(0.6, 1.0)),
    )
    columns, rows = (int(n) for n in rng.integers(1, 11, 2))
    overlap = float(rng.uniform(0.05, 0.4))
    told = {"follow_sphere": follow_sphere, "columns": columns, "rows": rows}
    told |= {"dec_deg": round(centre.dec_deg, 1), "width_deg": round(width, 2)}
    try:
        made = mosaic(centre, columns, rows, overlap, follow_sphere)
    except ValueError as problem:
        return {**told, "refused": str(problem), "holes": 0, "overlap_off_percent": None}
    least = least_overlap(made)
    corners = [centre.to_sensor(*corner) for corner in made.outline]
    low, high = np.min(corners, axis=0), np.max(corners, axis=0)
    places = rng.uniform(low, high, (_PLACES, 2))
    holes = int(np.count_nonzero(~made.holds(*centre.to_sky(places[:, 0], places[:, 1]))))
    return {
        **told,
        "holes": holes,
        "overlap_off_percent": None if least is None else round(100 * abs(least - overlap), 4),
    }


def campaign() -> dict[str, Any]:
    """Three hundred mosaics that follow the sphere, and the same at one angle."""
    items = [
        (f"mosaic {n}{'' if follows else ' at one angle'}", lambda n=n, f=follows: try_mosaic(n, f))
        for follows in (True, False)
        for n in range(MOSAICS)
    ]
    return run_campaign("mosaics", items, _summary)


def _summary(results: list[dict[str, Any]]) -> dict[str, Any]:
    told: dict[str, Any] = {}
    for name, follows in (("following the sphere", True), ("at one angle", False)):
        these = [r for r in results if r["follow_sphere"] is follows]
        off = [r["overlap_off_percent"] for r in these if r["overlap_off_percent"] is not None]
        told[name] = {
            "mosaics": len(these),
            "refused, by declination": sorted(r["dec_deg"] for r in these if "refused" in r),
            "places thrown": sum("refused" not in r for r in these) * _PLACES,
            "holes": sum(r["holes"] for r in these),
            "least overlap off by at most, per cent of a field": max(off),
            "off by over 1 %": sum(each > 1 for each in off),
        }
    return told
