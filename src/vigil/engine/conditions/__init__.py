"""The conditions of an exposure, in the order in which they are looked at."""

from vigil.engine.check import Condition
from vigil.engine.conditions.cold import Cold
from vigil.engine.conditions.connected import Connected
from vigil.engine.conditions.disk import Disk
from vigil.engine.conditions.focus import FocusFresh
from vigil.engine.conditions.in_filter import InFilter
from vigil.engine.conditions.pointed import Pointed
from vigil.engine.conditions.span import InSpan
from vigil.engine.conditions.target import OnTarget
from vigil.engine.conditions.tracking import Tracking

EXPOSURE_CONDITIONS: tuple[Condition, ...] = (
    Connected(),
    InSpan(),
    Disk(),
    Cold(),
    Tracking(),
    Pointed(),
    FocusFresh(),
    OnTarget(),
    InFilter(),
)
"""Focus before target, since blurred frames don't solve; the filter last, since both use their own and
put back nothing."""
