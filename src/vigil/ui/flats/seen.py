"""What the flats that are under way have told so far."""

from dataclasses import dataclass, field
from typing import Any


@dataclass
class FlatsSeen:
    """`trials` by filter, newest last; `advice` once all filters are known; `have` counts by kind and
    filter."""

    trials: dict[str, list[dict[str, Any]]] = field(default_factory=dict)
    advice: dict[str, dict[str, Any]] = field(default_factory=dict)
    have: dict[tuple[str, str], int] = field(default_factory=dict)
    judged: dict[str, dict[str, Any]] = field(default_factory=dict)
    """By filter: how good its flats are."""
    levels: dict[str, list[float]] = field(default_factory=dict)
    """Means of the flats that were kept, in the order in which they were taken."""

    def going_on(self, given: dict[str, Any]) -> "FlatsSeen":
        """What is known when a job begins: nothing, or of one that goes on after a crash what there was."""
        if not any(given.get(name) for name in ("have", "have_dark", "found")):
            return FlatsSeen()
        there = {("flat", name): count for name, count in given.get("have", {}).items()}
        there |= {("dark flat", name): count for name, count in given.get("have_dark", {}).items()}
        return FlatsSeen(dict(self.trials), dict(self.advice), there, dict(self.judged))

    def take(self, values: dict[str, Any]) -> None:
        """A step of the errand."""
        if trial := values.get("trial"):
            self.trials.setdefault(trial["filter"], []).append(trial)
        for one in values.get("advice", []):
            self.advice[one["filter"]] = one
        if judged := values.get("judged"):
            self.judged[judged["filter"]] = judged
        if frame := values.get("frame"):
            name = frame.get("filter", frame.get("set", ""))
            self.have[frame["kind"], name] = frame["have"]
            if frame["kind"] == "flat" and frame["kept"]:
                self.levels.setdefault(name, []).append(frame["mean_adu"])
