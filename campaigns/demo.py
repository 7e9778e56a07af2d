"""The demo's documents, and a quick variant of its rig."""

from typing import Any

from vigil.cli.files import demo_file
from vigil.documents.plan import NightPlan
from vigil.documents.rig import Rig
from vigil.documents.store import load


def demo_rig() -> Rig:
    return load(Rig, demo_file("heron-480.json"))


def demo_plan() -> NightPlan:
    return load(NightPlan, demo_file("plan.json"))


def quick_rig(**changes: Any) -> Rig:
    """The demo rig as if binned 3 × 3 at the sensor, and half of that: an eighteenth of the pixels; its guide
    camera has a sixth of them."""
    rig = demo_rig()
    camera = rig.camera.model_copy(update={"columns": 704, "rows": 704, "pixel_um": 3 * 3.8})
    guider = rig.guider.model_copy(update={"columns": 480, "rows": 360}) if rig.guider else None
    return rig.model_copy(update={"camera": camera, "guider": guider, **changes})


def short_plan(
    count: int = 2, exposure_s: float = 60.0, until_dawn_min: float = 0.0, **orders: Any
) -> NightPlan:
    """The demo plan with few short frames through its two filters, ending that long before dawn."""
    plan = demo_plan()
    block = plan.blocks[0]
    closes = block.span.closes.model_copy(update={"minutes": -until_dawn_min})
    block = block.model_copy(update={"span": block.span.model_copy(update={"closes": closes})})
    lines = [line.model_copy(update={"count": count, "exposure_s": exposure_s}) for line in block.lines]
    return plan.model_copy(
        update={
            "blocks": [block.model_copy(update={"lines": lines})],
            "orders": plan.orders.model_copy(update=orders),
        }
    )
