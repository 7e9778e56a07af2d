"""What the devices themselves say: not connected, at fault, of another mind than the document."""

from collections.abc import Iterator
from typing import Any

from vigil.documents.devicekinds import DEVICE_KINDS
from vigil.documents.messages import DeviceReport
from vigil.documents.rig import Rig
from vigil.documents.rig.change import brief, field_at, path_of, value_at
from vigil.planning.muster.finding import Finding, Known, Remedy

_MOST_CLOCK_OFF_S = 5.0
_SAME_SHARE = 1e-3


def findings(rig: Rig, known: Known) -> Iterator[Finding]:
    """Everything about the devices of a rig whose keeper answers."""
    if known.reports is None or all(report.lamp == "not connected" for report in known.reports):
        return  # before anybody has connected anything nothing is amiss
    by_name = {report.name: report for report in known.reports}
    for name in rig.device_names:
        report = by_name.get(name)
        place = (DEVICE_KINDS[name].part,)
        connect = Remedy("connect", device=name)
        if report is None:
            yield Finding(place, f"The {name} is not known to the keeper yet.", remedy=None)
        elif report.lamp == "fault":
            yield Finding(place, f"{_capital(report.fault)}; {report.advice}.", remedy=connect)
        elif report.lamp == "not connected":
            verb = "aren't" if name == "heaters" else "isn't"
            yield Finding(place, f"The {name} {verb} connected.", remedy=connect)
        else:
            yield from _disagreements(rig, name, report)


def _disagreements(rig: Rig, name: str, report: DeviceReport) -> Iterator[Finding]:
    for text, told in report.figures.items():
        path = path_of(text)
        try:
            ours = value_at(rig, path)
        except KeyError:
            continue
        if _same(told, ours):
            continue
        field = field_at(path)
        label, unit = (field.shown.label, field.shown.unit) if field else (text, "")
        yield Finding(
            path,
            f"The {name} reports {label} {brief(told, unit)}, the rig says {brief(ours, unit)}.",
            remedy=Remedy(f"Set to {brief(told, unit)}", told),
        )
    if report.clock_off_s is not None and abs(report.clock_off_s) > _MOST_CLOCK_OFF_S:
        way = "ahead of" if report.clock_off_s > 0 else "behind"
        yield Finding(
            (DEVICE_KINDS[name].part,),
            f"The {name}'s clock is {abs(report.clock_off_s):.0f} s {way} the computer's; over "
            f"{_MOST_CLOCK_OFF_S:g} s it points {abs(report.clock_off_s) * 15 / 60:.0f}′ wrong.",
        )


def _same(told: Any, ours: Any) -> bool:
    if isinstance(told, bool) or isinstance(ours, bool) or isinstance(told, str):
        return bool(told == ours)
    return bool(abs(told - ours) <= _SAME_SHARE * max(abs(told), abs(ours)))


def _capital(text: str) -> str:
    return text[:1].upper() + text[1:]
