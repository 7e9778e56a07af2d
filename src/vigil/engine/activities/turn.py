"""Bring the camera to a position angle: by its rotator, or by a person who is told which way and how far."""

from collections.abc import Awaitable, Callable
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any, Literal

from vigil.devices.protocols import Exposure, Rotator
from vigil.engine.activities.moves import take_back
from vigil.engine.activities.solving import near_enough, ready_to_solve, solved_frame, solved_values
from vigil.engine.activity import Activity, ActivityFailed, Kit
from vigil.engine.policy import AfterTries, Policy
from vigil.engine.questions import AskedQuestion
from vigil.sky.turns import seen_from_behind, turn_to_deg
from vigil.solving.wcs import Wcs

Unanswered = Literal["go on as it is", "skip the target", "hold"]
_MOST_FRAMES = 5
_REACH_DEG = 0.15
_ROTATOR_DEG_S = 1.0
_EXPECTED_S, _BY_HAND_S = 70.0, 180.0
# a person's frames may not solve while the camera is being turned
_MOST_BLURRED = 20
_LOOK_S = 5.0
_AS_IT_IS = "take it as it is"


@dataclass(frozen=True)
class _Turn(Activity):
    """Where, at which angle and how nearly. `focus_position` is that of the filter to solve through, where
    known."""

    block: str
    target: str
    ra_deg: float
    dec_deg: float
    position_angle_deg: float
    focus_position: int | None
    within_deg: float

    @property
    def words(self) -> str:
        return f"turning the camera to {self.position_angle_deg % 180:.1f}° for {self.target}"

    async def _tell(self, kit: Kit, attempt: int, solution: Any, wcs: Wcs) -> float:
        """Record a solved frame; returns the turn that is still wanted."""
        left, limit_deg = turn_to_deg(wcs.position_angle_deg, self.position_angle_deg), self.within_deg
        if attempt == 1:
            kit.progress.begin("turn", self.words, abs(left), limit_deg, "°")
        kit.progress.current = abs(left)
        way = seen_from_behind(left, wcs.mirrored)
        values = {"attempt": attempt, "turn_deg": round(left, 2), "limit_deg": limit_deg, "way": way}
        await kit.step(
            {**values, **solved_values(solution, wcs)}, f"frame {attempt}: {abs(left):.1f}° {way} is left"
        )
        return left

    def _done(self, wcs: Wcs, left: float, accepted: bool = False) -> dict[str, Any]:
        angle = {
            "position_angle_deg": wcs.position_angle_deg,
            "accepted_for": self.block if accepted else "",
        }
        words = f"at {wcs.position_angle_deg % 180:.1f}°, {abs(left):.1f}° from what was wanted"
        return {"angle": angle, "summary": f"{words}; taken as it is" if accepted else words}


@dataclass(frozen=True)
class TurnCamera(_Turn):
    """By the rotator. Which way its angle counts is the rig's to say; a first move the wrong way is
    noticed."""

    KIND = "turn camera"
    DEVICES = frozenset({"camera", "filter wheel", "focuser", "mount", "rotator"})
    DISTURBS = ("pointing", "angle")
    expected_s = _EXPECTED_S

    async def run(self, kit: Kit) -> dict[str, Any]:
        rotator, part = kit.devices.rotator, kit.rig.rotator
        if rotator is None or rotator.state is None or part is None:
            raise ActivityFailed("the rotator's angle is unknown")
        exposure = await ready_to_solve(kit, self.focus_position)
        aim = await near_enough(kit, self.ra_deg, self.dec_deg)
        sense = -1.0 if part.reversed else 1.0
        before: tuple[Wcs, float] | None = None
        left = 0.0
        for attempt in range(1, _MOST_FRAMES + 1):
            solution, wcs = await solved_frame(kit, exposure, aim, attempt)
            left = await self._tell(kit, attempt, solution, wcs)
            if abs(left) <= _REACH_DEG:
                return self._done(wcs, left)
            if before is not None and _went_astray(before, wcs):
                sense = -sense
            before = wcs, left
            hand = -1.0 if wcs.mirrored else 1.0
            to_deg = _within(rotator.state.angle_deg + sense * hand * left, part.lowest_deg, part.highest_deg)
            await take_back(
                rotator,
                f"turn to {to_deg:.2f}°",
                30.0 + 360 / _ROTATOR_DEG_S,
                _to(to_deg),
            )
            if part.settle_s:
                await kit.clock.sleep(part.settle_s)
        raise ActivityFailed(f"still {abs(left):.1f}° off after {_MOST_FRAMES} frames")


