"""Muster of a plan: all that is wrong or doubtful with it on a rig, each with its place and its numbers."""

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import pairwise

from vigil.documents.conditions import guides
from vigil.documents.messages import DeviceReport
from vigil.documents.plan import Block, NightPlan, StandingOrders, contradictions
from vigil.documents.rig import Rig
from vigil.documents.rig.change import Path
from vigil.files.calibrationframes import CalibrationFrame
from vigil.guiding.settling import too_tight
from vigil.planning.calibration import missing_calibration
from vigil.planning.dithercost import dithers, worth_every_of
from vigil.planning.forecast import Forecast
from vigil.planning.muster import devices
from vigil.planning.muster.finding import Finding, Known
from vigil.planning.overheads import Overheads, usual_overheads

_BYTES_PER_PX = 2
_HEADER_BYTES = 20_000


@dataclass(frozen=True, slots=True)
class Around:
    """What is known beside plan and rig; what is None is not looked at."""

    ahead: Forecast | None = None
    free_bytes: int | None = None
    reports: Sequence[DeviceReport] | None = None
    calibration: Sequence[CalibrationFrame] | None = None
    calibration_folder: str = ""
    takes: Overheads | None = None
    """How long things take, by the rig's last night."""
    guide_rms_arcsec: float | None = None
    """What guiding gave then, both axes together."""


def plan_muster(plan: NightPlan, rig: Rig, around: Around | None = None) -> list[Finding]:
    """Faults, which keep the night from starting, before doubts."""
    around = around or Around()
    found = [_fault(said) for said in contradictions(plan, rig)]
    if plan.blocks:
        timed = (_spans, _fitting, _limits, _guiding, _dithers, _lines)
        doubts = (*timed, _devices, _disk, _calibration, _closing)
        found += [finding for rule in doubts for finding in rule(plan, rig, around)]
    return found


def _fault(said: str) -> Finding:
    """A contradiction with its place in front of it."""
    place, colon, words = said.partition(": ")
    pieces = place.split(".")
    if not colon or pieces[0] not in ("blocks", "opening", "rig"):
        return Finding((), said)
    return Finding(tuple(int(p) if p.isdigit() else p for p in pieces), words[:1].upper() + words[1:])


def _doubt(path: Path, words: str) -> Finding:
    return Finding(path, words, doubt=True)


def _active(plan: NightPlan) -> Iterator[tuple[int, Block]]:
    return ((n, block) for n, block in enumerate(plan.blocks) if block.active_lines)


def _spans(plan: NightPlan, rig: Rig, around: Around) -> Iterator[Finding]:
    """Spans that never open tonight, and lines that their block's span leaves no moment."""
    for n, block in _active(plan):
        name = block.target.name
        never = around.ahead is not None and not around.ahead.spans.get(block.id)
        if never:
            yield _doubt(("blocks", n, "span"), f"The span of {name} never opens tonight.")
        for k, line in enumerate(block.lines):
            if line.off:
                continue
            against = {"up": "down", "down": "up"}.get(line.moon)
            if against is not None and block.span.moon == against:
                yield _doubt(
                    ("blocks", n, "lines", k, "moon"),
                    f"{name} · {line.words} wants the moon {line.moon}, its block the moon {against}: never.",
                )
            elif not never and around.ahead is not None and around.ahead.spans.get(line.id) == ():
                yield _doubt(
                    ("blocks", n, "lines", k, "moon"),
                    f"{name} · {line.words} has no moment tonight with the moon {line.moon}.",
                )


def _fitting(plan: NightPlan, rig: Rig, around: Around) -> Iterator[Finding]:
    """Frames that the night has no time for."""
    if around.ahead is None:
        return
    places = {x.id: (n, k, b, x) for n, b in enumerate(plan.blocks) for k, x in enumerate(b.lines)}
    for lost in around.ahead.lost:
        # one that never opens is said already
        spans = around.ahead.spans
        if lost.line in places and spans.get(lost.line, spans.get(places[lost.line][2].id, ())):
            n, k, block, line = places[lost.line]
            yield _doubt(
                ("blocks", n, "lines", k, "count"),
                f"{lost.wanted - lost.fitting} of {lost.wanted} {line.words} frames of {block.target.name} "
                f"lost: {around.ahead.because}.",
            )


def _limits(plan: NightPlan, rig: Rig, around: Around) -> Iterator[Finding]:
    """Standing orders that undo or contradict each other."""
    if not rig.frames_sky:
        return
    scale = rig.scale_arcsec_px()
    yield from _limits_of(plan.orders, scale, ("orders",), "")
    if plan.orders.focus_follows and rig.focuser is not None and rig.focuser.steps_per_c is None:
        yield _doubt(
            ("orders", "focus_follows"),
            "The focuser is to follow the temperature, but the rig has no steps for each °C; the focus bench "
            "learns them from its log (Tune).",
        )
    for n, block in _active(plan):
        orders = block.orders_in(plan.orders)
        if block.limits:
            yield from _limits_of(orders, scale, ("blocks", n, "limits"), f"{block.target.name}: ")
        filters = [line.filter for line in block.active_lines]
        changes = any(a != b for a, b in pairwise(filters))
        if orders.focus_at_filter_change and block.order == "in turn" and changes and rig.focuser is not None:
            yield _doubt(
                ("blocks", n, "order"),
                f"{block.target.name} takes its filters in turn and refocuses at each change: "
                "more focusing than exposing.",
            )


