"""What a night will come to: the plan played through with the same choice the engine makes."""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from vigil.documents.conditions import guides
from vigil.documents.plan import Block, ExposureLine, NightPlan
from vigil.documents.rig import Rig
from vigil.documents.steps import MustHold, TestExposure, WaitUntil
from vigil.planning.choice import Candidate, Finished, Wait, choose
from vigil.planning.flip import SIDEREAL_RATE, Next, decide, hour_angle_min, rule_for
from vigil.planning.overheads import Overheads, usual_overheads
from vigil.planning.spans import line_intervals
from vigil.planning.spells import Interval
from vigil.planning.waits import moment_of

_GUIDING = "guiding settled"
_MOST_STEPS = 20_000
_STOOD_LONG = timedelta(minutes=10)


@dataclass(frozen=True, slots=True)
class ForecastStep:
    """Something that takes its time: `kind` is "exposure", an activity's ("focus", "centre", "flip",
    "dither", "guide", "filter"), or a plan's step's ("wait", "test exposure")."""

    kind: str
    block: str
    line: str
    begins: datetime
    ends: datetime


@dataclass(frozen=True, slots=True)
class Ready:
    """What is met already: on a block's target, through a filter, focused when."""

    block: str
    filter: str
    focused_at: datetime | None
    side: str = ""
    """Of the pier; empty: as a slew to the block leaves it."""
    steps_done: frozenset[str] = frozenset()
    """Steps of the plan by their ids."""


@dataclass(frozen=True, slots=True)
class LineForecast:
    """How many of a line's frames fit, the ones there are already counted in."""

    line: str
    wanted: int
    fitting: int


@dataclass(frozen=True, slots=True)
class Forecast:
    """The night ahead. `ends` is when the last frame is read out; None when none can be taken."""

    steps: tuple[ForecastStep, ...]
    lines: tuple[LineForecast, ...]
    spans: Mapping[str, tuple[Interval, ...]]
    begins: datetime | None
    ends: datetime | None
    because: str

    @property
    def exposure_s(self) -> float:
        """Shutter open, in all."""
        return sum((s.ends - s.begins).total_seconds() for s in self.steps if s.kind == "exposure")

    @property
    def frames(self) -> int:
        return sum(1 for step in self.steps if step.kind == "exposure")

    @property
    def lost(self) -> tuple[LineForecast, ...]:
        """The lines that don't fit whole."""
        return tuple(line for line in self.lines if line.fitting < line.wanted)

    def of_block(self, block_id: str) -> tuple[ForecastStep, ...]:
        return tuple(step for step in self.steps if step.block == block_id)


def forecast(
    plan: NightPlan,
    rig: Rig,
    at: datetime,
    taken: Mapping[str, int] | None = None,
    given_up: Collection[str] = (),
    ready: Ready | None = None,
    first: str = "",
    overheads: Overheads | None = None,
) -> Forecast:
    """Play the plan from a moment on, with `taken` frames of each line there already.

    A block's conditions are met before it opens; going over to another block in the middle of the night,
    another filter, and refocusing after the standing orders' minutes cost the time of `overheads` (those of
    the rig's own nights, see overheads_of; else those of its document). In mid-night `ready` says what needs
    no time any more.
    """
    spans = line_intervals(plan, rig, at)
    run = _Run(plan, rig, spans, dict(taken or {}), given_up, at, ready or Ready("", "", None), first)
    run.takes = overheads or run.takes
    because = run.to_the_end()
    exposures = [step for step in run.steps if step.kind == "exposure"]
    lines = tuple(
        _line_forecast(line, run.taken.get(line.id, 0))
        for block in plan.blocks
        for line in block.active_lines
    )
    readout = timedelta(seconds=rig.readout_s())
    return Forecast(
        steps=tuple(run.steps),
        lines=lines,
        spans=spans,
        begins=exposures[0].begins if exposures else None,
        ends=exposures[-1].ends + readout if exposures else None,
        because=because,
    )


