"""What looks at guide frames: on pixels in a night, quickly from truth in rehearsals."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any, Protocol, TypeVar

import numpy as np
from numpy.typing import NDArray

from vigil.engine.measuring import MeasuringFailed
from vigil.guiding.centroid import Place, Profile, place_of
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
        return await self._run(_places, image, tuple(near), profile, optics, dark, search_px)

    def close(self) -> None:
        if self._workshop is not None:
            self._workshop.close()
            self._workshop = None

    async def _run(self, function: Callable[..., T], *args: Any) -> T:
        if self._workshop is None:
            self._workshop = Workshop(0 if self._inline else 1)
        try:
            return await self._workshop.run(function, *args)
        except (ValueError, WorkerDied) as problem:
            raise MeasuringFailed(f"the guide frame could not be measured: {problem}") from problem


def _choose(
    image: Image, optics: GuideOptics, dark: Image | None, near: tuple[float, float] | None
) -> Choice | None:
    return choose(image, optics.full_scale_adu, optics.adu_per_electron, dark, near=near)


def _places(
    image: Image,
    near: Sequence[tuple[float, float]],
    profile: Profile,
    optics: GuideOptics,
    dark: Image | None,
    search_px: float,
) -> list[Place | None]:
    data = without_dark(image, dark)
    return [place_of(data, place, profile, optics.adu_per_electron, search_px) for place in near]
