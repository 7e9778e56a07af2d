"""`vigil shoot` from Python, and the observatory by hand: what the physics campaign measures on."""

import contextlib
import io
import json
from collections.abc import Callable, Coroutine
from pathlib import Path
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

from vigil.cli import main
from vigil.documents.rig import Rig
from vigil.documents.rig.change import path_of, with_values
from vigil.documents.scenario import Scenario
from vigil.documents.store import dump
from vigil.files.fits import read_frame
from vigil.runtime.clock import ScenarioClock
from vigil.runtime.simulated import run_virtual
from vigil.runtime.workshop import Workshop
from vigil.simulator.observatory import SimObservatory

T = TypeVar("T")
INTO_THE_EVENING_S = 5 * 3600


def scenario_with(base: Scenario, **values: Any) -> Scenario:
    """A scenario with fields changed: their paths with two underscores for dots."""
    return with_values(base, {path_of(k.replace("__", ".")): v for k, v in values.items()})


def shoot(folder: Path, *words: str, rig: Rig | None = None, scenario: Scenario | None = None) -> list[Any]:
    """Run the command; gives (image as float, what it told) of each frame."""
    words = ("shoot", *words, "--out", str(folder), "--json")
    for name, document in (("rig", rig), ("scenario", scenario)):
        if document is not None:
            path = folder / f"{name}.json"
            folder.mkdir(parents=True, exist_ok=True)
            path.write_text(dump(document))
            words += (f"--{name}", str(path))
    said = io.StringIO()
    with contextlib.redirect_stdout(said):
        status = main(list(words))
    if status:
        raise RuntimeError(f"vigil {' '.join(words)} ended with {status}")
    told = [json.loads(line) for line in said.getvalue().splitlines()]
    return [(image_of(Path(values["file"])), values) for values in told]


def image_of(path: Path) -> NDArray[np.float64]:
    return read_frame(path).image.astype(float)


def under_the_sky(
    rig: Rig,
    scenario: Scenario,
    work: Callable[[SimObservatory, ScenarioClock], Coroutine[Any, Any, T]],
    seed: int = 1,
) -> T:
    """Run a coroutine function of (observatory, clock), five hours into the evening."""

    async def run() -> T:
        assert rig.simulated is not None
        clock = ScenarioClock(rig.simulated.starts_at)
        await clock.sleep(INTO_THE_EVENING_S)
        return await work(SimObservatory(rig, seed, clock, Workshop(0), scenario=scenario), clock)

    return run_virtual(run())
