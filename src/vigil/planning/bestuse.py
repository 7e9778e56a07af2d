"""What tonight is best spent on: projects shared out over the night, and the plan that follows."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

import numpy as np
from numpy.typing import NDArray

from vigil.documents.filternames import same_filter
from vigil.documents.plan import Block, ExposureLine, NightPlan, SunMoment
from vigil.documents.project import Project
from vigil.documents.rig import Rig
from vigil.planning.forecast import Forecast
from vigil.planning.overheads import Overheads
from vigil.planning.patterns import with_own_ids
from vigil.planning.progress import Progress, missing_by_filter
from vigil.planning.spans import block_intervals, local_noon_before, site_time
from vigil.planning.spells import Interval
from vigil.scheduling.night import IDLE, Costs, Option, Shared, greedy, share_out
from vigil.sky.angles import separation_deg
from vigil.sky.bodies import moon_illumination, observe_moon
from vigil.sky.brightness import ORDINARY, moonlight, night_light
from vigil.sky.events import twilights
from vigil.sky.horizontal import air_mass, observe
from vigil.sky.instants import from_unix

Floats = NDArray[np.float64]
SLOT_MIN = 15
_LEAST_SLOTS = 2
"""A stretch is no shorter than half an hour: nobody wants a frame of each filter."""
_SLOT = timedelta(minutes=SLOT_MIN)
_NARROW_NM = 20.0
# how much of the noise is the dark sky's, where frames have not told: the rest is the camera's
_SKY_SHARE = {True: 0.45, False: 0.92}
_BEYOND_LEAST = 0.7
"""What hours beyond a range's begin, and of an open end, count against those that are missing."""
_NO_HURRY = 0.15
"""How much less the hours of a project count whose season is long."""
_EVEN = 0.1
"""How much less those of a panel that is ahead of the others."""
_OPEN_H = 3.0
_USUAL_S = {True: 300.0, False: 120.0}


@dataclass(frozen=True, slots=True)
class Stint:
    """A project's target through one filter, from when until when."""

    project: str
    target: str
    filter: str
    begins: datetime
    ends: datetime
    frames: int
    exposure_s: float
    useful_h: float
    reason: str


@dataclass(frozen=True, slots=True)
class Candidate:
    """What could be exposed: whose, what it is worth in each slot, and when it stands high enough."""

    project: Project
    target: str
    line: ExposureLine
    option: Option
    intervals: tuple[Interval, ...]
    narrow: bool


@dataclass(frozen=True, slots=True)
class BestUse:
    """The night shared out. `begins` are the slots'; `useful_h` hours weighed by altitude, moon and sky, and
    by how much they are missing: at most as many as are exposed."""

    stints: tuple[Stint, ...]
    candidates: tuple[Candidate, ...]
    begins: tuple[datetime, ...]
    useful_h: float
    useful_h_greedy: float
    proven: bool
    why_not: tuple[str, ...]
    """Projects that have no part in it, with the reason."""


def best_use(
    projects: Sequence[Progress], rig: Rig, at: datetime, overheads: Overheads, most_s: float = 5.0
) -> BestUse:
    """Of the night that a moment belongs to, with a rig's filters."""
    begins = _slots(rig, at)
    why_not: list[str] = []
    candidates: list[Candidate] = []
    for progress in projects:
        found, why = _candidates(progress, rig, at, begins, overheads)
        candidates += found
        if not found:
            why_not.append(f"{progress.project.name}: {why}")
    costs = _costs(candidates, overheads, rig)
    options = [c.option for c in candidates]
    slot_h = SLOT_MIN / 60
    if not options or not begins:
        return BestUse((), tuple(candidates), begins, 0.0, 0.0, True, tuple(why_not))
    simple = greedy(options, slot_h, costs, _LEAST_SLOTS)
    shared = share_out(options, slot_h, costs, most_s, _LEAST_SLOTS)
    stints = _stints(shared, candidates, begins, costs, rig, overheads)
    used = {stint.project for stint in stints}
    for progress in projects:
        name = progress.project.name
        if name not in used and any(c.project.name == name for c in candidates):
            why_not.append(f"{name}: the others are worth more tonight")
    return BestUse(
        tuple(stints),
        tuple(candidates),
        begins,
        shared.value,
        simple.value,
        shared.proven,
        tuple(why_not),
    )


