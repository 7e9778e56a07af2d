"""The rig: optical train, devices, filters, limits, site."""

from datetime import datetime
from typing import Annotated, ClassVar

from pydantic import Field

from vigil.documents.devicekinds import DEVICE_KINDS
from vigil.documents.rig.beside import (
    CoverPart,
    FlatPanelPart,
    HeatersPart,
    PowerPart,
    RoofPart,
    SafetyPart,
    WeatherPart,
)
from vigil.documents.rig.camera import CameraPart
from vigil.documents.rig.filters import WheelPart
from vigil.documents.rig.focuser import FocuserPart
from vigil.documents.rig.frames import FramesPart
from vigil.documents.rig.guider import GuiderPart
from vigil.documents.rig.migrate import from_schema_1
from vigil.documents.rig.mount import MountPart, RotatorPart
from vigil.documents.rig.optics import ReducerPart, TelescopePart
from vigil.documents.rig.part import Name, Part, Shown
from vigil.documents.rig.site import SitePart
from vigil.documents.store import Document, Migrations
from vigil.optics.train import critical_focus_zone_um, image_scale_arcsec_px

_BARE_EXPOSURE_S = 4.0
"""For focusing and solving where there are no filters to say it."""


class Simulated(Part):
    """The rig's devices are the sim observatory's; the night begins at a fixed moment.

    `times_out` gives, by device, the share of calls that never return.
    """

    starts_at: Annotated[datetime, Shown("evening begins")]
    seed: Annotated[int, Shown("seed")] = 1
    times_out: Annotated[dict[str, Annotated[float, Field(ge=0, le=1)]], Shown("calls that time out")] = {}  # noqa: RUF012


class Rig(Document):
    """One complete set-up. A part that is missing is None, and absent everywhere else."""

    KIND: ClassVar[str] = "rig"
    SCHEMA: ClassVar[int] = 2
    MIGRATIONS: ClassVar[Migrations] = {1: from_schema_1}

    id: Annotated[str, Field(pattern=r"^[a-z0-9][a-z0-9-]{0,39}$")]
    name: Name
    site: SitePart
    telescope: TelescopePart | None = None
    reducer: ReducerPart | None = None
    guider: GuiderPart | None = None
    rotator: RotatorPart | None = None
    wheel: WheelPart | None = None
    focuser: FocuserPart | None = None
    camera: CameraPart | None = None
    mount: MountPart | None = None
    panel: FlatPanelPart | None = None
    cover: CoverPart | None = None
    roof: RoofPart | None = None
    weather: WeatherPart | None = None
    safety: SafetyPart | None = None
    heaters: HeatersPart | None = None
    power: PowerPart | None = None
    frames: FramesPart = FramesPart()
    simulated: Simulated | None = None

    @property
    def device_names(self) -> list[str]:
        """The devices that a computer drives: what is changed, turned or dimmed by a person is none."""
        by_person = {
            "filter wheel": self.wheel is not None and self.wheel.kind == "drawer",
            "rotator": self.rotator is not None and self.rotator.by == "hand",
            "flat panel": self.panel is not None and self.panel.dimmed_by == "person",
        }
        return [
            name
            for name, kind in DEVICE_KINDS.items()
            if getattr(self, kind.part, None) is not None and not by_person.get(name)
        ]

    @property
    def focal_length_mm(self) -> float | None:
        """Of telescope and reducer together."""
        if self.telescope is None:
            return None
        return self.telescope.focal_length_mm * (self.reducer.factor if self.reducer else 1.0)

    @property
    def focal_ratio(self) -> float | None:
        """Focal length over aperture, the reducer in."""
        length = self.focal_length_mm
        return None if length is None or self.telescope is None else length / self.telescope.aperture_mm

    @property
    def focus_zone_steps(self) -> float | None:
        """The critical focus zone, in steps of the focuser; None without telescope or focuser."""
        if self.focal_ratio is None or self.focuser is None:
            return None
        return critical_focus_zone_um(self.focal_ratio) / self.focuser.um_per_step

    @property
    def guide_focal_length_mm(self) -> float | None:
        """An off-axis guider's is the telescope's where nothing else is said."""
        if self.guider is None:
            return None
        own = self.guider.focal_length_mm
        return own if own is not None or self.guider.kind != "off-axis" else self.focal_length_mm

    @property
    def guide_scale_arcsec_px(self) -> float | None:
        """Of the guide camera's unbinned pixel; None without one or where its focal length isn't known."""
        length = self.guide_focal_length_mm
        if self.guider is None or length is None:
            return None
        return image_scale_arcsec_px(length, self.guider.pixel_um)

    @property
    def frames_sky(self) -> bool:
        """Whether there are telescope and camera, and so a scale and a field."""
        return self.telescope is not None and self.camera is not None

    @property
    def filter_names(self) -> list[str]:
        """Of the set in use; none without a wheel or drawer."""
        return [f.name for f in self.wheel.filters] if self.wheel else []

    def scale_arcsec_px(self, binning: int = 1) -> float:
        """Image scale of the main camera. Raises ValueError without telescope or camera."""
        length = self.focal_length_mm
        if length is None or self.camera is None:
            raise ValueError(f"{self.name} has no telescope or no camera: there is no image scale")
        return image_scale_arcsec_px(length, self.camera.pixel_um, binning)

    def readout_s(self, binning: int = 1) -> float:
        """From the shutter's closing to the frame; 0 without a camera."""
        return self.camera.download_of(binning) if self.camera else 0.0

    def focus_exposure_s(self, through: str) -> float:
        """For focusing through a filter; the usual one where there are no filters to say it."""
        return self.wheel.filter(through).focus_exposure_s if self.wheel else _BARE_EXPOSURE_S

    @property
    def solve_exposure_s(self) -> float:
        """For solving, through the filter for that."""
        wheel = self.wheel
        return wheel.filter(wheel.solve_through).solve_exposure_s if wheel else _BARE_EXPOSURE_S

    def field_px(self, binning: int = 1) -> tuple[int, int]:
        """(rows, columns) of a frame. Raises ValueError without a camera."""
        if self.camera is None:
            raise ValueError(f"{self.name} has no camera: there is no frame")
        return self.camera.rows // binning, self.camera.columns // binning
