"""Drawing a frame of some 2,000 stars against drawing one normal deviate a pixel, and its memory."""

import tracemalloc
from dataclasses import replace

import numpy as np

from benchmarks.ratio import Ratio, compare
from campaigns.demo import demo_rig
from campaigns.solvefields import field_scene
from vigil.simulator.frame.draw import draw
from vigil.simulator.frame.scene import Scene

_NORMAL_LIMIT, _EXACT_LIMIT = 4.0, 8.0
MOST_BYTES_A_PIXEL = 6.0
_SHAPES = {"9": ((3008, 3008), 16.0), "26": ((4176, 6248), 14.6)}
"""Megapixels: (rows, columns), and the faintest stars that make about 2,000 in the frame."""


def scene_of(megapixels: str, bright: bool) -> Scene:
    """A summer field, vignetted and dusty, under a sky of 100 or of 5 electrons."""
    shape, faint_to_mag = _SHAPES[megapixels]
    scene = field_scene(demo_rig(), 1)
    assert scene.sky is not None
    sky_e_s = scene.light.sky_e_s_arcsec2(scene.sky.mag_arcsec2) * scene.scale_arcsec_px**2
    return replace(
        scene,
        aim=replace(scene.aim, ra_deg=79.1, dec_deg=34.4),
        exposure_s=(150.0 if bright else 5.0) / sky_e_s,
        sensor=replace(scene.sensor, shape=shape),
        sky=replace(scene.sky, faint_to_mag=faint_to_mag),
    )


def drawing(megapixels: str, bright: bool) -> Ratio:
    scene = scene_of(megapixels, bright)
    rng = np.random.Generator(np.random.SFC64(1))
    level = "above 30 electrons" if bright else "below, exact"
    return compare(
        f"{megapixels}-megapixel frame drawn, {level}",
        lambda: draw(scene),
        lambda: rng.standard_normal(scene.sensor.shape, dtype=np.float32),
        _NORMAL_LIMIT if bright else _EXACT_LIMIT,
        rounds=5,
    )


def memory() -> Ratio:
    """The peak beyond the frame itself, against one byte a pixel."""
    scene = scene_of("26", bright=False)
    draw(scene)
    tracemalloc.start()
    frame = draw(scene)
    _, peak = tracemalloc.get_traced_memory()
    tracemalloc.stop()
    beyond = (peak - frame.nbytes) / frame.size
    return Ratio(
        "memory while a 26-megapixel frame is drawn", beyond, 1.0, MOST_BYTES_A_PIXEL, "bytes a pixel"
    )
