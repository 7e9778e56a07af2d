"""Projects: what is wanted of one target over many nights."""

import re
from pathlib import Path
from typing import Annotated, ClassVar

from pydantic import Field, model_validator

from vigil.documents.filternames import filter_key
from vigil.documents.limited import PLAIN_TEXT
from vigil.documents.namedfiles import NamedFiles
from vigil.documents.piece import Piece
from vigil.documents.plan import ExposureLine, Span, Target
from vigil.documents.store import Document

_Hours = Annotated[float, Field(gt=0, le=10_000)]
_GOAL = re.compile(
    r"(?P<what>.+?)\s+(?P<least>\d+(?:\.\d+)?)\s*"
    r"(?:(?:-|–|\.\.|to)\s*(?P<most>\d+(?:\.\d+)?)\s*)?h(?P<open>\s+or\s+more|\s*\+)?"
)
TOTAL = "total"


class Goal(Piece):
    """So many hours through a filter, through several together, or (no filter named) in total. With `most_h`
    a range; open-ended when more is always welcome. Of a mosaic each panel has it."""

    filters: list[Annotated[str, Field(max_length=40)]] = []  # noqa: RUF012
    least_h: _Hours
    most_h: _Hours | None = None
    open_ended: bool = False

    @model_validator(mode="after")
    def _range(self) -> "Goal":
        if self.most_h is not None and self.most_h < self.least_h:
            raise ValueError(f"from {self.least_h:g} to {self.most_h:g} h runs backwards")
        return self

    @property
    def name(self) -> str:
        """ "Ha", "R+G+B", "total"."""
        return "+".join(self.filters) or TOTAL

    @property
    def words(self) -> str:
        """As it is written: "Ha 10 h", "O3 8-12 h", "L 5 h or more"."""
        upto = f"-{self.most_h:g}" if self.most_h is not None else ""
        return f"{self.name} {self.least_h:g}{upto} h{' or more' if self.open_ended else ''}"

    @property
    def wanted_h(self) -> float:
        """What is planned for: of a range its end."""
        return self.most_h or self.least_h

    def takes(self, filter_name: str) -> bool:
        """Whether frames through a filter are counted, however its name is spelt."""
        return not self.filters or filter_key(filter_name) in {filter_key(name) for name in self.filters}


def parse_goals(text: str) -> list[Goal]:
    """ "Ha 10 h; O3 8-12 h; R+G+B 6 h; total 30 h or more". Raises ValueError with what would be right."""
    goals: list[Goal] = []
    for part in filter(None, (piece.strip() for piece in text.split(";"))):
        found = _GOAL.fullmatch(part)
        if found is None:
            raise ValueError(
                f"{part!r} is no goal: write a filter and hours, as Ha 10 h, O3 8-12 h, R+G+B 6 h, total 30 h"
            )
        names = [name.strip() for name in found["what"].split("+") if name.strip()]
        if [name.casefold() for name in names] == [TOTAL]:
            names = []
        least, most = float(found["least"]), found["most"]
        if not least > 0:
            raise ValueError(f"{part!r}: a goal is more than 0 h")
        goals.append(
            Goal(filters=names, least_h=least, most_h=float(most) if most else None,
                 open_ended=bool(found["open"]))
        )  # fmt: skip
    if not goals:
        raise ValueError("a project needs a goal, as Ha 10 h; O3 8 h")
    return goals


def goals_text(goals: list[Goal]) -> str:
    return "; ".join(goal.words for goal in goals)


_Share = Annotated[float, Field(gt=0, le=100)]


