"""The scenario as one document."""

from typing import Annotated, ClassVar

from pydantic import Field

from vigil.documents.rig.part import Name, Shown
from vigil.documents.scenario.air import AirEffects
from vigil.documents.scenario.fault import Fault
from vigil.documents.scenario.mount import MountEffects
from vigil.documents.scenario.sky import SkyEffects
from vigil.documents.scenario.train import (
    CameraEffects,
    FocuserEffects,
    OpticsEffects,
    PanelEffects,
    WheelEffects,
)
from vigil.documents.store import Document


class Scenario(Document):
    """A sky, an air and a set of gear as they really are. With nothing said it is a clear, ordinary night."""

    KIND: ClassVar[str] = "scenario"
    SCHEMA: ClassVar[int] = 1

    name: Name = "clear night"
    notes: Annotated[str, Field(max_length=2000), Shown("notes")] = ""
    seed: Annotated[int | None, Shown("seed", help="empty: the rig's")] = None
    sky: SkyEffects = SkyEffects()
    air: AirEffects = AirEffects()
    mount: MountEffects = MountEffects()
    optics: OpticsEffects = OpticsEffects()
    camera: CameraEffects = CameraEffects()
    focuser: FocuserEffects = FocuserEffects()
    wheel: WheelEffects = WheelEffects()
    panel: PanelEffects = PanelEffects()
    faults: Annotated[list[Fault], Field(max_length=200), Shown("faults")] = []  # noqa: RUF012
