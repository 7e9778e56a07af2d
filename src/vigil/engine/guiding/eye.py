"""What looks at guide frames: on pixels in a night, quickly from truth in rehearsals."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Any, Protocol, TypeVar

import numpy as np
from numpy.typing import NDArray

from vigil.engine.measuring import MeasuringFailed
from vigil.guiding.centroid import Place, Profile, place_of, reach_px
from vigil.guiding.choose import Choice, choose, without_dark
from vigil.runtime.workshop import WorkerDied, Workshop

T = TypeVar("T")
Image = NDArray[np.generic]


@dataclass(frozen=True, slots=True)
class GuideOptics:
    """What looking asks of the guide camera."""

    full_scale_adu: float
    adu_per_electron: float = 1.0


class GuideEye(Protocol):
    """All raise MeasuringFailed for a frame that can't be looked at."""

    async def choose(
        self,
        image: Image,
        optics: GuideOptics,
        dark: Image | None = None,
        near: tuple[float, float] | None = None,
    ) -> Choice | None:
        """Stars to guide by, the one nearest to a place (column, row) first; None where there is none."""
        ...

    async def places(
        self,
        image: Image,
        near: Sequence[tuple[float, float]],
        profile: Profile,
        optics: GuideOptics,
        dark: Image | None = None,
        search_px: float = 6.0,
    ) -> list[Place | None]:
        """Where the stars near these places are."""
        ...

    def close(self) -> None:
        """Guiding is over for now."""


class PixelEye:
    """Works in a process of its own, so that no other image work is ever before it. With `inline` in place,
    as virtual time wants it."""

    def __init__(self, inline: bool) -> None:
        self._inline = inline
        self._workshop: Workshop | None = None

    async def choose(
        self,
        image: Image,
        optics: GuideOptics,
        dark: Image | None = None,
        near: tuple[float, float] | None = None,
    ) -> Choice | None:
        return await self._run(_choose, image, optics, dark, near)

    async def places(
        self,
        image: Image,
        near: Sequence[tuple[float, float]],
        profile: Profile,
        optics: GuideOptics,
        dark: Image | None = None,
        search_px: float = 6.0,
    ) -> list[Place | None]:
        cut = [_part(image, dark, place, profile, search_px) for place in near]
        found = await self._run(_places, [part for part, _ in cut], profile, optics, search_px)
        return [
            place and replace(place, x_px=place.x_px + left, y_px=place.y_px + bottom)
            for place, (_, (left, bottom)) in zip(found, cut, strict=True)
        ]

    def close(self) -> None:
        if self._workshop is not None:
            self._workshop.close(wait=False)
            self._workshop = None

    async def _run(self, function: Callable[..., T], *args: Any) -> T:
        if self._workshop is None:
            self._workshop = Workshop(0 if self._inline else 1, urgent=True)
        try:
            return await self._workshop.run(function, *args)
        except (ValueError, WorkerDied) as problem:
            raise MeasuringFailed(f"the guide frame could not be measured: {problem}") from problem


def _choose(
    image: Image, optics: GuideOptics, dark: Image | None, near: tuple[float, float] | None
) -> Choice | None:
    return choose(image, optics.full_scale_adu, optics.adu_per_electron, dark, near=near)


_Part = tuple[NDArray[np.float32], tuple[float, float]]
"""A star's surroundings without the dark, and where in them it is looked for."""


def _part(
    image: Image, dark: Image | None, near: tuple[float, float], profile: Profile, search_px: float
) -> tuple[_Part, tuple[int, int]]:
    """Cut out of the frame, with its left and bottom pixel: a process is sent no more than it looks at."""
    half = reach_px(profile, search_px)
    rows, columns = image.shape
    left, bottom = (
        int(np.clip(round(at) - half, 0, max(most - 1, 0)))
        for at, most in zip(near, (columns, rows), strict=True)
    )
    inside = slice(bottom, bottom + 2 * half + 1), slice(left, left + 2 * half + 1)
    part = without_dark(image[inside], None if dark is None else dark[inside])
    return (part, (near[0] - left, near[1] - bottom)), (left, bottom)


def _places(
    parts: list[_Part], profile: Profile, optics: GuideOptics, search_px: float
) -> list[Place | None]:
    return [place_of(part, near, profile, optics.adu_per_electron, search_px) for part, near in parts]
