"""Frames measured and solved on their pixels. `vigil measure` and `vigil solve` call the same functions."""

import math
from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any, Protocol, TypeVar

import numpy as np
from numpy.typing import NDArray

from vigil.files.solver import Search, Solved, solve_picture, solve_stars
from vigil.imaging.figures import FrameFigures
from vigil.imaging.focusframe import FocusFrame, focus_frame
from vigil.imaging.measuring import SATURATED_SHARE, flat_of, measure_image, measured
from vigil.imaging.mosaic import SMOOTHING_PX2
from vigil.imaging.onestar import OneStar, one_star
from vigil.imaging.richestpart import Region, richest_part
from vigil.imaging.sharpness import Sharpness, sharpness_of
from vigil.imaging.spikes import MaskReading, mask_reading
from vigil.runtime.workshop import WorkerDied, Workshop
from vigil.solving.blind import Breadth
from vigil.solving.near import Hint
from vigil.solving.solution import Solution

T = TypeVar("T")


def plain(value: float) -> float | None:
    """For JSON, which knows no NaN."""
    return None if isinstance(value, float) and math.isnan(value) else value


def in_words(figures: FrameFigures) -> str:
    """ "HFR 1.31 px, 900 stars, sky 510 ADU"."""
    sky = f"sky {figures.background_adu:.0f} ADU"
    return (
        f"HFR {figures.hfr_px:.2f} px, {figures.stars} stars, {sky}" if figures.stars else f"no stars, {sky}"
    )


class MeasuringFailed(RuntimeError):
    """A frame could not be looked at; the message says why."""


class Measurer(Protocol):
    """Looks at frames: on pixels in a night, quickly from truth in rehearsals.

    A `mosaic` of colour filters is smoothed to its luminance first. All raise MeasuringFailed for a frame
    that can't be looked at; without stars is no such frame.
    """

    async def measure(
        self, image: NDArray[np.generic], full_scale_adu: float, mosaic: bool = False
    ) -> FrameFigures: ...

    async def solve(
        self, image: NDArray[np.generic], hint: Hint, blind: Breadth | None = None, mosaic: bool = False
    ) -> Solution:
        """Near the hint, and where that fails and a `blind` search is allowed, anywhere."""
        ...

    async def measure_and_solve(
        self, image: NDArray[np.generic], full_scale_adu: float, hint: Hint, mosaic: bool = False
    ) -> tuple[FrameFigures, Solution]: ...

    async def focus(self, image: NDArray[np.generic], optics: "FocusOptics") -> FocusFrame:
        """What focusing wants of it."""
        ...

    async def one_star(
        self, image: NDArray[np.generic], optics: "FocusOptics", near: tuple[float, float] | None
    ) -> OneStar | None:
        """The star nearest to a place (column, row), else the brightest; None where there is none."""
        ...

    async def sharpness(self, image: NDArray[np.generic], full_scale_adu: float) -> Sharpness:
        """Of whatever it shows."""
        ...

    async def richest_part(
        self, image: NDArray[np.generic], side_px: int, full_scale_adu: float
    ) -> Region | None:
        """Where it shows most and nothing clips; None where the whole is as good."""
        ...

    async def mask(self, image: NDArray[np.generic], x_px: float, y_px: float) -> MaskReading:
        """A diffraction mask's spikes around the star at a place. Raises MeasuringFailed without three."""
        ...


@dataclass(frozen=True, slots=True)
class FocusOptics:
    """What measuring for focus asks of camera and telescope: `obstruction` is a share of the diameter,
    `cut_px` how far around its centre the median star is cut out."""

    full_scale_adu: float
    obstruction: float = 0.0
    mosaic: bool = False
    cut_px: float = 24.0


class PixelMeasurer:
    """The measurer of real nights: the work is done in the workshop. `cache` has the sky table, `own` one's
    own star catalogue."""

    def __init__(self, workshop: Workshop, cache: Path | None = None, own: Path | None = None) -> None:
        self._workshop = workshop
        self._catalogues = Search(cache=cache, own=own)

    async def measure(
        self, image: NDArray[np.generic], full_scale_adu: float, mosaic: bool = False
    ) -> FrameFigures:
        return await self._run(measure_image, image, full_scale_adu, mosaic)

    async def solve(
        self, image: NDArray[np.generic], hint: Hint, blind: Breadth | None = None, mosaic: bool = False
    ) -> Solution:
        if self._catalogues.cache is None:
            blind = None
        search = replace(self._catalogues, hint=hint, blind=blind)
        solved: Solved = await self._run(_solve_image, image, search, mosaic)
        return solved.solution

    async def measure_and_solve(
        self, image: NDArray[np.generic], full_scale_adu: float, hint: Hint, mosaic: bool = False
    ) -> tuple[FrameFigures, Solution]:
        search = replace(self._catalogues, hint=hint)
        return await self._run(measure_and_solve_image, image, full_scale_adu, search, mosaic)

    async def focus(self, image: NDArray[np.generic], optics: FocusOptics) -> FocusFrame:
        return await self._run(focus_image, image, optics)

    async def one_star(
        self, image: NDArray[np.generic], optics: FocusOptics, near: tuple[float, float] | None
    ) -> OneStar | None:
        return await self._run(_one_star, image, optics, near)

    async def sharpness(self, image: NDArray[np.generic], full_scale_adu: float) -> Sharpness:
        return await self._run(sharpness_of, image, full_scale_adu)

    async def richest_part(
        self, image: NDArray[np.generic], side_px: int, full_scale_adu: float
    ) -> Region | None:
        return await self._run(richest_part, image, side_px, full_scale_adu)

    async def mask(self, image: NDArray[np.generic], x_px: float, y_px: float) -> MaskReading:
        return await self._run(mask_reading, image, x_px, y_px)

    async def _run(self, function: Callable[..., T], *args: Any) -> T:
        try:
            return await self._workshop.run(function, *args)
        except (ValueError, WorkerDied) as problem:
            raise MeasuringFailed(f"the frame could not be measured: {problem}") from problem


def focus_image(image: NDArray[np.generic], optics: FocusOptics) -> FocusFrame:
    """What focusing wants of an image [row, column]."""
    return focus_frame(
        flat_of(image, optics.mosaic),
        SATURATED_SHARE * optics.full_scale_adu,
        optics.obstruction,
        SMOOTHING_PX2 if optics.mosaic else 0.0,
        optics.cut_px,
    )


def _one_star(
    image: NDArray[np.generic], optics: FocusOptics, near: tuple[float, float] | None
) -> OneStar | None:
    level = SATURATED_SHARE * optics.full_scale_adu
    return one_star(flat_of(image, optics.mosaic), level, optics.obstruction, near)


def measure_and_solve_image(
    image: NDArray[np.generic], full_scale_adu: float, search: Search, mosaic: bool = False
) -> tuple[FrameFigures, Solution]:
    """Both from one detection."""
    figures, stars = measured(image, full_scale_adu, mosaic)
    rows, columns = image.shape
    return figures, solve_stars(stars, (rows, columns), search)


def _solve_image(image: NDArray[np.generic], search: Search, mosaic: bool) -> Solved:
    return solve_picture(flat_of(image, mosaic), search)
