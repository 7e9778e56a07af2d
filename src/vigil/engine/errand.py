"""What the keeper carries out: the contract of every errand, and those that are done in one go."""

import asyncio
import logging
from abc import ABC, abstractmethod
from collections.abc import Awaitable, Callable, Iterable, Mapping
from dataclasses import dataclass, replace
from datetime import datetime
from pathlib import Path
from typing import Any, ClassVar

from vigil.devices.errors import DeviceError
from vigil.documents.errands import ErrandState, Outcome, Question, fold
from vigil.documents.events import Event, Kind
from vigil.documents.night import NotAllowed
from vigil.documents.rig import Rig
from vigil.engine.activity import ActivityFailed, Kit
from vigil.engine.arbiter import Arbiter, Claims, Lease, Urgency, used
from vigil.engine.ending import to_the_end
from vigil.engine.measuring import MeasuringFailed
from vigil.engine.progress import Progress
from vigil.engine.questions import Questions
from vigil.engine.recorder import Recorder
from vigil.files.names import evening_date
from vigil.ledger.ledger import Ledger
from vigil.ledger.store import LedgerError
from vigil.runtime.clock import Clock
from vigil.runtime.workshop import Workshop

log = logging.getLogger(__name__)

ErrandRecorder = Recorder[ErrandState]


class ErrandRefused(ValueError):
    """It can't be begun now; the message says why."""


async def nothing_disturbed(device: str, action: str, unknown: tuple[str, ...], words: str) -> None:
    """Where no night is."""


@dataclass(frozen=True, slots=True)
class Workplace:
    """What errands are given by the keeper."""

    kit: Callable[[], Kit]
    """The rig as it is in force now."""
    arbiter: Arbiter
    workshop: Workshop
    folder: Path
    """For frames that belong to no night."""
    sample: Callable[[str, str, dict[str, Any]], None] = lambda errand, stream, values: None
    """Takes what comes too often for events: to the stream of an errand."""
    calibration: Path | None = None
    """For calibration frames; None: beside those that belong to no night."""
    disturbed: Callable[[str, str, tuple[str, ...], str], Awaitable[None]] = nothing_disturbed
    """Hears what a night doesn't know any more: device, what was done, what is unknown, in words."""
    looked_in: tuple[Path, ...] = ()
    """Where lights, and frames from before, are."""


def errand_recorder(name: str, ledger: Ledger, clock: Clock) -> ErrandRecorder:
    """For an errand of any kind but a night."""
    return Recorder(name, ledger, clock, ErrandState(), fold)


class Errand(ABC):
    """Anything that the keeper carries out. Several may be under way at once; the arbiter says who has which
    device."""

    KIND: ClassVar[str]
    URGENCY: ClassVar[Urgency]
    HURRIES: ClassVar[bool] = False
    """Whether simulated time may run faster meanwhile: what goes on by itself for hours."""

    progress: Progress
    """How far what is under way has got; for people only."""
    questions: Questions

    @property
    @abstractmethod
    def id(self) -> str:
        """As in the ledger."""

    @property
    @abstractmethod
    def words(self) -> str:
        """What is being done, for people: "focuser to 6000"."""

    @property
    @abstractmethod
    def claims(self) -> frozenset[str]:
        """Devices that it has, or waits for, until it is over; one that takes and gives them back meanwhile
        has none here."""

    @property
    @abstractmethod
    def because(self) -> str:
        """How it goes, or why, in a sentence."""

    @property
    @abstractmethod
    def over(self) -> bool:
        """Whether it has ended, on record as far as that could be written."""

    @property
    @abstractmethod
    def began(self) -> datetime | None: ...

    @property
    @abstractmethod
    def open_questions(self) -> Mapping[int, Question]: ...

    @abstractmethod
    async def run(self) -> None:
        """Carry it out to its end, which is on record then. Cancelled, it leaves its devices safe first."""

    @abstractmethod
    def stop(self, why: str) -> str:
        """A person, or somebody more urgent, wants it to end; returns in words what follows."""

    def wants_daylight(self, now: datetime) -> bool:
        """Whether things may stand open for it by day."""
        return False

    def tell(self, values: dict[str, Any]) -> str:
        """A person wants something of it while it is under way; returns in words what follows. Raises
        NotAllowed for what it doesn't know."""
        raise NotAllowed(f"{self.words}: it takes no orders")