def _slots(rig: Rig, at: datetime) -> tuple[datetime, ...]:
    """The begins of the slots that lie in nautical darkness, and not in the past."""
    dark = twilights(local_noon_before(at, rig.site.time_zone), rig.site.place()).lower_than("nautical")
    if dark is None:
        return ()
    first, last = max(dark[0], at), dark[1]
    count = int((last - first) / _SLOT)
    return tuple(first + k * _SLOT for k in range(max(0, count)))


def _candidates(
    progress: Progress, rig: Rig, at: datetime, begins: Sequence[datetime], overheads: Overheads
) -> tuple[list[Candidate], str]:
    """A project's targets and filters that lack something and can be had, or why there are none."""
    project = progress.project
    if project.paused:
        return [], "paused"
    if project.rigs and rig.id not in project.rigs:
        return [], f"not for {rig.name}"
    if not begins:
        return [], "it doesn't get dark"
    found: list[Candidate] = []
    lacking = barred = False
    wants = {t.name: _wanted(progress, t.name) for t in project.targets}
    most = max((sum(w.values()) for w in wants.values()), default=0.0)
    for target in project.targets:
        block = Block(id="trial", target=target, span=project.span, lines=[_trial()])
        intervals = block_intervals(block, rig, at)
        for through, hours in wants[target.name].items():
            lacking = True
            own = same_filter(through, rig.filter_names) if rig.filter_names else ""
            if own is None:
                barred = True
                continue
            narrow = _is_narrow(rig, own)
            worth = _worth(target.ra_deg, target.dec_deg, begins, intervals, rig, own)
            if not worth.any():
                continue
            behind = sum(wants[target.name].values()) / most if most > 0 else 1.0
            weight = _weight(progress, through) * (1 - _EVEN * (1 - behind))
            line = _line(project, own, narrow)
            option = Option(f"{target.name} {own}", target.name, worth, hours, weight)
            found.append(Candidate(project, target.name, line, option, intervals, narrow))
    if found:
        return found, ""
    if not lacking:
        return [], "all that was wanted is there"
    if barred:
        return [], f"{rig.name} has none of the filters that it lacks"
    return [], "not above its altitude in the dark tonight"


def _trial() -> ExposureLine:
    return ExposureLine(id="trial", exposure_s=1, count=1)


def _wanted(progress: Progress, target: str) -> dict[str, float]:
    wanted = missing_by_filter(progress.project, progress.counted, target)
    if wanted:
        return wanted
    # nothing is missing: more is welcome where a goal says so
    project = progress.project
    welcome = [goal for goal in project.goals if goal.open_ended]
    names = [line.filter for line in project.lines] or [f for goal in welcome for f in goal.filters]
    return {name: _OPEN_H for name in names if any(goal.takes(name) for goal in welcome)}


def _weight(progress: Progress, through: str) -> float:
    goals = [g for g in progress.goals if g.goal.takes(through)]
    weight = 1.0 if any(not goal.met for goal in goals) else _BEYOND_LEAST
    season = progress.season
    if season is not None and season.ends is not None and season.begins is not None and progress.recent_h:
        nights_left = max(1, (season.ends - max(season.first, season.begins)).days + 1)
        return weight * (1 - _NO_HURRY * (1 - min(1.0, (progress.nights_needed or 0) / (0.5 * nights_left))))
    return weight * (1 - _NO_HURRY)


def _is_narrow(rig: Rig, name: str) -> bool:
    return bool(rig.wheel and name and rig.wheel.filter(name).width_nm < _NARROW_NM)


def _line(project: Project, name: str, narrow: bool) -> ExposureLine:
    """As the project exposes this filter, else by what is usual."""
    mine = same_filter(name, [line.filter for line in project.lines])
    for line in project.lines:
        if mine is not None and line.filter == mine:
            return line.model_copy(update={"filter": name})
    return ExposureLine(id="line", filter=name, exposure_s=_USUAL_S[narrow], count=1)


