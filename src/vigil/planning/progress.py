"""How far a project is: hours against its goals, what is missing, and whether its season lasts for that."""

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, date, datetime, time, timedelta
from zoneinfo import ZoneInfo

import numpy as np
from numpy.typing import NDArray

from vigil.documents.filternames import filter_key
from vigil.documents.project import Goal, Project
from vigil.documents.rig import Rig
from vigil.sky.instants import unix_s
from vigil.sky.visibility import usable_hours, year_from

_RECENT_NIGHTS = 5
_USUAL_SHARE = 0.4
"""Of a night's usable hours that become kept ones, where a project has no nights of its own yet."""
_SEASON_DAYS = 365
_DARK_DEG = -18.0
_WORTH_GOING_H = 0.75
"""A night with less isn't one of the season's."""


@dataclass(frozen=True, slots=True)
class Counted:
    """Hours of a target (or panel) through a filter."""

    target: str
    filter: str
    kept_h: float = 0.0
    doubtful_h: float = 0.0
    rejected_h: float = 0.0
    frames: int = 0

    @property
    def taken_h(self) -> float:
        return self.kept_h + self.doubtful_h + self.rejected_h


@dataclass(frozen=True, slots=True)
class GoalProgress:
    """A goal over all panels: `wanted_h` and `least_h` are its panels' together."""

    goal: Goal
    kept_h: float
    doubtful_h: float
    taken_h: float
    least_h: float
    wanted_h: float

    @property
    def missing_h(self) -> float:
        """Until its range's end."""
        return max(0.0, self.wanted_h - self.kept_h)

    @property
    def met(self) -> bool:
        return self.kept_h >= self.least_h - 1e-6


@dataclass(frozen=True, slots=True)
class Season:
    """Usable dark hours of each of the coming nights; `first` is the evening of the first one. `ends` is the
    last evening of the stretch that runs now or comes next; None: it never sets for the year."""

    first: date
    hours: NDArray[np.float64]
    begins: date | None
    ends: date | None

    @property
    def left_h(self) -> float:
        """Usable hours of the present or next stretch."""
        last = _SEASON_DAYS if self.ends is None else (self.ends - self.first).days + 1
        return float(self.hours[:last].sum())


@dataclass(frozen=True, slots=True)
class Progress:
    """A project's standing. `nights_needed` at the recent yield; `in_time` whether the season lasts for
    them; None where that can't be said."""

    project: Project
    counted: tuple[Counted, ...]
    goals: tuple[GoalProgress, ...]
    by_filter: dict[str, Counted]
    last_evening: str
    nights: int
    recent_h: float | None
    nights_needed: int | None
    season: Season | None
    in_time: bool | None
    expected: date | None = None
    """When it will be finished if it goes on as it went; None where that can't be said, or not this year."""

    @property
    def missing_h(self) -> float:
        """Hours that the goals lack, none counted twice: a total takes in what its filters' own goals
        lack."""
        own = [g for g in self.goals if g.goal.filters]
        whole = [g for g in self.goals if not g.goal.filters]
        missing = sum(g.missing_h for g in own)
        return max([missing, *(g.missing_h for g in whole)])

    @property
    def kept_h(self) -> float:
        return sum(c.kept_h for c in self.counted)

    @property
    def taken_h(self) -> float:
        return sum(c.taken_h for c in self.counted)

    @property
    def done(self) -> bool:
        return all(goal.met for goal in self.goals)

    @property
    def words(self) -> str:
        """What is missing and whether there is time for it, in one sentence."""
        if self.missing_h <= 1e-6:
            return "all that was wanted is there"
        said = f"{self.missing_h:.1f} h are missing"
        if self.nights_needed is not None and self.recent_h:
            nights = f"{self.nights_needed} night{'s' if self.nights_needed != 1 else ''}"
            said += f", {nights} at the recent {self.recent_h:.1f} h a night"
        if self.season is not None:
            said += f"; {self._season_words()}"
        return said

    def _season_words(self) -> str:
        season = self.season
        assert season is not None
        if season.begins is None:
            return "it never stands high enough here in the dark"
        if season.begins > season.first:
            return f"its season begins on {_day(season.begins)}"
        if season.ends is None:
            return "it can be taken all year"
        verdict = {True: "that is in time", False: "not this year", None: ""}[self.in_time]
        return f"its season lasts until {_day(season.ends)}" + (f": {verdict}" if verdict else "")


def _day(day: date) -> str:
    return f"{day.day} {day:%b}"


def count_up(project: Project, rows: Iterable[tuple[str, str, str, str, int, float]]) -> list[Counted]:
    """A project's hours out of the ledger's (target, filter, rig, standing, frames, hours); filters that are
    spelt differently are one."""
    found: dict[tuple[str, str], Counted] = {}
    names: dict[str, str] = {}
    for name in (line.filter for line in project.lines):
        names.setdefault(filter_key(name), name)
    for target, through, rig, standing, frames, hours in rows:
        panel = project.panel_of(target)
        if panel is None or (project.rigs and rig not in project.rigs):
            continue
        name = names.setdefault(filter_key(through), through)
        one = found.get((panel, name), Counted(panel, name))
        found[panel, name] = Counted(
            panel,
            name,
            one.kept_h + (hours if standing == "kept" else 0.0),
            one.doubtful_h + (hours if standing == "doubtful" else 0.0),
            one.rejected_h + (hours if standing == "rejected" else 0.0),
            one.frames + frames,
        )
    return list(found.values())