class PlainErrand(Errand):
    """One that claims its devices once, works with them, and is over.

    A new kind is a class with `KIND`, `URGENCY`, `work` and `asked_for` in a module of `engine/errands/`.
    """

    MUST: ClassVar[bool] = False
    """Whether it is done though the ledger can't be written."""
    RECORD_LIMIT_S: ClassVar[float] = 2.0
    """What must be done waits so long for its beginning to be on record."""
    SETS_ASIDE: ClassVar[frozenset[str]] = frozenset()
    """Kinds of errands that are stopped when it begins, and begun again as they were once it is over."""
    RESUMES: ClassVar[bool] = False
    """Whether it goes on after a crash, with what `goes_on` makes of its events."""
    GRACE_S: ClassVar[float] = 0.0
    """What it needs to leave things well when somebody more urgent wants its devices."""

    def __init__(
        self,
        place: Workplace,
        recorder: ErrandRecorder,
        words: str,
        claims: Claims | frozenset[str],
        asked: str = "",
        given: Mapping[str, Any] | None = None,
    ) -> None:
        self._place, self._recorder = place, recorder
        self._words = words
        self._claims: Claims = claims if isinstance(claims, Mapping) else used(claims)
        self._asked, self._given = asked, dict(given or {})
        self._task: asyncio.Task[object] | None = None
        self._stopped = ""
        self.outcome: Outcome | None = None
        """How it went, also where that could not be written."""
        self._reason = ""
        self._telling: set[asyncio.Task[None]] = set()
        self.begun = asyncio.Event()
        self.progress = Progress()
        self.questions = Questions(self._record, recorder.clock)

    @classmethod
    def asked_for(
        cls, place: Workplace, recorder: ErrandRecorder, asked: str, values: dict[str, Any]
    ) -> "PlainErrand":
        """Made of what a client asks. Raises ErrandRefused; kinds that nobody can ask for refuse always."""
        raise ErrandRefused(f"{cls.KIND} can't be asked for")

    @classmethod
    def goes_on(cls, given: dict[str, Any], events: Iterable[Event]) -> dict[str, Any]:
        """With what it is begun again after a crash, out of what it was given and its events."""
        return given

    @property
    def id(self) -> str:
        return self._recorder.errand

    @property
    def words(self) -> str:
        return self._words

    @property
    def given(self) -> Mapping[str, Any]:
        """What it was asked for with."""
        return self._given

    @property
    def claims(self) -> frozenset[str]:
        return frozenset(self._claims)

    @property
    def state(self) -> ErrandState:
        return self._recorder.state

    @property
    def because(self) -> str:
        return self._reason or self.state.reason

    @property
    def over(self) -> bool:
        return self.outcome is not None or self.state.over

    @property
    def began(self) -> datetime | None:
        return self.state.began

    @property
    def open_questions(self) -> Mapping[int, Question]:
        return self.state.questions

    @abstractmethod
    async def work(self, kit: Kit) -> dict[str, Any]:
        """Do it. Returns the numbers of its end, and with "summary" its last sentence. Raises what activities
        raise."""

    def yield_to(self, why: str) -> None:
        """Somebody more urgent wants its devices: end by yourself within `GRACE_S`, or be cancelled then. Not
        asked of those that need no time for it."""

    def stop(self, why: str) -> str:
        self._stopped = why
        if self._task is not None:
            self._task.cancel()
        return f"{self.words}: stopping"

    async def run(self) -> None:
        """Never raises: how it went is in its state, and on record as far as that can be written."""
        self._task = asyncio.current_task()
        began, outcome, reason, figures = self._now(), Outcome.DONE, "", {}
        lease: Lease | None = None
        try:
            await self._begin()
            async with self._place.arbiter.claim(
                self._claims,
                self.words,
                self.URGENCY,
                yields=self.yield_to if self.GRACE_S else None,
                grace_s=self.GRACE_S,
            ) as lease:
                figures = await self.work(self._kit())
                reason = str(figures.pop("summary", ""))
        except asyncio.CancelledError:
            gave_way = lease.gave_way if lease is not None else ""
            outcome = Outcome.STOPPED
            reason = f"gave way: {gave_way}" if gave_way else self._stopped or "stopped"
            reason += "" if lease is not None else " before it began"
        except (DeviceError, ActivityFailed, MeasuringFailed, ErrandRefused, LedgerError, OSError) as problem:
            outcome, reason = Outcome.FAILED, str(problem)
            figures = problem.figures if isinstance(problem, ActivityFailed) else {}
        except Exception as problem:
            log.exception("%s failed", self.words)
            outcome, reason = Outcome.FAILED, f"an error in Vigil: {problem or type(problem).__name__}"
        self.progress.clear()
        self.begun.set()
        took_s = round((self._now() - began).total_seconds(), 1)
        await to_the_end(self._end(outcome, reason, {**figures, "outcome": outcome.value, "took_s": took_s}))

    async def _end(self, outcome: Outcome, reason: str, values: dict[str, Any]) -> None:
        """Not cut short by anything: what has ended is on record as ended."""
        self._reason = reason
        await self.before_its_end(reason)
        await self._recorder.record_if_possible(Kind.ERRAND_ENDED, values, reason)
        self.outcome = outcome

    async def before_its_end(self, reason: str) -> None:
        """What others have to know before anybody hears that it is over. Never raises."""

    def _now(self) -> datetime:
        return self._recorder.clock.utcnow()

    def _kit(self) -> Kit:
        return replace(self._place.kit(), progress=self.progress, step=self.step, questions=self.questions)

    async def step(self, values: dict[str, Any], reason: str) -> None:
        """Tell how far it is: numbers of its own and a sentence."""
        await self._record(Kind.ERRAND_STEP, values, reason)

    def sample(self, stream: str, values: dict[str, Any]) -> None:
        """What comes too often for events."""
        self._place.sample(self.id, stream, values)

    async def _record(self, kind: Kind, values: dict[str, Any], reason: str) -> Event | None:
        if self.MUST:
            return await self._recorder.record_if_possible(kind, values, reason)
        return await self._recorder.record(kind, values, reason)

    async def _begin(self) -> None:
        beginning = asyncio.ensure_future(self._record_beginning())
        if self.MUST:
            # a disk that hangs must not keep a roof open; the order of its events stays what it is
            self._telling.add(beginning)
            beginning.add_done_callback(self._telling.discard)
            await asyncio.wait({beginning}, timeout=self.RECORD_LIMIT_S)
        else:
            await beginning
        self.begun.set()

    async def _record_beginning(self) -> None:
        rig = self._place.kit().rig
        values = {
            "kind": self.KIND,
            "rig_id": rig.id,
            "evening": evening_of(rig, self._now()),
            "words": self.words,
            "claims": sorted(self.claims),
            "asked": self._asked,
            "given": self._given,
        }
        await self._record(Kind.ERRAND_STARTED, values, self.words)


def evening_of(rig: Rig, now: datetime) -> str:
    """The date under which what is done now is kept."""
    return evening_date(now, rig.site.time_zone)
