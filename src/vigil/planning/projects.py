"""Projects made of framed targets, changed by what a person types, carried on as their frames were taken."""

import re
from collections.abc import Callable, Mapping, Sequence
from datetime import datetime
from typing import Any

from vigil.documents.filternames import same_filter
from vigil.documents.plan import ExposureLine, Target
from vigil.documents.project import Goal, Panel, Project, VerdictLimits, parse_goals
from vigil.documents.rig import Rig
from vigil.documents.shelf import Framed
from vigil.files.deepsky import UnknownObject, find_object
from vigil.planning.framing import field_of_framed, mosaic_of
from vigil.planning.offer import field_of
from vigil.planning.shelfcsv import parse_lines


def of_framed(framed: Framed, name: str, goals: list[Goal], rig: Rig) -> Project:
    """With the target's centre, angle, panels, lines and set-point."""
    framing = framed.framing
    target = Target(
        name=framed.name,
        ra_deg=framing.ra_deg,
        dec_deg=framing.dec_deg,
        position_angle_deg=framing.position_angle_deg,
    )
    panels = []
    if framing.count > 1:
        made = mosaic_of(framing, field_of_framed(framed, field_of(rig)))
        for number in framed.in_order:
            foot = made.panels[number - 1].footprint
            panels.append(Panel(name=framed.panel_name(number), ra_deg=foot.ra_deg, dec_deg=foot.dec_deg))
    return Project(
        name=name,
        target=target,
        panels=panels,
        goals=goals,
        lines=framed.lines,
        set_point_c=framed.set_point_c,
    )


def _number(text: str) -> float:
    try:
        return float(text.replace("−", "-"))
    except ValueError:
        raise ValueError(f"{text!r} is no number") from None


def _limit(name: str) -> Callable[[Project, str], dict[str, Any]]:
    def change(project: Project, text: str) -> dict[str, Any]:
        value = None if text in ("", "off") else _number(text)
        return {"limits": VerdictLimits.model_validate({**project.limits.model_dump(), name: value})}

    return change


def _lines(project: Project, text: str) -> list[ExposureLine]:
    """What isn't written (gain, offset, binning) stays as the filter had it."""
    before = {line.filter: line for line in project.lines}
    found = parse_lines(text) if text else []
    return [
        before[line.filter].model_copy(update={"id": line.id, "exposure_s": line.exposure_s})
        if line.filter in before
        else line
        for line in found
    ]


def _yes(text: str) -> bool:
    if text.casefold() not in ("yes", "no"):
        raise ValueError(f"{text!r} is neither yes nor no")
    return text.casefold() == "yes"


_CHANGES: dict[str, Callable[[Project, str], dict[str, Any]]] = {
    "goal": lambda _, text: {"goals": parse_goals(text)},
    "rig": lambda _, text: {"rigs": [name.strip() for name in text.split(",") if name.strip()]},
    "lines": lambda p, text: {"lines": _lines(p, text)},
    "note": lambda _, text: {"note": text},
    "paused": lambda _, text: {"paused": _yes(text)},
    "set-point": lambda _, text: {"set_point_c": _number(text) if text else None},
    "angle": lambda p, text: {
        "target": p.target.model_copy(update={"position_angle_deg": _number(text) % 360 if text else None})
    },
    "altitude": lambda p, text: {"span": p.span.model_copy(update={"minimum_altitude_deg": _number(text)})},
    "grown": _limit("grown_percent"),
    "fewer": _limit("fewer_percent"),
    "longer": _limit("longer"),
    "brighter": _limit("brighter_percent"),
    "guide": _limit("guide_arcsec"),
    "trails": lambda p, text: {"limits": p.limits.model_copy(update={"trails": _yes(text)})},
}


def changed(project: Project, key: str, text: str, now: datetime) -> tuple[Project, list[str]]:
    """A project with one thing changed, and what follows from that in words. Raises ValueError with what
    would be right."""
    if key == "target":
        return _renamed(project, text)
    if key not in _CHANGES:
        raise ValueError(f"there is no such thing to set; there are target, {', '.join(_CHANGES)}")
    values = {**project.model_dump(), **_dumped(_CHANGES[key](project, text))}
    return Project.model_validate(values), []


def _dumped(values: dict[str, Any]) -> dict[str, Any]:
    def plain(value: Any) -> Any:
        if isinstance(value, list):
            return [plain(item) for item in value]
        return value.model_dump() if hasattr(value, "model_dump") else value

    return {name: plain(value) for name, value in values.items()}


def _renamed(project: Project, name: str) -> tuple[Project, list[str]]:
    if not name or re.search(r"[\x00-\x1f]", name):
        raise ValueError("a target's name must not be empty")
    made = Project.model_validate(project.renamed(name).model_dump())
    said = [
        f"new frames carry {name!r}; those that are there keep {project.target.name!r} in name and header, "
        "and count on",
        "its centre stays where it was",
    ]
    try:
        entry = find_object(name)
        said += [f"the catalogue's {entry.name} has a place of its own: that is not taken over"]
    except UnknownObject:
        pass
    return made, said


def carried_on(project: Project, frames: Sequence[Mapping[str, object]]) -> Project:
    """A project with the centre, camera angle and exposures of its newest lights (as the ledger lists them),
    where it doesn't say its own: gain, offset, binning, exposure and set-point exactly as they were."""
    newest: dict[str, Mapping[str, object]] = {}
    for frame in frames:
        name = str(frame["filter"] or "")
        if project.panel_of(str(frame["target"])) is None:
            continue
        if name not in newest or str(frame["started_at"]) > str(newest[name]["started_at"]):
            newest[name] = frame
    if not newest:
        return project
    lines = list(project.lines)
    have = [line.filter for line in lines]
    for name, frame in newest.items():
        if same_filter(name, have) is None and project.goals_of(name):
            values = {key: frame[key] for key in ("gain", "offset", "binning") if frame[key] is not None}
            lines.append(
                ExposureLine.model_validate(
                    {"id": f"line-{len(lines)}", "filter": name, "count": 1,
                     "exposure_s": frame["exposure_s"], **values}
                )
            )  # fmt: skip
    last = max(newest.values(), key=lambda f: str(f["started_at"]))
    changed: dict[str, object] = {"lines": lines}
    if project.set_point_c is None and last["set_point_c"] is not None:
        changed["set_point_c"] = last["set_point_c"]
    if not project.panels:
        target = project.target
        moved: dict[str, object] = {}
        if last["ra_deg"] is not None and last["dec_deg"] is not None:
            moved = {"ra_deg": last["ra_deg"], "dec_deg": last["dec_deg"]}
        if target.position_angle_deg is None and last["position_angle_deg"] is not None:
            moved["position_angle_deg"] = float(str(last["position_angle_deg"])) % 360
        changed["target"] = target.model_copy(update=moved)
    return project.model_copy(update=changed)