def progress_of(
    project: Project,
    rows: Sequence[tuple[str, str, str, str, int, float]],
    evenings: Sequence[tuple[str, str, str, float]],
    rig: Rig | None = None,
    now: datetime | None = None,
) -> Progress:
    """`rows` as `count_up` takes them, `evenings` what each kept: (target, rig, evening, hours). With a rig
    and a moment also the season there."""
    counted = count_up(project, rows)
    panels = max(1, len(project.panels))
    goals = []
    for goal in project.goals:
        mine = [c for c in counted if goal.takes(c.filter)]
        # what one panel has over its goal is no help to another
        each = [sum(c.kept_h for c in mine if c.target == t.name) for t in project.targets]
        kept = sum(min(h, goal.wanted_h) if len(each) > 1 and not goal.open_ended else h for h in each)
        goals.append(
            GoalProgress(
                goal,
                kept,
                sum(c.doubtful_h for c in mine),
                sum(c.taken_h for c in mine),
                goal.least_h * panels,
                goal.wanted_h * panels,
            )
        )
    by_filter: dict[str, Counted] = {}
    for one in counted:
        there = by_filter.get(one.filter, Counted("", one.filter))
        by_filter[one.filter] = Counted(
            "",
            one.filter,
            there.kept_h + one.kept_h,
            there.doubtful_h + one.doubtful_h,
            there.rejected_h + one.rejected_h,
            there.frames + one.frames,
        )
    each_night: dict[str, float] = {}
    for target, of_rig, evening, hours in evenings:
        if project.panel_of(target) is not None and (not project.rigs or of_rig in project.rigs):
            each_night[evening] = each_night.get(evening, 0.0) + hours
    recent = [each_night[evening] for evening in sorted(each_night)[-_RECENT_NIGHTS:]]
    season = season_of(project, rig, now) if rig is not None and now is not None else None
    a_night: float | None = sum(recent) / len(recent) if recent and sum(recent) > 0 else None
    if (
        a_night is None
        and season is not None
        and (usable := season.hours[season.hours > _WORTH_GOING_H]).size
    ):
        a_night = _USUAL_SHARE * float(np.median(usable))
    made = Progress(
        project,
        tuple(counted),
        tuple(goals),
        by_filter,
        max(each_night, default=""),
        len(each_night),
        a_night,
        None,
        season,
        None,
    )
    needed = math.ceil(made.missing_h / a_night - 1e-9) if a_night else None
    in_time = expected = None
    if needed is not None and season is not None and season.begins is not None:
        expected = _expected(season, needed, _share_of_nights(sorted(each_night)))
        if season.ends is not None:
            in_time = expected is not None and expected <= season.ends
    return replace(made, nights_needed=needed, in_time=in_time, expected=expected)


def _expected(season: Season, needed: int, share: float) -> date | None:
    """After so many good nights, of which that share is used."""
    used = np.cumsum(np.where(season.hours > _WORTH_GOING_H, share, 0.0))
    there = np.flatnonzero(used >= needed - 1e-9)
    return season.first + timedelta(days=int(there[0])) if there.size else None


def _share_of_nights(evenings: list[str]) -> float:
    """How many of the nights gave anything, between its first one and its last; half of them where few are
    known."""
    if len(evenings) < 3:
        return 0.5
    span = (date.fromisoformat(evenings[-1]) - date.fromisoformat(evenings[0])).days + 1
    return min(1.0, len(evenings) / span)


def season_of(project: Project, rig: Rig, now: datetime) -> Season:
    """From the night that a moment belongs to, for a year: hours of astronomical darkness above the project's
    altitude and the rig's horizon."""
    zone = ZoneInfo(rig.site.time_zone)
    evening = (now.astimezone(zone) - timedelta(hours=12)).date()
    noon = datetime.combine(evening, time(12), zone).astimezone(UTC)
    year = year_from(unix_s(noon), _SEASON_DAYS, rig.site.place())
    target = project.targets[0]
    line = rig.site.sky_line(project.span.minimum_altitude_deg)
    hours = usable_hours(target.ra_deg, target.dec_deg, year, line, _DARK_DEG)
    good = hours > _WORTH_GOING_H
    if not good.any():
        return Season(evening, hours, None, None)
    first = int(np.argmax(good))
    after = np.flatnonzero(~good[first:])
    ends = None if not after.size else evening + timedelta(days=first + int(after[0]) - 1)
    return Season(evening, hours, evening + timedelta(days=first), ends)


def missing_by_filter(project: Project, counted: Sequence[Counted], panel: str) -> dict[str, float]:
    """Hours that one panel still wants, by filter: a filter's own goal first, what a group lacks shared among
    its filters, what a total lacks among all that have no goal of their own."""
    kept = {c.filter: c.kept_h for c in counted if c.target == panel}
    filters = list(dict.fromkeys([line.filter for line in project.lines]))
    for goal in project.goals:
        for name in goal.filters:
            if filter_key(name) not in {filter_key(f) for f in filters}:
                filters.append(name)
    missing: dict[str, float] = {}
    for goal in sorted(project.goals, key=lambda g: len(g.filters) or 99):
        mine = [f for f in filters if goal.takes(f)]
        lacking = goal.wanted_h - sum(h for f, h in kept.items() if goal.takes(f))
        lacking -= sum(missing.get(f, 0.0) for f in mine)
        free = [f for f in mine if f not in missing] or mine
        if lacking <= 0 or not free:
            for name in free:
                missing.setdefault(name, 0.0)
            continue
        # evenly: who has least gets most
        level = (lacking + sum(kept.get(f, 0.0) for f in free)) / len(free)
        wants = {f: max(0.0, level - kept.get(f, 0.0)) for f in free}
        total = sum(wants.values())
        for name, hours in wants.items():
            missing[name] = missing.get(name, 0.0) + hours * lacking / total
    return {name: hours for name, hours in missing.items() if hours > 1e-6}
