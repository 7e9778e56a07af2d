"""Random mosaics: whole without holes, with the overlap asked for as the least."""

from typing import Any

import numpy as np

from campaigns.figures import run_campaign
from vigil.optics.footprint import Footprint
from vigil.optics.mosaics import least_overlap, mosaic
from vigil.simulator.chance import generator

MOSAICS = 300
_PLACES = 4000


def try_mosaic(number: int) -> dict[str, Any]:
    """Up to 10 × 10 panels of 0.3° to 5°, Dec −89° to +89°, any angle; places are thrown inside the
    outline."""
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
    made = mosaic(centre, columns, rows, overlap)
    least = least_overlap(made)
    corners = [centre.to_sensor(*corner) for corner in made.outline]
    low, high = np.min(corners, axis=0), np.max(corners, axis=0)
    places = rng.uniform(low, high, (_PLACES, 2))
    holes = int(np.count_nonzero(~made.holds(*centre.to_sky(places[:, 0], places[:, 1]))))
    return {
        "columns": columns,
        "rows": rows,
        "dec_deg": round(centre.dec_deg, 1),
        "width_deg": round(width, 2),
        "holes": holes,
        "overlap_off_percent": None if least is None else round(100 * abs(least - overlap), 4),
    }


def campaign() -> dict[str, Any]:
    """Three hundred mosaics."""
    items = [(f"mosaic {n}", lambda n=n: try_mosaic(n)) for n in range(MOSAICS)]
    return run_campaign("mosaics", items, _summary)


def _summary(results: list[dict[str, Any]]) -> dict[str, Any]:
    off = [r["overlap_off_percent"] for r in results if r["overlap_off_percent"] is not None]
    return {
        "mosaics": len(results),
        "places thrown": len(results) * _PLACES,
        "holes": sum(r["holes"] for r in results),
        "least overlap off by at most, per cent of a field": max(off),
    }
