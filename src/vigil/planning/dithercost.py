"""What dithering costs of a night, and how often it is worth it."""

import math
from datetime import timedelta

from vigil.documents.conditions import guides
from vigil.documents.plan import Block
from vigil.documents.rig import Rig
from vigil.planning.forecast import Forecast
from vigil.planning.overheads import Overheads

_WORTH_SHARE = 0.1
"""Of the exposure time: more than that is a lot for dithers."""
_SELDOM = 8


def dither_s(takes: Overheads, rig: Rig) -> float:
    """One of them, its settling with it."""
    return takes.dither_s + (takes.guide_s if guides(rig) else 0.0)


def dithers(ahead: Forecast, block_id: str | None = None) -> tuple[int, float]:
    """(how many, seconds in all) of the night ahead, or of a block: the settling after each is in it."""
    count, spent = 0, timedelta()
    for step, following in zip(ahead.steps, (*ahead.steps[1:], None), strict=True):
        if step.kind != "dither" or block_id not in (None, step.block):
            continue
        count += 1
        spent += step.ends - step.begins
        if following is not None and following.kind == "guide":
            spent += following.ends - following.begins
    return count, spent.total_seconds()


def worth_every(exposure_s: float, takes_s: float) -> int:
    """After how many frames a dither takes a tenth of their time at most."""
    return min(max(math.ceil(takes_s / (_WORTH_SHARE * exposure_s)), 1), _SELDOM)


def worth_every_of(block: Block, rig: Rig, takes: Overheads) -> int:
    """The same for a block's lines, by the longest of them: seldom enough for it is often enough for all."""
    each_s = dither_s(takes, rig)
    return min((worth_every(line.exposure_s, each_s) for line in block.active_lines), default=1)


def cost_words(ahead: Forecast, rig: Rig, takes: Overheads) -> str:
    """ "34 dithers take 14 min, 25 s each"; what one takes where there are none."""
    count, spent_s = dithers(ahead)
    each = f"{dither_s(takes, rig):.0f} s"
    return f"{count} dithers take {spent_s / 60:.0f} min, {each} each" if count else f"a dither takes {each}"
