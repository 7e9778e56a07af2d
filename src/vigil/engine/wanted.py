"""A frame that somebody wants exposed: what conditions and activities have to know of it, whoever asks."""

from dataclasses import dataclass
from datetime import datetime
from typing import Literal

from vigil.devices.protocols import Exposure
from vigil.documents.plan import Block, ExposureLine, NightPlan, StandingOrders
from vigil.documents.rig import Rig
from vigil.planning.choice import Candidate

FrameKind = Literal["light", "flat", "dark", "dark flat", "bias", "trial"]


@dataclass(frozen=True, slots=True)
class Place:
    """Where in the sky (ICRS), and the angle of the camera's rows where one is wanted."""

    name: str
    ra_deg: float
    dec_deg: float
    position_angle_deg: float | None = None


@dataclass(frozen=True, slots=True)
class Wanted:
    """What is None is not asked for: no place means wherever the telescope is, no moment means any.

    `subject` is what pointing, focus and dithers are remembered for (a block's id), `series` the frames
    that it is compared with (a line's id).
    """

    kind: FrameKind
    why: str
    """In words, what it is for."""
    subject: str
    series: str
    exposure: Exposure
    filter: str = ""
    set_point_c: float | None = None
    place: Place | None = None
    opens: datetime | None = None
    closes: datetime | None = None
    may_overrun: bool = False
    """Whether it may end after `closes`."""
    dither_every: int | None = None
    """Dithered after so many frames."""

    @property
    def placed(self) -> Place:
        """The place, of one that has one: conditions without which it is nowhere are asked of those only."""
        assert self.place is not None, "asked of frames of a place only"
        return self.place


def light_exposure(rig: Rig, line: ExposureLine) -> Exposure:
    """A line's exposure."""
    return Exposure(line.exposure_s, *line.settings_on(rig), line.binning)


def light_wanted(candidate: Candidate, rig: Rig, plan: NightPlan) -> Wanted:
    """A plan's next light."""
    block, line, target = candidate.block, candidate.line, candidate.block.target
    return Wanted(
        kind="light",
        why=f"{target.name} · {line.words}",
        subject=block.id,
        series=line.id,
        exposure=light_exposure(rig, line),
        filter=line.filter,
        set_point_c=block.set_point_on(rig),
        place=Place(target.name, target.ra_deg, target.dec_deg, target.position_angle_deg),
        opens=candidate.opens,
        closes=candidate.closes,
        may_overrun=block.span.may_overrun,
        dither_every=orders_for(block, plan).dither_every(block),
    )


def orders_for(block: Block, plan: NightPlan) -> StandingOrders:
    """The plan's, with the block's own limits in place of them."""
    return block.orders_in(plan.orders)