class VerdictLimits(Piece):
    """When a light is doubtful; None asks nothing. Each is against what its night and project let expect."""

    grown_percent: _Share | None = 30.0
    """Stars larger by this."""
    fewer_percent: Annotated[float, Field(gt=0, lt=100)] | None = 30.0
    """Stars fewer by this: cloud or dew."""
    longer: Annotated[float, Field(gt=0, le=5)] | None = 0.12
    """Stars longer by this, of their width."""
    brighter_percent: Annotated[float, Field(gt=0, le=1000)] | None = 25.0
    """Background brighter by this than the frames around."""
    guide_arcsec: Annotated[float, Field(gt=0, le=60)] | None = None
    """Guide star's rms; None: half again as much as the night's."""
    trails: bool = True
    """Whether a trail across a frame makes it doubtful."""


class Panel(Piece):
    """A part of a mosaic, by the name that its frames carry."""

    name: Annotated[str, Field(min_length=1, max_length=120, pattern=PLAIN_TEXT)]
    ra_deg: Annotated[float, Field(ge=0, lt=360)]
    dec_deg: Annotated[float, Field(ge=-90, le=90)]
    earlier_names: list[str] = []  # noqa: RUF012


class Project(Document):
    """A goal for one target. `rigs` are ids, none: any rig's frames count. `lines` are how each filter is
    exposed (their counts say nothing); `earlier_names` what the target was called in frames before."""

    KIND: ClassVar[str] = "project"
    SCHEMA: ClassVar[int] = 1

    name: Annotated[str, Field(min_length=1, max_length=120, pattern=PLAIN_TEXT)]
    target: Target
    panels: list[Panel] = []  # noqa: RUF012
    rigs: list[str] = []  # noqa: RUF012
    goals: Annotated[list[Goal], Field(min_length=1)]
    lines: list[ExposureLine] = []  # noqa: RUF012
    set_point_c: Annotated[float, Field(ge=-60, le=40)] | None = None
    span: Span = Span()
    limits: VerdictLimits = VerdictLimits()
    earlier_names: list[str] = []  # noqa: RUF012
    paused: bool = False
    """Not looked at for tonight."""
    note: str = ""

    @property
    def targets(self) -> list[Target]:
        """What is pointed at: the target, or its panels."""
        if not self.panels:
            return [self.target]
        angle = self.target.position_angle_deg
        return [
            Target(name=p.name, ra_deg=p.ra_deg, dec_deg=p.dec_deg, position_angle_deg=angle)
            for p in self.panels
        ]

    def panel_of(self, frame_target: str) -> str | None:
        """The name of the target or panel that a frame belongs to; None where it isn't this project's."""
        small = frame_target.strip().casefold()
        for panel in self.panels:
            if small in {name.casefold() for name in (panel.name, *panel.earlier_names)}:
                return panel.name
        if small in {name.casefold() for name in (self.target.name, *self.earlier_names)}:
            return self.target.name
        return None

    @property
    def frame_names(self) -> list[str]:
        """Every name that its frames may carry."""
        of_panels = [name for p in self.panels for name in (p.name, *p.earlier_names)]
        return list(dict.fromkeys([self.target.name, *self.earlier_names, *of_panels]))

    def goals_of(self, filter_name: str) -> list[Goal]:
        return [goal for goal in self.goals if goal.takes(filter_name)]

    def renamed(self, name: str) -> "Project":
        """Under another target's name: new frames carry it, and those that are there keep theirs and count
        on. Panels that are called after the target are called after the new one."""
        old = self.target.name

        def anew(panel: Panel) -> Panel:
            if not panel.name.startswith(old):
                return panel
            earlier = [*panel.earlier_names, panel.name]
            return panel.model_copy(
                update={"name": name + panel.name[len(old) :], "earlier_names": list(dict.fromkeys(earlier))}
            )

        earlier = [one for one in dict.fromkeys([*self.earlier_names, old]) if one != name]
        return self.model_copy(
            update={
                "target": self.target.model_copy(update={"name": name}),
                "panels": [anew(panel) for panel in self.panels],
                "earlier_names": earlier,
            }
        )


class Projects(NamedFiles[Project]):
    """A folder with a file a project."""

    def __init__(self, folder: Path) -> None:
        super().__init__(folder, Project, "project")
