"""A frame on disk, measured, solved, in the ledger; while the next one is already being exposed."""

import logging
from collections.abc import Callable
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from vigil.documents.events import Kind
from vigil.documents.night import NotAllowed
from vigil.documents.rig import Rig
from vigil.engine.guiding.guided import GuideFigures
from vigil.engine.measuring import Measurer, in_words, plain
from vigil.engine.recorder import NightRecorder
from vigil.files.fits import Header, write_frame, write_wcs
from vigil.imaging.figures import FrameFigures
from vigil.ledger.store import LedgerError
from vigil.runtime.workshop import Workshop
from vigil.sky.angles import separation_deg
from vigil.sky.tangent import project
from vigil.solving.near import Hint
from vigil.solving.solution import Solution

log = logging.getLogger(__name__)
_SCALE_TOLERANCE = 0.02
_WITHIN_DEG = 2.0


_OF_HEADER = {
    "gain": "GAIN",
    "offset": "OFFSET",
    "binning": "XBINNING",
    "set_point_c": "SET-TEMP",
    "electrons_per_adu": "EGAIN",
    "air_mass": "AIRMASS",
    "camera": "INSTRUME",
}
"""What the ledger keeps of the header."""

Write = Callable[[Path, NDArray[np.uint16], Header], None]
"""Puts a frame on disk; rehearsals have one that doesn't."""


class NotSaved(OSError):
    """The frame could be written neither where it belongs nor to the rescue folder."""


@dataclass(frozen=True, slots=True)
class FrameToSave:
    """A frame as it came off the camera, with what is written of it. `announced` are the values of its
    exposure_started event."""

    image: NDArray[np.uint16]
    header: Header
    announced: dict[str, Any]
    started_at: str
    temperature_c: float
    focus_position: int | None
    target_deg: tuple[float, float]
    guided: GuideFigures | None = None
    dither_arcsec: tuple[float, float] | None = None
    """Where it was to lie beside its target: east, north; None before a dither."""
    doubtful: str | None = None
    """Why it doesn't count: it was cut short."""
    wanted_deg: tuple[float, float] | None = None
    """The centre that is wanted, wherever dithers lay the frame; ICRS."""
    off_limit_arcmin: float | None = None
    """Farther off than this by its own solving it doesn't count either; None: anywhere will do."""

    def saved_values(self, path: Path) -> dict[str, Any]:
        """The values of its frame_saved event."""
        return {
            **self.announced,
            "path": str(path),
            "started_at": self.started_at,
            "temperature_c": self.temperature_c,
            "focus_position": self.focus_position,
            "tube_c": self.header["FOCTEMP"][0] if "FOCTEMP" in self.header else None,
            **(_guided(self.guided) if self.guided else {}),
            **({"dither_arcsec": list(self.dither_arcsec)} if self.dither_arcsec else {}),
            **({"ra_deg": self.wanted_deg[0], "dec_deg": self.wanted_deg[1]} if self.wanted_deg else {}),
            **{name: self.header[card][0] for name, card in _OF_HEADER.items() if card in self.header},
            **({"doubtful": self.doubtful} if self.doubtful else {}),
        }


