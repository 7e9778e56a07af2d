"""Nights at a position angle: by the rotator, by a person, by nobody."""

from pathlib import Path
from typing import Any

import pytest

from campaigns.demo import quick_rig, short_plan
from campaigns.night import Played, play
from vigil.documents.events import Event, Kind
from vigil.documents.messages import Command
from vigil.documents.plan import NightPlan
from vigil.documents.rig import Rig
from vigil.documents.rig.mount import RotatorPart
from vigil.engine.activities.turn import TurnByHand
from vigil.engine.policy import AfterTries
from vigil.sky.turns import nearest_of, seen_from_behind, turn_to_deg

WANTED = 40.0


def angled(**orders: Any) -> NightPlan:
    """One frame at a position angle."""
    plan = short_plan(count=1, **orders)
    (block,) = plan.blocks
    target = block.target.model_copy(update={"position_angle_deg": WANTED})
    return plan.model_copy(
        update={"blocks": [block.model_copy(update={"target": target, "lines": block.lines[:1]})]}
    )


def with_rotator(**values: Any) -> Rig:
    return quick_rig(rotator=RotatorPart(name="Turnstile", **values))


def left(played: Played) -> float:
    """Of the light, by its own pixels."""
    return turn_to_deg(played.of(Kind.FRAME_MEASURED)[0].values["position_angle_deg"], WANTED)


def turns(played: Played, kind: str) -> list[dict[str, Any]]:
    return [e.values for e in played.of(Kind.ACTIVITY_STEP) if e.values["kind"] == kind]


def test_the_rotator_turns_the_camera_before_centring(tmp_path: Path) -> None:
    # the simulated one counts with the sky; told that it is reversed, its first move goes the wrong way
    played = play(with_rotator(reversed=True), angled(), tmp_path, seed=4, quick=True)
    assert len(played.frames) == 1
    steps = turns(played, "turn camera")
    assert abs(steps[-1]["turn_deg"]) <= 0.15 and len(steps) <= 4
    kinds = [e.values["kind"] for e in played.of(Kind.ACTIVITY_STARTED)]
    assert kinds.index("focus") < kinds.index("turn camera") < kinds.index("centre")
    assert abs(left(played)) < 0.3


def test_a_person_turns_the_camera_as_told(tmp_path: Path) -> None:
    def person(event: Event, played: Played) -> None:
        if event.kind is Kind.ACTIVITY_STEP and event.values["kind"] == "turn by hand":
            # most of the way first, then what is left
            share = 0.9 if event.values["attempt"] == 1 else 1.0
            played.truth.gear.state.rotator_deg += share * event.values["turn_deg"]

    played = play(quick_rig(), angled(), tmp_path, seed=4, on_event=person, quick=True)
    steps = turns(played, "turn by hand")
    assert abs(steps[-1]["turn_deg"]) <= 1.5 and 2 <= len(steps) <= 4
    assert steps[0]["way"] == seen_from_behind(steps[0]["turn_deg"], mirrored=False)
    assert len(played.frames) == 1 and abs(left(played)) < 1.6


def test_nobody_answers_and_the_night_goes_on(tmp_path: Path) -> None:
    played = play(quick_rig(), angled(turn_wait_min=0.3), tmp_path, seed=4, quick=True)
    assert len(played.frames) == 1 and abs(left(played)) > 5
    ended = [e for e in played.of(Kind.ACTIVITY_ENDED) if e.values["kind"] == "turn by hand"]
    assert len(ended) == 1 and "taken as it is" in ended[0].reason


def test_nobody_answers_and_the_night_is_held_until_a_person_comes(tmp_path: Path) -> None:
    said: list[bool] = []

    async def late(event: Event, played: Played) -> None:
        if event.kind is Kind.HELD:
            assert "nobody turned the camera within 0.3 min" in event.reason
            said.append((await played.ask(Command.ANSWER)).taken)
            await played.ask(Command.RESUME)
        elif event.kind is Kind.ACTIVITY_STEP and event.values["kind"] == "turn by hand" and said:
            said.append((await played.ask(Command.ANSWER)).taken)

    played = play(
        quick_rig(),
        angled(turn_wait_min=0.3, turn_unanswered="hold"),
        tmp_path,
        seed=4,
        on_event=late,
        quick=True,
    )
    assert len(played.frames) == 1 and said[:2] == [False, True], "nothing is asked in a hold"


def test_what_follows_without_an_answer_is_the_plans_choice() -> None:
    where = "b", "IC 405", 79.0, 34.0, WANTED, None, 1.5, 10.0
    assert TurnByHand(*where, "go on as it is").policy is None
    for choice, then in (("skip the target", AfterTries.LEAVE_OUT), ("hold", AfterTries.HOLD)):
        policy = TurnByHand(*where, choice).policy
        assert policy is not None and policy.then is then and policy.tries == 1


@pytest.mark.parametrize(
    ("here", "there", "turn"),
    [(10, 40, 30), (40, 10, -30), (350, 20, 30), (10, 190, 0), (0, 100, -80), (5, 275, 90)],
)
def test_half_a_turn_is_the_same(here: float, there: float, turn: float) -> None:
    assert abs(turn_to_deg(here, there)) == pytest.approx(abs(turn))
    assert turn_to_deg(here, there) % 180 == pytest.approx(turn % 180)
    assert nearest_of(there, here) % 180 == pytest.approx(there % 180)


def test_ways_are_told_from_behind() -> None:
    assert seen_from_behind(10, mirrored=False) == "counter-clockwise"
    assert seen_from_behind(-10, mirrored=False) == "clockwise" == seen_from_behind(10, mirrored=True)
