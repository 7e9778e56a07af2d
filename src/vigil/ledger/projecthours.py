"""Projects held against the ledger: what the window and the command line both show."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

import numpy as np

from vigil.documents.project import Project, VerdictLimits
from vigil.documents.rig import Rig
from vigil.ledger.reading import Sought, frames, hours, yields
from vigil.ledger.standings import judge_new
from vigil.ledger.store import LedgerStore
from vigil.planning.bestuse import BestUse, best_use
from vigil.planning.overheads import Overheads, overheads_of
from vigil.planning.progress import Progress, progress_of
from vigil.planning.projects import carried_on
from vigil.subexposures.advice import Measured, sky_e_s_by_noise

_NEWEST = 200


def limits_of(projects: Sequence[Project], target: str) -> VerdictLimits:
    """A target's, by the project that it belongs to; else the usual ones."""
    for project in projects:
        if project.panel_of(target) is not None:
            return project.limits
    return VerdictLimits()


def all_progress(
    ledger: Path, projects: Sequence[Project], rigs: Mapping[str, Rig], rig: Rig, now: datetime
) -> list[Progress]:
    """Every project's standing, lights that are new judged first; seasons by a project's own first rig where
    that is known, else by `rig`. Raises LedgerUnread."""
    judge_new(ledger, lambda target: limits_of(projects, target))
    rows = [(r.target, r.filter, r.rig, r.standing, r.frames, r.hours) for r in hours(ledger)]
    evenings = [(y.target, y.rig, y.evening, y.kept_h) for y in yields(ledger)]
    found = []
    for project in projects:
        own = next((rigs[name] for name in project.rigs if name in rigs), rig)
        found.append(progress_of(project, rows, evenings, own, now))
    return found


def carried(ledger: Path, project: Project, rig: Rig) -> Project:
    """With centre, camera angle and exposures of its newest lights where it doesn't say its own. Raises
    LedgerUnread."""
    newest = frames(ledger, Sought(rig=rig.id, targets=tuple(project.frame_names)))[-_NEWEST:]
    return carried_on(project, newest)


def overheads_measured(ledger: Path, rig: Rig) -> Overheads:
    """Of the rig's last night, where it tells; else of its document. Raises LedgerError."""
    if not ledger.is_file():
        return overheads_of([], rig)
    store = LedgerStore(ledger)
    try:
        night = store.last_night(rig.id)
        return overheads_of(store.events(night) if night else [], rig)
    finally:
        store.close()


def tonight(
    ledger: Path,
    projects: Sequence[Project],
    rigs: Mapping[str, Rig],
    rig: Rig,
    at: datetime,
    most_s: float = 5.0,
) -> tuple[BestUse, dict[str, Progress]]:
    """What the night of a moment is best spent on, and the standings it follows from, by project. Raises
    LedgerUnread and LedgerError."""
    carried_ones = [carried(ledger, project, rig) for project in projects]
    progress = all_progress(ledger, carried_ones, rigs, rig, at)
    found = best_use(progress, rig, at, overheads_measured(ledger, rig), most_s)
    return found, {p.project.name: p for p in progress}


@dataclass(frozen=True, slots=True)
class FilterNoise:
    """What a project's kept lights through a filter show: light and read noise of a pixel, and how they are
    exposed."""

    filter: str
    exposure_s: float
    frames: int
    measured: Measured


def noise_by_filter(ledger: Path, project: Project, rig: Rig, between_s: float = 0.0) -> list[FilterNoise]:
    """Of each filter's newest kept lights, by the noise between their pixels. Peaks of stars come from the
    file of the newest one, where that is there. Raises LedgerUnread."""
    from vigil.ledger.starpeaks import peaks_of

    camera = rig.camera
    found = []
    lights = frames(ledger, Sought(rig=rig.id, targets=tuple(project.frame_names), standing="kept"))
    for through in dict.fromkeys(str(f["filter"] or "") for f in lights):
        mine = [f for f in lights if (f["filter"] or "") == through and f["noise_adu"]]
        if not mine or camera is None:
            continue
        last = mine[-1]
        alike = [f for f in mine if f["exposure_s"] == last["exposure_s"] and f["gain"] == last["gain"]][-30:]
        point = camera.at_gain(int(last["gain"]) if last["gain"] is not None else 0)
        gain = float(last["electrons_per_adu"] or point.electrons_per_adu)
        read_e = point.read_noise_e * float(last["binning"])
        light = [
            sky_e_s_by_noise(
                float(f["pixel_noise_adu"] or f["noise_adu"]), gain, read_e, float(f["exposure_s"])
            )
            for f in alike
        ]
        clips_e = min(point.full_well_e * float(last["binning"]) ** 2, camera.full_scale_adu * gain)
        peaks = peaks_of(Path(str(last["path"])), gain, float(last["exposure_s"]))
        measured = Measured(float(np.median(light)), read_e, peaks, clips_e, between_s)
        found.append(FilterNoise(through, float(last["exposure_s"]), len(alike), measured))
    return found