def _line_forecast(line: ExposureLine, fitting: int) -> LineForecast:
    """A line that takes what time there is wants just what fits."""
    if line.as_long_as_it_lasts:
        return LineForecast(line.id, fitting, fitting)
    return LineForecast(line.id, line.count, min(line.count, fitting))


class _Run:
    """The plan under way, in a clock of its own."""

    def __init__(
        self,
        plan: NightPlan,
        rig: Rig,
        spans: Mapping[str, Sequence[Interval]],
        taken: dict[str, int],
        given_up: Collection[str],
        at: datetime,
        ready: Ready,
        first: str,
    ) -> None:
        self.steps: list[ForecastStep] = []
        self.takes = usual_overheads(rig)
        self.taken = taken
        self._plan, self._rig, self._spans, self._given_up = plan, rig, spans, given_up
        self._first = first
        self._now = at
        self._block = self._exposed = ready.block
        self._filter = ready.filter
        self._focused_at = ready.focused_at
        self._side_of = ready.side
        self._since_dither = self._since_focus = 0
        self._focused_for = ("", "")
        self._hour_angles: dict[str, tuple[float, datetime]] = {}
        self._flip_rule = rule_for(rig)
        self._steps_done = set(ready.steps_done)
        self._guided = bool(ready.block)
        self._guides = guides(rig) and not any(c.name == _GUIDING and c.off for c in plan.conditions)
        self._kept: Candidate | None = None
        self._kept_until = at

    def to_the_end(self) -> str:
        while len(self.steps) < _MOST_STEPS:
            choice = self._choice(self._now)
            if isinstance(choice, Finished):
                return choice.because
            if isinstance(choice, Wait):
                self._now = choice.until
                # time enough to get ready before a span opens
                self._block, self._focused_at = self._following(choice.until), choice.until
                self._side_of, self._guided = "", True
                continue
            if not self._stepped(choice) and not self._made_ready(choice):
                self._expose(choice)
        return f"more than {_MOST_STEPS} steps"

    def _choice(self, at: datetime) -> Candidate | Wait | Finished:
        """As the engine makes it, but only where it can be another one than the last: half of the time."""
        if self._kept is not None and self._still(self._kept, at):
            return self._kept
        made = choose(
            self._plan,
            self._spans,
            lambda line: self.taken.get(line, 0),
            self._given_up,
            at,
            first=self._first,
            current=self._exposed,
        )
        self._kept = None
        if isinstance(made, Candidate) and made.opens <= at and made.block.order == "one after another":
            opening = (i.opens for spans in self._spans.values() for i in spans if i.opens > at)
            self._kept, self._kept_until = made, min(opening, default=made.closes)
        return made

    def _still(self, last: Candidate, at: datetime) -> bool:
        """Whether the last choice is the next one too: its line wants more, its frame fits, and nothing has
        opened since."""
        length_s = 0.0 if last.block.span.may_overrun else last.line.exposure_s
        return (
            at < self._kept_until
            and at < last.closes
            and at + timedelta(seconds=length_s) <= last.closes
            and last.line.wants_more(self.taken.get(last.line.id, 0))
        )

    def _following(self, at: datetime) -> str:
        choice = self._choice(at)
        if not isinstance(choice, Candidate):
            return ""
        self._filter = choice.line.filter
        return choice.block.id

    def _stepped(self, candidate: Candidate) -> bool:
        """Do the plan's next step, of the opening or of the block, if one is left. A question is answered at
        once, and a program over at once: neither can be foreseen."""
        opening = [item for item in self._plan.opening if not isinstance(item, MustHold)]
        left = [s for s in (*opening, *candidate.block.steps) if not s.off and s.id not in self._steps_done]
        if not left:
            return False
        step = left[0]
        self._steps_done.add(step.id)
        if isinstance(step, TestExposure):
            self._spend(step.kind, candidate, step.exposure_s + self._rig.readout_s(step.binning))
        elif isinstance(step, WaitUntil):
            until = moment_of(step, self._rig.site, self._now)
            if until is not None and until > self._now:
                waits = until - self._now
                self._spend(step.kind, candidate, waits.total_seconds())
                if waits > _STOOD_LONG:  # the mount stood meanwhile: it slews and centres again
                    self._block = ""
        return True

    def _made_ready(self, candidate: Candidate) -> bool:
        """Do the first thing that is missing, if any; then the choice is made anew, as the engine does."""
        block, line = candidate.block, candidate.line
        if self._block != block.id:
            self._spend("centre", candidate, self.takes.slew_s + self.takes.centre_s)
            self._block, self._side_of, self._guided = block.id, "", False
        elif self._flips(candidate):
            recentred = block.orders_in(self._plan.orders).centre_after_flip
            self._spend("flip", candidate, self.takes.flip_s + (self.takes.centre_s if recentred else 0.0))
            self._guided = False
        elif self._focus_due(candidate):
            self._spend("focus", candidate, self.takes.focus_s)
            self._focused_at, self._focused_for = self._now, (block.id, line.filter)
            self._since_focus = 0
        elif self._dithers(block):
            self._spend("dither", candidate, self.takes.dither_s)
            self._since_dither, self._guided = 0, False
        elif self._filter != line.filter:
            self._spend("filter", candidate, self.takes.filter_s)
            self._filter = line.filter
        elif self._guides and not self._guided:
            self._spend("guide", candidate, self.takes.guide_s)
            self._guided = True
        else:
            return False
        return True

    def _focus_due(self, candidate: Candidate) -> bool:
        """By the orders that time alone decides; temperature and star sizes can't be foreseen."""
        if self._focused_at is None:
            return True
        orders = candidate.block.orders_in(self._plan.orders)
        block, name = self._focused_for
        every, limit = orders.focus_every_frames, orders.focus_every_min
        return (
            (limit is not None and self._now - self._focused_at > timedelta(minutes=limit))
            or (every is not None and self._since_focus >= every)
            or (orders.focus_at_new_target and block not in ("", candidate.block.id))
            or (orders.focus_at_filter_change and name not in ("", candidate.line.filter))
        )

    def _dithers(self, block: Block) -> bool:
        every = block.orders_in(self._plan.orders).dither_every(block)
        return every is not None and self._since_dither >= every

    def _flips(self, candidate: Candidate) -> bool:
        """Whether the mount must change sides before the next frame; waits for its window where it is
        shut."""
        rule = self._flip_rule
        if rule is None:
            return False
        block, line = candidate.block, candidate.line
        if block.id not in self._hour_angles:
            here = hour_angle_min(block.target.ra_deg, block.target.dec_deg, self._rig, self._now)
            self._hour_angles[block.id] = here, self._now
        then, at = self._hour_angles[block.id]
        here = then + (self._now - at).total_seconds() / 60 * SIDEREAL_RATE
        here -= 1440 if here > 720 else 0
        # slewed to after the meridian, it is on the right side from the beginning
        if self._side_of == "" or abs(here) > 360:
            self._side_of = "west" if here < 0 else "east"
        if self._side_of == "east":
            return False
        told = decide(rule, here, line.exposure_s + self._rig.readout_s(line.binning))
        if told.next is Next.SHOOT:
            return False
        self._now += timedelta(minutes=told.wait_min)
        self._side_of = "east"
        return True

    def _expose(self, candidate: Candidate) -> None:
        line, self._exposed = candidate.line, candidate.block.id
        self._spend("exposure", candidate, line.exposure_s)
        self._now += timedelta(seconds=self._rig.readout_s(line.binning))
        self.taken[line.id] = self.taken.get(line.id, 0) + 1
        self._since_dither += 1
        self._since_focus += 1

    def _spend(self, kind: str, candidate: Candidate, seconds: float) -> None:
        ends = self._now + timedelta(seconds=seconds)
        self.steps.append(ForecastStep(kind, candidate.block.id, candidate.line.id, self._now, ends))
        self._now = ends
