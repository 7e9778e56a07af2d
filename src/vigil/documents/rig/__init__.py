"""The rig document: its parts, how they change, and what is wrong with them."""

from vigil.documents.rig.camera import CameraPart
from vigil.documents.rig.filters import FilterPart, WheelPart
from vigil.documents.rig.focuser import FocuserPart
from vigil.documents.rig.mount import MountPart
from vigil.documents.rig.rig import Rig, Simulated
from vigil.documents.rig.site import SitePart

__all__ = [
    "CameraPart",
    "FilterPart",
    "FocuserPart",
    "MountPart",
    "Rig",
    "Simulated",
    "SitePart",
    "WheelPart",
]