def _to(angle_deg: float) -> Callable[[Rotator], Awaitable[None]]:
    return lambda rotator: rotator.move_to(angle_deg)


def _went_astray(before: tuple[Wcs, float], now: Wcs) -> bool:
    """Whether the last move went the other way: the angle is nearer to where that leads."""
    was, turn = before[0].position_angle_deg, before[1]
    off = [abs(turn_to_deg(was + way * turn, now.position_angle_deg)) for way in (1, -1)]
    return off[1] < off[0]


def _within(angle_deg: float, low: float, high: float) -> float:
    """The same frame inside the rotator's range: half turns are added where that is needed."""
    found = next((a for n in range(-4, 5) if low <= (a := angle_deg + 180 * n) <= high), None)
    if found is None:
        raise ActivityFailed(f"the rotator's range {low:g}…{high:g}° does not reach {angle_deg % 180:.1f}°")
    near = [a for n in range(-4, 5) if low <= (a := angle_deg + 180 * n) <= high]
    return min(near, key=lambda a: abs(a - angle_deg))


@dataclass(frozen=True)
class TurnByHand(_Turn):
    """By a person: frames are looped and solved, and the way that is left told, until it is small enough, the
    person says that it is good as it is, or nobody answers."""

    KIND = "turn by hand"
    PATIENT = True
    DEVICES = frozenset({"camera", "filter wheel", "focuser", "mount"})
    DISTURBS = ("pointing", "focus", "angle")
    expected_s = _BY_HAND_S

    wait_min: float
    unanswered: Unanswered

    @property
    def words(self) -> str:
        return f"turn the camera by hand to {self.position_angle_deg % 180:.1f}° for {self.target}"

    @property
    def policy(self) -> Policy | None:
        then = {"skip the target": AfterTries.LEAVE_OUT, "hold": AfterTries.HOLD}.get(self.unanswered)
        return None if then is None else Policy(1, (), then)

    async def run(self, kit: Kit) -> dict[str, Any]:
        exposure = await ready_to_solve(kit, self.focus_position)
        aim = await near_enough(kit, self.ra_deg, self.dec_deg)
        wait = timedelta(minutes=self.wait_min)
        async with kit.questions.ask(self.words, (_AS_IT_IS,), wait, self.unanswered) as question:
            return await self._turned(kit, exposure, aim, kit.clock.utcnow() + wait, question)

    async def _turned(
        self,
        kit: Kit,
        exposure: Exposure,
        aim: tuple[float, float],
        ends: datetime,
        question: AskedQuestion,
    ) -> dict[str, Any]:
        attempt = blurred = 0
        last: tuple[Wcs, float] | None = None
        while kit.clock.utcnow() < ends:
            attempt += 1
            try:
                solution, wcs = await solved_frame(kit, exposure, aim, attempt)
            except ActivityFailed:
                blurred += 1
                if blurred >= _MOST_BLURRED:
                    raise
                await kit.clock.sleep(_LOOK_S)
                continue
            blurred = 0
            left = await self._tell(kit, attempt, solution, wcs)
            last = wcs, left
            if abs(left) <= self.within_deg:
                return self._done(wcs, left)
            if question.answer is not None:
                return self._done(wcs, left, accepted=True)
            await kit.clock.sleep(_LOOK_S)
        if last is not None and self.unanswered == "go on as it is":
            return self._done(*last, accepted=True)
        raise ActivityFailed(f"nobody turned the camera within {self.wait_min:g} min")
