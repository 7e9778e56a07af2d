"""The conditions of an exposure, in the order in which they are looked at."""

from functools import lru_cache

from vigil.documents.rig import Rig
from vigil.engine.check import Condition
from vigil.engine.conditions.angle import AtAngle
from vigil.engine.conditions.cold import Cold
from vigil.engine.conditions.connected import Connected
from vigil.engine.conditions.disk import Disk
from vigil.engine.conditions.dithered import Dithered
from vigil.engine.conditions.focus import FocusFresh
from vigil.engine.conditions.heated import Heated
from vigil.engine.conditions.in_filter import InFilter
from vigil.engine.conditions.open import CoverOpen, RoofOpen
from vigil.engine.conditions.pointed import Pointed
from vigil.engine.conditions.safe import Safe
from vigil.engine.conditions.side import RightSide
from vigil.engine.conditions.span import InSpan
from vigil.engine.conditions.target import OnTarget
from vigil.engine.conditions.tracking import Tracking
from vigil.planning.flip import rule_for


def conditions_for(rig: Rig) -> tuple[Condition, ...]:
    """Those that the rig's parts make sense of.

    The side of the pier before tracking: a tube that stands at its limit must not be set tracking there.
    Focus before target, since blurred frames don't solve; the filter last, since both use their own and put
    back nothing.
    """
    parts = (
        rig.weather is not None or rig.safety is not None,
        rig.camera is not None and rig.camera.cooler is not None,
        rig.roof is not None,
        rig.heaters is not None,
        rig.cover is not None,
        rig.focuser is not None,
        rig.focuser is not None or "filter wheel" in rig.device_names,
        rule_for(rig) is not None,
    )
    return _chosen(*parts)


@lru_cache(maxsize=64)
def _chosen(
    watched: bool,
    cooled: bool,
    roofed: bool,
    heated: bool,
    covered: bool,
    focused: bool,
    filtered: bool,
    flips: bool,
) -> tuple[Condition, ...]:
    every: list[tuple[bool, Condition]] = [
        (True, Connected()),
        (watched, Safe()),
        (True, InSpan()),
        (True, Disk()),
        (cooled, Cold()),
        (roofed, RoofOpen()),
        (heated, Heated()),
        (covered, CoverOpen()),
        (flips, RightSide()),
        (True, Tracking()),
        (True, Pointed()),
        (focused, FocusFresh()),
        (True, AtAngle()),
        (True, OnTarget()),
        (True, Dithered()),
        (filtered, InFilter()),
    ]
    return tuple(condition for wanted, condition in every if wanted)
