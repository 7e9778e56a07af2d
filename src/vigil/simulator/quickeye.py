"""The guider's eye in rehearsals: where a frame without pixels would show its stars."""

import math
from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from vigil.guiding.centroid import Place, Profile
from vigil.guiding.choose import Candidate, Choice
from vigil.simulator.chance import generator
from vigil.simulator.frame.scene import Scene
from vigil.simulator.quick import scene_of_quick, star_count
from vigil.sky.tangent import deproject, project

_MOST_STARS, _WITHIN, _ERROR_PX, _SNR = 5, 0.35, 0.03, 60.0
_LEAST_STARS = 2


class QuickEye:
    """Remembers where in the sky the stars are that it has chosen. Raises ValueError for frames with
    pixels."""

    def __init__(self) -> None:
        self._sky: list[tuple[float, float]] = []
        self._names: list[tuple[float, float]] = []

    async def choose(
        self, image: NDArray[np.generic], optics: Any, dark: Any = None, near: Any = None
    ) -> Choice | None:
        scene = scene_of_quick(image)
        count = min(_MOST_STARS, star_count(scene) // 3)
        if count < 1:
            return None
        rows, columns = scene.sensor.shape
        rng = generator(*scene.noise_key, 5)
        places = [
            (columns * (0.5 + across), rows * (0.5 + up))
            for across, up in rng.uniform(-_WITHIN, _WITHIN, (count, 2))
        ]
        self._sky = [_sky_of(scene, x, y) for x, y in places]
        stars = tuple(Candidate(x, y, _ERROR_PX, _SNR, 0.5) for x, y in places)
        return Choice(stars, Profile(2.5), {})

    async def places(
        self,
        image: NDArray[np.generic],
        near: Sequence[tuple[float, float]],
        profile: Profile,
        optics: Any,
        dark: Any = None,
        search_px: float = 6.0,
    ) -> list[Place | None]:
        scene = scene_of_quick(image)
        if star_count(scene) < _LEAST_STARS:
            return [None] * len(near)
        lost = scene.sky.cloud_mag if scene.sky is not None else 0.0
        light = 10 ** (-0.4 * lost)
        rng, told = generator(*scene.noise_key, 6), []
        for (ra, dec), expected in zip(self._sky, near, strict=False):
            x, y = _pixel_of(scene, ra, dec)
            x, y = x + float(rng.normal(0, _ERROR_PX)), y + float(rng.normal(0, _ERROR_PX))
            seen = math.hypot(x - expected[0], y - expected[1]) <= search_px
            told.append(
                Place(x, y, _ERROR_PX, 1e4 * light, 1e3 * light, 100.0, _SNR * light) if seen else None
            )
        return told

    def close(self) -> None: ...


def _step(scene: Scene) -> tuple[float, float, float]:
    turn = math.radians(scene.aim.position_angle_deg)
    return scene.scale_arcsec_px / 3600, math.cos(turn), math.sin(turn)


def _middle(scene: Scene) -> tuple[float, float]:
    rows, columns = scene.sensor.shape
    return (columns - 1) / 2, (rows - 1) / 2


def _sky_of(scene: Scene, x: float, y: float) -> tuple[float, float]:
    """ICRS of a pixel; columns run west where the rows rise north."""
    step, cos, sin = _step(scene)
    dx, dy = x - _middle(scene)[0], y - _middle(scene)[1]
    xi, eta = step * (-cos * dx + sin * dy), step * (sin * dx + cos * dy)
    ra, dec = deproject(xi, eta, scene.aim.ra_deg, scene.aim.dec_deg)
    return float(ra), float(dec)


def _pixel_of(scene: Scene, ra_deg: float, dec_deg: float) -> tuple[float, float]:
    step, cos, sin = _step(scene)
    xi, eta = project(ra_deg, dec_deg, scene.aim.ra_deg, scene.aim.dec_deg)
    dx, dy = (-cos * float(xi) + sin * float(eta)) / step, (sin * float(xi) + cos * float(eta)) / step
    return dx + _middle(scene)[0], dy + _middle(scene)[1]
