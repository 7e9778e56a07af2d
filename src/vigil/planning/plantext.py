"""A night plan to read from top to bottom, as plain text or Markdown."""

from datetime import datetime
from zoneinfo import ZoneInfo

from vigil.documents.conditions import KNOWN
from vigil.documents.figures import signed
from vigil.documents.plan import Block, ExposureLine, NightPlan, Span, StandingOrders, SunMoment, order_shown
from vigil.documents.rig import Rig
from vigil.documents.steps import MustHold, Step
from vigil.planning.forecast import Forecast
from vigil.planning.openingorder import in_order

TIMES = "×"


def plan_text(plan: NightPlan, rig: Rig, ahead: Forecast | None = None, markdown: bool = False) -> str:
    """The plan with its standing orders; with a forecast also when each block runs and what doesn't fit."""
    head, item = ("## ", "- ") if markdown else ("", "  ")
    lines = [f"# {plan.name}" if markdown else plan.name, f"{rig.name}, {rig.site.name}", ""]
    if plan.opening:
        steps = [f"{item}{_step(step)}" for step in plan.opening if not isinstance(step, MustHold)]
        lines += [f"{head}Opening", *(f"{item}{words}" for words in opening_words(plan)), *steps, ""]
    lines += [
        f"{head}Each exposure needs",
        *(f"{item}{name}: {limit}" for name, limit in orders_told(plan, rig)),
        "",
    ]
    for block in plan.blocks:
        off = " (switched off)" if block.off else ""
        lines.append(f"{head}{block.target.name}{off}{_times(block, rig, ahead)}")
        lines.append(f"{item}{span_words(block.span)}")
        if block.target.position_angle_deg is not None:
            lines.append(f"{item}camera at {block.target.position_angle_deg:.1f}°")
        if block.set_point_c is not None:
            lines.append(f"{item}camera at {signed(block.set_point_c)} °C")
        if block.limits:
            lines.append(f"{item}of its own: {own_limits_words(block, plan.orders)}")
        lines += [f"{item}{_step(step)}" for step in block.steps]
        if len(block.lines) > 1:
            lines.append(f"{item}lines {block.order}")
        lines += [f"{item}{line_words(line)}{_fits(line, ahead)}" for line in block.lines]
        lines.append("")
    closing = [*closing_words(plan, rig), *(_step(step) for step in plan.closing)]
    return "\n".join([*lines, f"{head}Closing", *(f"{item}{words}" for words in closing)])


def opening_words(plan: NightPlan) -> list[str]:
    """What the plan's own order of conditions says."""
    named = [item.name for item in plan.conditions if not item.off]
    off = [item.name for item in plan.conditions if item.off]
    told = [f"first {', then '.join(named)}"] if named else []
    return told + ([f"switched off: {', '.join(off)}"] if off else [])


def _step(step: Step) -> str:
    return f"{step.words} (switched off)" if step.off else step.words


def limits_words(name: str, orders: StandingOrders, rig: Rig) -> str:
    """A condition's limits by the standing orders; empty for one without any."""
    told: list[str] = []
    camera = rig.camera
    if name == "camera cold" and camera is not None and camera.cooler is not None:
        told.append(f"{signed(camera.cooler.set_point_c)} °C ± {orders.camera_within_c:g}")
    elif name == "focus fresh":
        told = _focus_limits(orders)
    elif name == "on target":
        keep = orders.target_keep_arcmin
        told.append(f"centred to {orders.target_reach_px:g} px")
        told.append(_recentred(keep, rig))
    elif name == "dithered":
        every = orders.dither_every_frames
        told += [] if every is None else ["after every frame"] if every == 1 else [f"every {every} frames"]
        told += ["once a round where lines are in turn"] if orders.dither_once_a_round else []
        told = [*told, f"by {orders.dither_px:g} px at most"] if told else ["off"]
    elif name == "polar aligned":
        within = orders.polar_within_arcmin
        told.append("not asked for" if within is None else f"within {within:g}′, measured tonight")
    elif name == "guide calibrated":
        told = [orders.guide_calibrate] if orders.guide_calibrate != "when needed" else []
        told += ["near the equator"] if orders.guide_calibrate_away else []
    elif name == "guiding settled":
        told = _guide_limits(orders)
    elif name == "camera angle":
        told.append(f"within {orders.angle_within_deg:g}°")
    elif name == "enough stars":
        least = orders.stars_at_least_percent
        told.append("off" if least is None else f"at least {least:g} % of the usual number")
    elif name == "safe":
        told.append(
            "else closed and parked" if orders.when_unsafe == "shelter" else "else all stays as it is"
        )
    elif name == "pier side":
        told += ["refocused after a flip"] if orders.focus_after_flip else []
        told += [] if orders.centre_after_flip else ["not recentred after a flip"]
    return ", ".join(told)