def useful_share(
    ra_deg: float, dec_deg: float, begins: Sequence[datetime], rig: Rig, filter_name: str
) -> Floats:
    """What an hour at each moment counts for against one in the zenith under a moonless sky.

    To the same signal to noise an exposure takes B / S² long (Howell 2006, 4.4): S falls with the air's
    extinction, B is the sky's light with what the camera adds.
    """
    site = rig.site.place()
    instants = from_unix(np.array([moment.timestamp() + 30 * SLOT_MIN for moment in begins]))
    there, moon = observe(ra_deg, dec_deg, instants, site), observe_moon(instants, site)
    altitude = np.maximum(there.altitude_deg, 1.0)
    apart = separation_deg(moon.hour_angle_deg, moon.dec_deg, there.hour_angle_deg, there.dec_deg)
    extinction = ORDINARY.extinction_mag
    sky = night_light(altitude, there.azimuth_deg) + moonlight(
        moon_illumination(instants), apart, moon.altitude_deg, altitude, extinction
    )
    brighter = sky / night_light(90.0, 0.0)
    share = _SKY_SHARE[_is_narrow(rig, filter_name)]
    light = 10 ** (-0.4 * extinction * (air_mass(altitude) - 1))
    return np.asarray(np.minimum(1.0, light**2 / (1 - share + share * brighter)))


def _worth(
    ra_deg: float,
    dec_deg: float,
    begins: Sequence[datetime],
    intervals: Sequence[Interval],
    rig: Rig,
    filter_name: str,
) -> Floats:
    whole = np.array([any(i.opens <= t and t + _SLOT <= i.closes for i in intervals) for t in begins])
    if not whole.any():
        return np.zeros(len(begins))
    return np.asarray(np.where(whole, useful_share(ra_deg, dec_deg, begins, rig, filter_name), 0.0))


def _costs(candidates: Sequence[Candidate], overheads: Overheads, rig: Rig) -> Costs:
    """Of a stretch on another target: slew, centring, guiding and a focus run; what each frame takes beside
    its exposure as a share of the time."""
    target_s = overheads.slew_s + overheads.centre_s + overheads.guide_s + overheads.focus_s
    exposures = [c.line.exposure_s for c in candidates] or [1.0]
    beside_s = _beside_s(overheads, rig)
    share = float(np.mean([beside_s / (length + beside_s) for length in exposures]))
    return Costs(target_s / 3600, overheads.filter_s / 3600, share)


def _beside_s(overheads: Overheads, rig: Rig) -> float:
    # a dither every third frame, a focus run every hour and a half
    return rig.readout_s() + (overheads.dither_s + overheads.guide_s) / 3


def _stints(
    shared: Shared,
    candidates: Sequence[Candidate],
    begins: Sequence[datetime],
    costs: Costs,
    rig: Rig,
    overheads: Overheads,
) -> list[Stint]:
    stints: list[Stint] = []
    slot = 0
    while slot < len(shared.choice):
        k = shared.choice[slot]
        last = slot
        while last + 1 < len(shared.choice) and shared.choice[last + 1] == k:
            last += 1
        if k != IDLE:
            candidate = candidates[k]
            new_target = not stints or stints[-1].target != candidate.target or stints[-1].ends < begins[slot]
            lost_h = costs.target_h if new_target else costs.filter_h
            long_h = (last - slot + 1) * SLOT_MIN / 60 - lost_h
            each_s = candidate.line.exposure_s + _beside_s(overheads, rig)
            frames = int(
                min(long_h * 3600 / each_s, candidate.option.wanted_h * 3600 / candidate.line.exposure_s + 1)
            )
            frames = max(1, frames)
            worth = float(np.mean(candidate.option.worth[slot : last + 1]))
            exposed_h = frames * candidate.line.exposure_s / 3600
            stints.append(
                Stint(
                    candidate.project.name,
                    candidate.target,
                    candidate.line.filter,
                    begins[slot],
                    begins[last] + _SLOT,
                    frames,
                    candidate.line.exposure_s,
                    exposed_h * worth * candidate.option.weight,
                    _reason(candidate, candidates, slot, last, begins, rig),
                )
            )
        slot = last + 1
    return stints


def _reason(
    candidate: Candidate,
    candidates: Sequence[Candidate],
    slot: int,
    last: int,
    begins: Sequence[datetime],
    rig: Rig,
) -> str:
    """What speaks for it then, with its numbers."""
    said = []
    here = float(np.mean(candidate.option.worth[slot : last + 1]))
    closes = max(i.closes for i in candidate.intervals)
    opens = min(i.opens for i in candidate.intervals)
    dawn, dusk = begins[-1] + _SLOT, begins[0]
    if closes < dawn - _SLOT:
        said.append(f"it goes under its altitude at {site_time(closes, rig)}")
    elif opens > dusk + _SLOT:
        said.append(f"it stands high enough from {site_time(opens, rig)} on")
    others = [c for c in candidates if c.target == candidate.target and c is not candidate]
    if moon := _moon_words(candidate, slot, last, begins, rig, bool(others)):
        said.append(moon)
    said.append(f"an hour counts for {60 * here:.0f} min; {candidate.option.wanted_h:.1f} h are missing")
    return "; ".join(said)


