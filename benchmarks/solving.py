"""Solving after detection, against detecting the stars of a frame of the same nine megapixels, on one
core."""

import json
import statistics
import subprocess
import sys
import time
from functools import cache

import numpy as np

from benchmarks.ratio import Ratio
from campaigns.demo import demo_rig
from campaigns.solvefields import field_scene
from campaigns.solving import table_cache
from vigil.files.skytable import open_table
from vigil.files.starcatalogue import star_catalogue
from vigil.imaging.stars import measure_field
from vigil.simulator.above.stars import true_stars
from vigil.simulator.chance import generator
from vigil.simulator.frame.draw import draw
from vigil.sky.tangent import deproject
from vigil.solving.blind import solve_blind
from vigil.solving.near import Hint, solve_near
from vigil.solving.wcs import Wcs, similarity

_SIDE_PX, _FIELDS = 3008, 500
_NEAR_LIMIT, _BLIND_LIMIT, _UNSOLVED_LIMIT = 0.15, 1.0, 5.0
_MOST_PRIVATE_MB = 500.0

_COLD = """
import json, sys, time
began = time.perf_counter()
from benchmarks.solving import seen
from campaigns.solving import table_cache
from vigil.files.skytable import open_table
from vigil.files.starcatalogue import star_catalogue
from vigil.solving.blind import solve_blind
imported = time.perf_counter()
x, y, flux, wcs = seen(1)
ready = time.perf_counter()
found = solve_blind(x, y, flux, wcs.shape, open_table(table_cache()), star_catalogue().cone)
assert found.solved
first = time.perf_counter() - ready
private = sum(int(line.split()[1]) for line in open("/proc/self/smaps_rollup") if line.startswith("Private"))
print(json.dumps({"import_s": imported - began, "first_s": first, "private_mb": private / 1000}))
"""


@cache
def detection_s() -> float:
    """Median of five."""
    image = draw(field_scene(demo_rig(), 5))
    times = []
    for _ in range(6):
        began = time.perf_counter()
        measure_field(image)
        times.append(time.perf_counter() - began)
    return statistics.median(times[1:])


def seen(number: int) -> tuple[np.ndarray, np.ndarray, np.ndarray, Wcs]:
    """Columns, rows, fluxes and the true WCS of a random field, its short side 0.7° to 4°, as a detection
    would give them: to magnitude 14.5, positions off by 0.15 px."""
    rng = generator(408, "bench field", number)
    scale = float(np.exp(rng.uniform(np.log(0.7), np.log(4.0)))) / _SIDE_PX
    ra, dec = float(rng.uniform(0, 360)), float(np.degrees(np.arcsin(rng.uniform(-1, 1))))
    turn = scale * np.exp(1j * rng.uniform(0, 2 * np.pi))
    wcs = similarity(ra, dec, complex(turn), bool(rng.random() < 0.5), (_SIDE_PX, _SIDE_PX))
    stars = true_stars(ra, dec, _SIDE_PX * scale * 0.75, 5, 14.5)
    x, y = wcs.to_pixel(stars.ra_deg, stars.dec_deg)
    inside = (x > 0) & (x < _SIDE_PX) & (y > 0) & (y < _SIDE_PX)
    x, y = (v[inside] + rng.normal(0, 0.15, int(inside.sum())) for v in (x, y))
    return x, y, 10 ** (-0.4 * stars.mag[inside]), wcs


def _hint(wcs: Wcs, number: int) -> Hint:
    rng = generator(408, "bench hint", number)
    way = rng.uniform(0, 2 * np.pi)
    ra, dec = deproject(2 * np.sin(way), 2 * np.cos(way), wcs.ra_deg, wcs.dec_deg)
    scale = wcs.scale_arcsec_px * float(rng.uniform(0.9, 1.1))
    return Hint(float(ra), float(dec), scale / 1.2, scale * 1.2)


def _timed(way: str, shuffled: bool) -> list[float]:
    table = open_table(table_cache()) if way == "blind" else None
    times = []
    for number in range(_FIELDS if not shuffled else _FIELDS // 10):
        x, y, flux, wcs = seen(number)
        if shuffled:
            y = generator(408, "bench shuffle", number).permutation(y)
        hint = _hint(wcs, number)
        began = time.perf_counter()
        if table is not None:
            found = solve_blind(x, y, flux, wcs.shape, table, star_catalogue().cone)
        else:
            stars = star_catalogue().cone(hint.ra_deg, hint.dec_deg, hint.catalogue_radius_deg(wcs.shape))
            found = solve_near(x, y, flux, wcs.shape, hint, stars)
        times.append(time.perf_counter() - began)
        assert found.solved != shuffled or len(x) < 12
    print(f"  {way}, {'shuffled' if shuffled else 'real'}: worst of {len(times)} {1000 * max(times):.0f} ms")
    return times


def solving(way: str) -> Ratio:
    """Median of 500 fields; the worst is printed."""
    limit = _NEAR_LIMIT if way == "near" else _BLIND_LIMIT
    name = f"{way} solve against detection, 9 megapixels"
    return Ratio(name, statistics.median(_timed(way, shuffled=False)), detection_s(), limit)


def unsolved(way: str) -> Ratio:
    """Stars of a shuffled sky: how long until it is given up."""
    name = f"{way} solve given up, against detection"
    return Ratio(name, statistics.median(_timed(way, shuffled=True)), detection_s(), _UNSOLVED_LIMIT)


def memory() -> Ratio:
    """Private memory after a first blind solve in a fresh process; its cold start is printed."""
    table_cache()
    said = subprocess.run([sys.executable, "-c", _COLD], capture_output=True, text=True, check=True).stdout
    told = json.loads(said)
    print(f"  cold: imports {told['import_s']:.2f} s, table mapped and first solve {told['first_s']:.2f} s")
    return Ratio("private memory with the table mapped", told["private_mb"], 1.0, _MOST_PRIVATE_MB, "MB")