def _guide_limits(orders: StandingOrders) -> list[str]:
    within, error = orders.guide_within_arcsec, orders.guide_error_arcsec
    told = [f"within {within:g}″" if within is not None else "within the rig's limit"]
    told += [f"else {orders.guide_unsettled}"] if orders.guide_unsettled != "go on without" else []
    if error is not None:
        told.append(f"a frame ends when off by {error:g}″ for {orders.guide_error_s:g} s")
    return told


def _focus_limits(orders: StandingOrders) -> list[str]:
    told = []
    if orders.focus_colder_by_c is not None:
        told.append(f"at ±{orders.focus_colder_by_c:g} °C")
    told += [f"after {orders.focus_every_min:g} min"] if orders.focus_every_min is not None else []
    told += [f"after {orders.focus_every_frames} frames"] if orders.focus_every_frames is not None else []
    if orders.focus_grown_by_percent is not None:
        told.append(f"when stars have grown by {orders.focus_grown_by_percent:g} %")
    told += ["when it is worth the minutes"] if orders.focus_weighed else []
    told += ["on every new target"] if orders.focus_at_new_target else []
    told += ["after every filter change"] if orders.focus_at_filter_change else []
    elsewhere = ["in a richer field near by where stars are few"] if orders.focus_elsewhere else []
    follows = ["the focuser follows the temperature"] if orders.focus_follows else []
    if not told:
        return ["focused once", *follows, *elsewhere]
    told[0] = f"refocused {told[0]}"
    return [*told, *follows, *elsewhere]


def _recentred(keep_arcmin: float | None, rig: Rig) -> str:
    if keep_arcmin is None:
        return "not recentred after that"
    px = f" ({60 * keep_arcmin / rig.scale_arcsec_px():.0f} px)" if rig.frames_sky else ""
    return f"recentred when off by {keep_arcmin:g}′{px}"


def orders_told(plan: NightPlan, rig: Rig) -> list[tuple[str, str]]:
    """What must hold before each exposure that has a limit, in the plan's order: (condition, limit)."""
    wanted = {known.name for known in KNOWN if known.wanted(rig)}
    told = []
    for item in in_order(plan.opening):
        said = limits_words(item.name, plan.orders, rig)
        if item.name in wanted and not item.off and said:
            told.append((item.name, said))
    return told


def own_limits_words(block: Block, orders: StandingOrders) -> str:
    """A block's limits in place of the plan's; empty without any."""
    own = block.orders_in(orders)
    told = []
    for known in KNOWN:
        said = [_order_words(name, getattr(own, name)) for name in known.orders if name in block.limits]
        told += [f"{known.name} {', '.join(said)}"] if said else []
    return "; ".join(told)


def _order_words(name: str, value: object) -> str:
    """ "every 60 min", "recentre when off by: off", "not recentre after a flip"."""
    shown = order_shown(name)
    if isinstance(value, bool):
        return shown.label if value else f"not {shown.label}"
    if value is None:
        return f"{shown.label}: off"
    number = f"{value:g}" if isinstance(value, int | float) else f"{value}"
    return f"{shown.label} {number}{'' if shown.unit in ('°', '′') else ' '}{shown.unit}".rstrip()


