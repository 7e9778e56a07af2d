"""What a client and the keeper say to each other."""

from datetime import datetime
from enum import StrEnum
from typing import Any

from pydantic import BaseModel, ConfigDict

PROTOCOL = 3
SLOWEST, FASTEST = 1.0, 1000.0
"""How fast simulated time may run, times real time."""


class Message(BaseModel):
    """Base of messages: JSON objects on the socket."""

    model_config = ConfigDict(frozen=True, defer_build=True)


class Command(StrEnum):
    """What a client may ask for."""

    START = "start"
    HOLD = "hold"
    STOP = "stop"
    """Everything stands still at once; a night is held."""
    RESUME = "resume"
    END = "end"
    RETIRE = "retire"
    SPEED = "speed"
    JUMP_AHEAD = "jump ahead"
    """Simulated time: on to the next event."""
    PLAN = "plan"
    """The plan of the night under way, edited."""
    SKIP = "skip"
    """A block, for tonight."""
    NEXT = "next"
    """A block, before the others."""
    REFOCUS = "refocus"
    PAUSE_FOCUS = "pause focus"
    RESUME_FOCUS = "resume focus"
    JUDGE = "judge"
    """A frame rejected, or kept, by a person."""
    DEVICE = "device"
    BEGIN = "begin"
    """An errand of a kind."""
    STOP_ERRAND = "stop errand"
    TELL_ERRAND = "tell errand"
    """Something to be done by one that is under way: a dither."""
    ANSWER = "answer"
    """A question that an errand asks."""
    RIG = "rig"
    SCENARIO = "scenario"


WISHES = frozenset(
    {
        Command.PLAN,
        Command.SKIP,
        Command.NEXT,
        Command.REFOCUS,
        Command.PAUSE_FOCUS,
        Command.RESUME_FOCUS,
        Command.JUDGE,
    }
)
"""What may be wished of a night that runs, without holding or ending it."""
ALLOWED_ON_MISMATCH = frozenset({Command.HOLD, Command.END, Command.STOP})
"""A client of another protocol may still make the night safe."""


class Ask(Message):
    """A command with an id of the client's and the protocol it speaks."""

    id: str
    command: Command
    values: dict[str, Any] = {}
    protocol: int = PROTOCOL


class Answer(Message):
    """Whether a command was taken, with the reason if not."""

    id: str
    taken: bool
    reason: str = ""
    values: dict[str, Any] = {}


class DeviceReport(Message):
    """A device as it is now: lamp, what it does, its state, and what it can't do and why.

    `figures` is its own word for values of the rig document, by their path there.
    """

    name: str
    lamp: str
    doing: str = ""
    fault: str = ""
    advice: str = ""
    state: dict[str, Any] = {}
    cannot: dict[str, str] = {}
    figures: dict[str, Any] = {}
    clock_off_s: float | None = None


class Reports(Message):
    """All devices: of these messages only the newest counts."""

    at: datetime
    devices: list[DeviceReport]


class OpenQuestion(Message):
    """What a person is asked; without an answer `otherwise` follows at `until`."""

    number: int
    words: str
    answers: list[str]
    until: datetime | None = None
    otherwise: str = ""


class ErrandReport(Message):
    """An errand that is under way."""

    id: str
    kind: str
    words: str
    because: str = ""
    began: datetime | None = None
    claims: list[str] = []
    questions: list[OpenQuestion] = []


class Alarm(Message):
    """What a guard said, and when."""

    at: datetime
    words: str


class Status(Message):
    """The keeper at this moment; `last_event` lets a client ask for everything since."""

    protocol: int = PROTOCOL
    version: str
    keeper_pid: int
    rig: str
    clock: str
    speed: float | None
    at: datetime
    run: str
    night: str | None
    doing: str
    because: str
    hold: str | None
    done: int
    wanted: int
    lines: list[dict[str, Any]]
    conditions: list[dict[str, Any]]
    devices: dict[str, str]
    reports: list[DeviceReport] = []
    deferred: list[str] = []
    """What of the rig waits for the night's end: paths of fields."""
    last_event: int
    alarm: Alarm | None = None
    """What a guard said last, while it matters."""
    errands: list[ErrandReport] = []
    """Everything that is under way, the night too."""
    stopped_until: datetime | None = None
    """After an emergency stop: until when nothing moves, whatever comes."""


class Live(Message):
    """A value of the moment: of an errand's only the newest counts. Progress of an activity or exposure."""

    errand: str
    at: datetime
    topic: str
    words: str
    initial: float
    current: float
    target: float
    unit: str


class Sample(Message):
    """One of a stream's."""

    at: datetime
    values: dict[str, Any]


class Samples(Message):
    """What comes too often for events: told to those who asked for the stream by its name."""

    errand: str
    stream: str
    rows: list[Sample]


class Resync(Message):
    """The client was too slow: ask for the status and the events since the last one seen."""

    resync: bool = True
