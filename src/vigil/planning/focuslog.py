"""What the log of focus runs is good for later."""

from collections.abc import Iterable, Mapping
from typing import Any

from vigil.focusing.history import Run


def runs_to_learn_from(figures: Iterable[Mapping[str, Any]]) -> list[Run]:
    """Of accepted runs those with a temperature, from the figures of their ends."""
    return [
        Run(float(run["best"]), float(run["temperature_c"]), str(run.get("filter", "")))
        for run in figures
        if run.get("accepted") and run.get("temperature_c") is not None and run.get("best") is not None
    ]