def closing_words(plan: NightPlan, rig: Rig) -> list[str]:
    """What the closing does."""
    cooler = rig.camera.cooler if rig.camera is not None else None
    told = ["mount parked" if plan.orders.park_at_end else "the mount is not parked"]
    if cooler is not None:
        warmed = f"camera warmed to {signed(cooler.warm_to_c)} °C, then off"
        if plan.orders.darks_at_end_min:
            told.append(f"darks that the lights lack, up to {plan.orders.darks_at_end_min:g} min")
        told.append(warmed if plan.orders.warm_at_end else "the camera stays cold")
    return told


def span_words(span: Span) -> str:
    """A span as people say it."""
    told = [f"{_side(span.opens, 'dusk')} to {_side(span.closes, 'dawn')}"]
    if span.from_clock is not None or span.until_clock is not None:
        first = f"from {span.from_clock:%H:%M}" if span.from_clock else ""
        last = f"until {span.until_clock:%H:%M}" if span.until_clock else ""
        told.append(f"{first} {last}".strip())
    told.append(f"above {span.minimum_altitude_deg:g}°")
    if span.moon != "anywhere":
        told.append(f"moon {span.moon}")
    if span.moon_apart_deg is not None:
        told.append(f"{span.moon_apart_deg:g}° from the moon at least")
    if span.moon_percent_at_most is not None:
        told.append(f"moon lit by {span.moon_percent_at_most:g} % at most, or down")
    if span.hour_angle_from_h is not None or span.hour_angle_until_h is not None:
        first = "" if span.hour_angle_from_h is None else f" from {signed(span.hour_angle_from_h)} h"
        last = "" if span.hour_angle_until_h is None else f" to {signed(span.hour_angle_until_h)} h"
        told.append(f"hour angle{first}{last}")
    if span.may_overrun:
        told.append("the last frame may run past the end")
    return ", ".join(told)


def line_words(line: ExposureLine) -> str:
    """ "Ha 24 × 300 s, gain 100, while the moon is up"."""
    open_ended = line.as_long_as_it_lasts
    many = "" if open_ended else f"{line.count} {TIMES}"
    told = [" ".join(f"{line.filter} {many} {line.exposure_s:g} s".split())]
    told += ["as many as fit"] if open_ended else []
    told += [f"gain {line.gain}"] if line.gain is not None else []
    told += [f"offset {line.offset}"] if line.offset is not None else []
    told += [f"binned {line.binning} {TIMES} {line.binning}"] if line.binning > 1 else []
    told += [f"while the moon is {line.moon}"] if line.moon != "anywhere" else []
    told += ["switched off"] if line.off else []
    return ", ".join(told)


def _side(moment: SunMoment, which: str) -> str:
    named = f"{moment.moment} {which}"
    if not moment.minutes:
        return named
    return f"{abs(moment.minutes):g} min {'after' if moment.minutes > 0 else 'before'} {named}"


def _times(block: Block, rig: Rig, ahead: Forecast | None) -> str:
    steps = [s for s in ahead.of_block(block.id) if s.kind == "exposure"] if ahead is not None else []
    if not steps:
        return ""
    zone = ZoneInfo(rig.site.time_zone)

    def clock(at: datetime) -> str:
        return f"{at.astimezone(zone):%H:%M}"

    return f"  {clock(steps[0].begins)}–{clock(steps[-1].ends)}"


def _fits(line: ExposureLine, ahead: Forecast | None) -> str:
    told = next((x for x in ahead.lines if x.line == line.id), None) if ahead is not None else None
    if told is None:
        return ""
    if line.as_long_as_it_lasts:
        return f": {told.fitting} fit"
    return "" if told.fitting >= told.wanted else f": {told.fitting} of {told.wanted} fit"