class Saver:
    """Writes, measures and solves frames, and records each step."""

    def __init__(
        self,
        recorder: NightRecorder,
        workshop: Workshop,
        measurer: Measurer,
        rig: Rig,
        rescue_folder: Path,
        disk_trouble: Callable[[], OSError | None] = lambda: None,
        write: Write | None = None,
    ) -> None:
        self._recorder = recorder
        self._write = write or _write
        self._workshop = workshop
        self._measurer = measurer
        self._rig = rig
        self._rescue_folder = rescue_folder
        self._disk_trouble = disk_trouble

    def take_rig(self, rig: Rig) -> None:
        self._rig = rig

    async def save(self, taken: FrameToSave) -> str | None:
        """Put the frame on disk and in the ledger; returns what went wrong if it had to be rescued.

        Raises NotSaved when the rescue folder can't be written either.
        """
        path = Path(taken.announced["path"])
        trouble = None
        try:
            simulated = self._disk_trouble()
            if simulated is not None:
                raise simulated
            await self._workshop.run(self._write, path, taken.image, taken.header)
        except Exception as problem:
            if not isinstance(problem, OSError):
                log.exception("%s could not be written", path)
            trouble = f"{path.parent} can't be written ({_said(problem)})"
            path = self._rescue_folder / path.name
            try:
                await self._workshop.run(self._write, path, taken.image, taken.header)
            except Exception as second:
                raise NotSaved(f"{trouble}, nor can {path.parent} ({_said(second)})") from None
            trouble += f"; the frame is in {path.parent}"
        await self._recorder.record(
            Kind.FRAME_SAVED, taken.saved_values(path), trouble or f"saved {path.name}"
        )
        try:
            await self._measure(taken, path)
        except (LedgerError, NotAllowed):
            raise
        except Exception as problem:
            # the frame is safe; that it could not be measured, or its solution not written, ends no night
            log.exception("%s was not measured", path)
            log.warning("%s is saved but could not be measured (%s)", path.name, problem)
        return trouble

    async def _measure(self, taken: FrameToSave, path: Path) -> None:
        full_scale = self._rig.camera.full_scale_adu if self._rig.camera else 65535
        scale = self._rig.scale_arcsec_px(int(taken.header["XBINNING"][0]))
        hint = Hint(
            *taken.target_deg,
            scale * (1 - _SCALE_TOLERANCE),
            scale * (1 + _SCALE_TOLERANCE),
            within_deg=_WITHIN_DEG,
        )
        figures, solution = await self._measurer.measure_and_solve(
            taken.image, full_scale, hint, "BAYERPAT" in taken.header
        )
        values = {
            **{k: plain(v) for k, v in asdict(figures).items()},
            **{k: taken.announced[k] for k in ("frame_id", "block", "line", "filter")},
            **_pointing(solution, taken.target_deg),
        }
        limit, off_arcsec = taken.off_limit_arcmin, values["off_arcsec"]
        if limit is not None and off_arcsec is not None and off_arcsec > 60 * limit:
            values["doubtful"] = f"{off_arcsec / 60:.1f}′ off its target, limit {limit:g}′"
        if solution.wcs is not None and self._write is _write:
            await self._workshop.run(write_wcs, path, solution.wcs)
        await self._recorder.record(Kind.FRAME_MEASURED, values, _sentence(figures, values))


def _guided(figures: GuideFigures) -> dict[str, float]:
    return {
        "guide_rms_arcsec": round(figures.rms_arcsec, 3),
        "guide_ra_rms_arcsec": round(figures.ra_rms_arcsec, 3),
        "guide_dec_rms_arcsec": round(figures.dec_rms_arcsec, 3),
    }


def _said(problem: Exception) -> str:
    return (
        (problem.strerror if isinstance(problem, OSError) else None) or str(problem) or type(problem).__name__
    )


def _write(path: Path, image: NDArray[np.uint16], header: Header) -> None:
    path.parent.mkdir(parents=True, exist_ok=True)
    write_frame(path, image, header)


def _pointing(solution: Solution, target_deg: tuple[float, float]) -> dict[str, Any]:
    wcs = solution.wcs
    if wcs is None:
        return {"off_px": None, "off_arcsec": None}
    off_arcsec = 3600 * float(separation_deg(wcs.ra_deg, wcs.dec_deg, *target_deg))
    beside = project(wcs.ra_deg, wcs.dec_deg, *target_deg)
    return {
        "off_px": round(off_arcsec / wcs.scale_arcsec_px, 2),
        "off_arcsec": round(off_arcsec, 2),
        "beside_arcsec": [round(3600 * float(way), 2) for way in beside],
        "position_angle_deg": wcs.position_angle_deg,
        "scale_arcsec_px": wcs.scale_arcsec_px,
    }


def _sentence(figures: FrameFigures, values: dict[str, Any]) -> str:
    off = "not solved" if values["off_px"] is None else f"{values['off_px']:.1f} px off"
    return f"{in_words(figures)}, {off}"
