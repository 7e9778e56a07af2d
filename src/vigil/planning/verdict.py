"""What a frame's own figures say of it, against those before it through the same filter."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from statistics import median
from typing import Any

_BEFORE = 8
_FEWEST = 3
_GROWN, _FEWER, _BRIGHTER = 1.35, 0.5, 1.6
_LONG = 1.6
# smaller stars are too few pixels to have a shape
_SAMPLED_PX = 1.0


class Mark(StrEnum):
    """Of a frame in the filmstrip."""

    GOOD = "kept"
    DOUBTFUL = "doubtful, counts"
    UNCOUNTED = "doesn't count"
    REJECTED = "rejected by you"
    KEPT = "kept by you"
    PENDING = "being measured"


@dataclass(frozen=True, slots=True)
class Verdict:
    """`because` says it with its numbers; empty for a good one."""

    mark: Mark
    because: str = ""


def verdict(frame: Mapping[str, Any], before: Sequence[Mapping[str, Any]]) -> Verdict:
    """A person's word counts; one that was cut short doesn't count; else its size, stars, shape and sky are
    held against the median of the last frames `before` it, which are those through its filter. Advice only: a
    doubtful frame counts unless it was cut short."""
    judged = frame.get("verdict")
    if judged in ("kept", "rejected"):
        return Verdict(Mark.REJECTED if judged == "rejected" else Mark.KEPT, "")
    if frame.get("doubtful"):
        return Verdict(Mark.UNCOUNTED, str(frame["doubtful"]))
    if "stars" not in frame:
        return Verdict(Mark.PENDING)
    if not frame["stars"] or not frame.get("hfr_px"):
        return Verdict(Mark.DOUBTFUL, "no stars found")
    said = []
    if frame["hfr_px"] > _SAMPLED_PX and (frame.get("elongation") or 1.0) > _LONG:
        said.append(f"stars {frame['elongation']:.2f} times as long as wide")
    last = [f for f in before if f.get("hfr_px") and f.get("stars") and counts_as_usual(f)][-_BEFORE:]
    if len(last) >= _FEWEST:
        size, stars, sky = (median(f[name] for f in last) for name in ("hfr_px", "stars", "background_adu"))
        if frame["hfr_px"] > _GROWN * size:
            said.append(f"stars of {frame['hfr_px']:.2f} px, before {size:.2f}")
        if frame["stars"] < _FEWER * stars:
            said.append(f"{frame['stars']} stars, before {stars:.0f}")
        if frame["background_adu"] > _BRIGHTER * sky:
            said.append(f"sky of {frame['background_adu']:.0f} ADU, before {sky:.0f}")
    return Verdict(Mark.DOUBTFUL, "; ".join(said)) if said else Verdict(Mark.GOOD)


def counts_as_usual(frame: Mapping[str, Any]) -> bool:
    """Whether others may be held against it."""
    return not frame.get("doubtful") and frame.get("verdict") != "rejected"