def _limits_of(orders: StandingOrders, scale: float, place: Path, whose: str) -> Iterator[Finding]:
    keep_px = math.inf if orders.target_keep_arcmin is None else 60 * orders.target_keep_arcmin / scale
    if orders.target_reach_px >= keep_px:
        yield _doubt(
            (*place, "target_reach_px"),
            f"{whose}Centring stops at {orders.target_reach_px:g} px, but recentring starts at "
            f"{keep_px:.0f} px: it would never end.",
        )
    dithers = orders.dither_every_frames is not None or orders.dither_once_a_round
    if dithers and orders.dither_px >= keep_px:
        yield _doubt(
            (*place, "dither_px"),
            f"{whose}A dither of {orders.dither_px:g} px leaves the {keep_px:.0f} px that count as "
            "on target.",
        )


def _guiding(plan: NightPlan, rig: Rig, around: Around) -> Iterator[Finding]:
    """A tolerance that guiding can't keep, by what it gave last."""
    given = around.guide_rms_arcsec
    if given is None or rig.guider is None or not guides(rig):
        return
    for place, wanted in (
        (("orders", "guide_within_arcsec"), plan.orders.guide_within_arcsec),
        (("orders", "guide_within_arcsec"), rig.guider.settle_within_arcsec),
    ):
        if wanted is not None and (said := too_tight(wanted, given)):
            yield _doubt(place, f"Guiding settled within {said}.")
            return


def _dithers(plan: NightPlan, rig: Rig, around: Around) -> Iterator[Finding]:
    """Dithers that take a lot of the night."""
    if around.ahead is None:
        return
    takes = around.takes or usual_overheads(rig)
    for n, block in _active(plan):
        orders = block.orders_in(plan.orders)
        every, worth = orders.dither_every(block), worth_every_of(block, rig, takes)
        if every is None or every >= worth:
            continue
        count, spent_s = dithers(around.ahead, block.id)
        own = {"dither_every_frames", "dither_once_a_round"} & block.limits.keys()
        where: Path = ("blocks", n, "limits") if own else ("orders", "dither_every_frames")
        yield _doubt(
            where,
            f"{block.target.name}: {count} dithers take {spent_s / 60:.0f} min; after every {worth} frames "
            "they would take a tenth of the time.",
        )


def _lines(plan: NightPlan, rig: Rig, around: Around) -> Iterator[Finding]:
    """Lines that are the odd ones out: another gain, offset or binning for the same filter."""
    seen: dict[tuple[str, str], tuple[str, object]] = {}
    for n, block in _active(plan):
        for k, line in enumerate(block.lines):
            if line.off:
                continue
            for field in ("gain", "offset", "binning"):
                value = getattr(line, field)
                where = f"{block.target.name} · {line.words}"
                before = seen.setdefault((line.filter, field), (where, value))
                if before[1] != value:
                    yield _doubt(
                        ("blocks", n, "lines", k, field),
                        f"{where} has {field} {_usual(value)}, {before[0]} {_usual(before[1])}: "
                        "they need calibration frames of their own.",
                    )


def _usual(value: object) -> str:
    return "as the rig" if value is None else f"{value}"


def _devices(plan: NightPlan, rig: Rig, around: Around) -> Iterator[Finding]:
    """What isn't connected while others are, is at fault, or has another clock: the night connects what
    answers."""
    for finding in devices.findings(rig, Known(reports=around.reports)):
        yield _doubt(("rig", *finding.path), finding.words)


def _disk(plan: NightPlan, rig: Rig, around: Around) -> Iterator[Finding]:
    if around.free_bytes is None or rig.camera is None:
        return
    needed = 0
    for _, block in _active(plan):
        for line in block.active_lines:
            rows, columns = rig.field_px(line.binning)
            needed += line.number_wanted * (_BYTES_PER_PX * rows * columns + _HEADER_BYTES)
    if needed > around.free_bytes:
        yield _doubt(
            ("rig", "frames"),
            f"The plan's {plan.wanted} frames need {needed / 1e9:.1f} GB, "
            f"{around.free_bytes / 1e9:.1f} GB are free.",
        )


def _calibration(plan: NightPlan, rig: Rig, around: Around) -> Iterator[Finding]:
    if around.calibration is None or rig.camera is None or contradictions(plan, rig):
        return
    missing = missing_calibration(plan, rig, around.calibration)
    if missing:
        yield _doubt(
            ("blocks", 0, "lines", 0),
            f"Calibration frames to be taken: {'; '.join(missing)} (none in {around.calibration_folder}).",
        )


def _closing(plan: NightPlan, rig: Rig, around: Around) -> Iterator[Finding]:
    cooled = rig.camera is not None and rig.camera.cooler is not None
    if not plan.orders.park_at_end:
        yield _doubt(("orders", "park_at_end"), "The closing doesn't park the mount: it goes on tracking.")
    if cooled and not plan.orders.warm_at_end:
        yield _doubt(("orders", "warm_at_end"), "The closing leaves the camera cold.")