def _moon_words(
    candidate: Candidate, slot: int, last: int, begins: Sequence[datetime], rig: Rig, others: bool
) -> str:
    instants = from_unix(np.array([m.timestamp() + 30 * SLOT_MIN for m in begins]))
    up = np.asarray(observe_moon(instants, rig.site.place()).altitude_deg > 0)
    lit = float(moon_illumination(instants)[0])
    if lit < 0.15 or not up.any() or up.all():
        return ""
    during = up[slot : last + 1].mean()
    if candidate.narrow and during > 0.5 and others:
        return f"narrowband while the moon is up ({100 * lit:.0f} % lit)"
    if not candidate.narrow and during < 0.5:
        return f"broadband while the moon is down ({100 * lit:.0f} % lit)"
    return ""


def into_plan(
    found: BestUse, plan: NightPlan, rig: Rig, progress: Mapping[str, Progress]
) -> tuple[NightPlan, list[str]]:
    """The plan with the night as it is shared out in place of its blocks that take the same targets, and a
    sentence for each that was replaced. Stretches on one target that follow each other become one block."""
    groups: list[list[Stint]] = []
    for stint in found.stints:
        if groups and groups[-1][-1].target == stint.target and groups[-1][-1].ends >= stint.begins:
            groups[-1].append(stint)
        else:
            groups.append([stint])
    said = []
    taken = {stint.target for stint in found.stints}
    blocks = []
    for block in plan.blocks:
        if block.target.name in taken:
            said.append(f"{block.target.name}: the block that was there is replaced")
        else:
            blocks.append(block)
    for group in groups:
        project = progress[group[0].project].project
        fresh = _block(group, project, rig)
        blocks.append(with_own_ids(fresh, plan.model_copy(update={"blocks": blocks})))
    return plan.model_copy(update={"blocks": blocks}), said


def _block(group: Sequence[Stint], project: Project, rig: Rig) -> Block:
    target = next(t for t in project.targets if t.name == group[0].target)
    frames: dict[str, int] = {}
    for stint in group:
        frames[stint.filter] = frames.get(stint.filter, 0) + stint.frames
    lines = [
        _line(project, name, _is_narrow(rig, name)).model_copy(
            update={"id": f"line-{n}", "count": count, "off": False, "as_long_as_it_lasts": False}
        )
        for n, (name, count) in enumerate(frames.items())
    ]
    zone = local_noon_before(group[0].begins, rig.site.time_zone).tzinfo
    edges = [moment.astimezone(zone).time().replace(second=0, microsecond=0)
             for moment in (group[0].begins, group[-1].ends)]  # fmt: skip
    span = project.span.model_copy(
        update={
            "opens": SunMoment(moment="nautical"),
            "closes": SunMoment(moment="nautical"),
            "from_clock": edges[0],
            "until_clock": edges[1],
        }
    )
    return Block(id="new", target=target, span=span, lines=lines, set_point_c=project.set_point_c)


def useful_hours_of(forecast: Forecast, plan: NightPlan, rig: Rig, found: BestUse) -> float:
    """What a plan's forecast comes to, weighed as the night that is shared out; what no project asks for
    counts in full."""
    weights = {(c.target, c.line.filter): c.option.weight for c in found.candidates}
    blocks = {block.id: block for block in plan.blocks}
    lines = {line.id: line for block in plan.blocks for line in block.lines}
    useful = 0.0
    steps = [s for s in forecast.steps if s.kind == "exposure"]
    for block_id in {s.block for s in steps}:
        target = blocks[block_id].target
        for line_id in {s.line for s in steps if s.block == block_id}:
            mine = [s for s in steps if s.block == block_id and s.line == line_id]
            middle = [s.begins - timedelta(minutes=SLOT_MIN / 2) + (s.ends - s.begins) / 2 for s in mine]
            share = useful_share(target.ra_deg, target.dec_deg, middle, rig, lines[line_id].filter)
            weight = weights.get((target.name, lines[line_id].filter), 1.0)
            useful += weight * float(
                np.sum(share * [(s.ends - s.begins).total_seconds() / 3600 for s in mine])
            )
    return useful
