"""The rig: optical train, devices, filters, limits, site."""

from datetime import datetime
from typing import Annotated, ClassVar, Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

from vigil.documents.store import Document
from vigil.optics.train import image_scale_arcsec_px
from vigil.sky.site import Site, standard_pressure_hpa

Positive = Annotated[float, Field(gt=0)]


class Part(BaseModel):
    """Base of the rig's parts."""

    model_config = ConfigDict(extra="forbid", frozen=True, defer_build=True)


class SitePart(Part):
    """Where the rig stands; `time_zone` is an IANA name, used for display and for the night's date."""

    name: str
    latitude_deg: Annotated[float, Field(ge=-90, le=90)]
    longitude_deg: Annotated[float, Field(ge=-180, le=180)]
    height_m: float = 0.0
    time_zone: str = "UTC"
    minimum_altitude_deg: Annotated[float, Field(ge=0, lt=90)] = 20.0

    def place(self) -> Site:
        """The site with the standard atmosphere's pressure, for refraction."""
        pressure = standard_pressure_hpa(self.height_m)
        return Site(self.latitude_deg, self.longitude_deg, self.height_m, pressure)


class TelescopePart(Part):
    """The optical tube."""

    name: str
    focal_length_mm: Positive
    aperture_mm: Positive

    @property
    def focal_ratio(self) -> float:
        return self.focal_length_mm / self.aperture_mm


class CameraPart(Part):
    """The main camera. `electrons_per_adu` holds at the default gain; binning adds pixels up."""

    name: str
    columns: Annotated[int, Field(ge=64)]
    rows: Annotated[int, Field(ge=64)]
    pixel_um: Positive
    full_scale_adu: int = 65535
    gain: int = 100
    offset: int = 50
    electrons_per_adu: Positive = 0.8
    set_point_c: float = -10.0
    minutes_to_cool: Positive = 10.0
    warm_to_c: float = 5.0
    warm_minutes_limit: Positive = 20.0
    download_s: Positive = 2.0


class FilterPart(Part):
    """A filter in the wheel; slots count from 1. Offsets are focuser steps against the reference."""

    slot: Annotated[int, Field(ge=1)]
    name: str
    centre_nm: Positive
    width_nm: Positive
    focus_offset_steps: int = 0
    focus_exposure_s: Positive = 5.0
    solve_exposure_s: Positive = 5.0


class WheelPart(Part):
    """The filter wheel, and through which filters to focus and to solve."""

    name: str
    slots: Annotated[int, Field(ge=1)]
    filters: list[FilterPart]
    focus_through: str
    solve_through: str

    @model_validator(mode="after")
    def _consistent(self) -> "WheelPart":
        names = [f.name for f in self.filters]
        slots = [f.slot for f in self.filters]
        if len(set(names)) != len(names) or len(set(slots)) != len(slots):
            raise ValueError("each filter needs a name and a slot of its own")
        if any(s > self.slots for s in slots):
            raise ValueError(f"a filter stands in slot {max(slots)}, the wheel has {self.slots}")
        for name in (self.focus_through, self.solve_through):
            if name not in names:
                raise ValueError(f"no filter is called {name!r}; the wheel has {', '.join(names)}")
        return self

    def filter(self, name: str) -> FilterPart:
        """The filter of this name. Raises KeyError with those there are."""
        for part in self.filters:
            if part.name == name:
                return part
        raise KeyError(
            f"no filter is called {name!r}; the wheel has {', '.join(f.name for f in self.filters)}"
        )


class FocuserPart(Part):
    """The focuser. `approach` is the direction in which it always arrives, overshooting by more than
    its backlash when it comes from the other side."""

    name: str
    um_per_step: Positive
    lowest: int = 0
    highest: int = 10000
    start: int = 5000
    approach: Literal["upward", "downward"] = "upward"
    overshoot_steps: Annotated[int, Field(ge=0)] = 120
    search_step: Annotated[int, Field(ge=1)] = 40


class MountPart(Part):
    """The mount."""

    name: str
    kind: Literal["german"] = "german"
    slew_deg_s: Positive = 3.0
    settle_s: Annotated[float, Field(ge=0)] = 4.0


class Simulated(Part):
    """The rig's devices are the sim observatory's; the night begins at a fixed moment."""

    starts_at: datetime
    seed: int = 1


class Rig(Document):
    """One complete set-up."""

    KIND: ClassVar[str] = "rig"
    SCHEMA: ClassVar[int] = 1

    id: Annotated[str, Field(pattern=r"^[a-z0-9][a-z0-9-]{0,39}$")]
    name: str
    site: SitePart
    telescope: TelescopePart
    camera: CameraPart
    wheel: WheelPart
    focuser: FocuserPart
    mount: MountPart
    simulated: Simulated | None = None

    def scale_arcsec_px(self, binning: int = 1) -> float:
        """Image scale of the main camera."""
        return image_scale_arcsec_px(self.telescope.focal_length_mm, self.camera.pixel_um, binning)

    def field_px(self, binning: int = 1) -> tuple[int, int]:
        """(rows, columns) of a frame."""
        return self.camera.rows // binning, self.camera.columns // binning
