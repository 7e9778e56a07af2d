"""Steps done once, conditions in an order of one's own, and a condition added in one file."""

import asyncio
import sys
from datetime import UTC, datetime, time, timedelta
from pathlib import Path
from typing import Any

import pytest
from pydantic import ValidationError

from campaigns.demo import demo_rig, short_plan
from campaigns.night import Played, play
from vigil.documents.conditions import KNOWN, wrong_order
from vigil.documents.events import Event, Kind
from vigil.documents.messages import Command
from vigil.documents.plan import NightPlan, contradictions
from vigil.documents.steps import Ask, MustHold, RunProgram, TestExposure, WaitUntil
from vigil.engine import conditions
from vigil.engine.conditions import conditions_for, every_condition
from vigil.planning.waits import moment_of
from vigil.runtime.programs import ProgramFailed, run_program

RIG = demo_rig()


def said(played: Played, kind: str) -> list[str]:
    return [e.reason for e in played.of(Kind.ACTIVITY_ENDED) if e.values["kind"] == kind]


def plan_with(opening: list[Any] | None = None, steps: list[Any] | None = None, **more: Any) -> NightPlan:
    plan = short_plan(count=1)
    block = plan.blocks[0].model_copy(update={"steps": steps or []})
    return plan.model_copy(update={"blocks": [block], "opening": opening or [], **more})


def test_every_kind_of_step_is_done_once_at_its_place(tmp_path: Path) -> None:
    hello = RunProgram(id="hello", arguments=[sys.executable, "-c", "print('the roof heater is on')"])
    plan = plan_with(
        opening=[
            MustHold(name="connected"),
            Ask(id="caps", question="are the caps off?", wait_min=5),
            WaitUntil(id="dusk", moment="nautical dusk", minutes=20),
            hello,
        ],
        steps=[TestExposure(id="trial", filter="L", exposure_s=5)],
        closing=[hello.model_copy(update={"id": "bye"}), WaitUntil(id="late", clock=time(12))],
    )
    played = play(RIG, plan, tmp_path, quick=True)
    began = [e.values["kind"] for e in played.of(Kind.ACTIVITY_STARTED)]
    assert began[:4] == ["connect", "ask", "wait", "program"]
    assert began.index("test exposure") > began.index("centre") and began.count("test exposure") == 1
    assert said(played, "ask") == ["are the caps off?: nobody answered in 5 min"]
    assert said(played, "program")[0].endswith("ran: the roof heater is on")
    kept = sorted(p.name.partition("_")[2][7:] for p in (tmp_path / "beside").iterdir())
    assert kept == ["bye.txt", "hello.txt", "trial.fits"]
    waited = next(e for e in played.of(Kind.ACTIVITY_ENDED) if e.values["kind"] == "wait")
    dusk = moment_of(WaitUntil(id="x", moment="nautical dusk"), RIG.site, waited.at)
    assert dusk is not None and abs((waited.at - dusk).total_seconds() - 1200) < 5
    parts = [e.values["part"] for e in played.of(Kind.CLOSING_PART)]
    assert parts[-3:-1] == [plan.closing[0].words, "wait until 12:00"] and parts[-1] == "disconnect"
    assert len(played.frames) == 2  # the test exposure doesn't count


@pytest.mark.parametrize(
    ("otherwise", "ends"),
    [
        ("skip the target", "IC 405 was skipped"),
        ("hold", "the span of IC 405 has closed"),
        ("end the night", "nobody answered in 2 min; end the night"),
    ],
)
def test_a_question_that_nobody_answers_goes_by_its_policy(tmp_path: Path, otherwise: str, ends: str) -> None:
    question = Ask.model_validate({"id": "q", "question": "go?", "wait_min": 2, "otherwise": otherwise})
    plan = plan_with(steps=[question])
    span = plan.blocks[0].span.model_copy(update={"until_clock": time(19, 30)})
    blocks = [plan.blocks[0].model_copy(update={"span": span})]
    played = play(RIG, plan.model_copy(update={"blocks": blocks}), tmp_path, quick=True)
    assert ends in played.events[-1].reason and not played.frames
    assert bool(played.of(Kind.HELD)) == (otherwise == "hold")


def test_a_person_answers_and_only_when_asked(tmp_path: Path) -> None:
    answers = []

    async def answer(event: Event, played: Played) -> None:
        if event.kind is Kind.NIGHT_STARTED:
            answers.append(await played.ask(Command.ANSWER))
        if event.kind is Kind.ACTIVITY_STARTED and event.values["kind"] == "ask":
            await asyncio.sleep(30)
            answers.append(await played.ask(Command.ANSWER))

    plan = plan_with(opening=[Ask(id="q", question="all well?", otherwise="end the night")])
    played = play(RIG, plan, tmp_path, on_event=answer, quick=True)
    assert [a.taken for a in answers] == [False, True]
    assert said(played, "ask") == ["all well?: yes"] and len(played.frames) == 2


@pytest.mark.parametrize(
    ("arguments", "problem"),
    [
        (["/nowhere/at all"], "could not be started"),
        (
            [sys.executable, "-c", "import sys; print('no power'); sys.exit(3)"],
            "ended with status 3: no power",
        ),
        ([sys.executable, "-c", "import time; time.sleep(600)"], "still running after 0.3 s and was ended"),
        (["/bin/echo", "$HOME; rm x"], None),
    ],
)
def test_a_program_is_run_without_a_shell_within_its_time(
    tmp_path: Path, arguments: list[str], problem: str | None
) -> None:
    out = tmp_path / "kept" / "it.txt"
    time_out_s = 0.3 if problem and "still" in problem else 60.0
    if problem is None:
        assert asyncio.run(run_program(arguments, time_out_s, out)).last_line == "$HOME; rm x"
    else:
        with pytest.raises(ProgramFailed, match=problem):
            asyncio.run(run_program(arguments, time_out_s, out))


def test_a_program_that_fails_goes_by_its_policy(tmp_path: Path) -> None:
    failing = RunProgram(id="p", arguments=["/bin/false"])
    played = play(RIG, plan_with(opening=[failing]), tmp_path, quick=True)
    assert said(played, "program") == ["/bin/false ended with status 1; going on"] and len(played.frames) == 2
    ending = failing.model_copy(update={"otherwise": "end the night"})
    played = play(RIG, plan_with(opening=[ending]), tmp_path, quick=True)
    assert played.events[-1].reason.endswith("ended with status 1; end the night") and not played.frames


def test_a_closing_program_that_fails_is_not_done_and_the_rest_is(tmp_path: Path) -> None:
    played = play(
        RIG, plan_with(closing=[RunProgram(id="p", arguments=["/bin/false"])]), tmp_path, quick=True
    )
    closing = played.events[-1].values["closing"]
    assert closing.pop("run /bin/false") == "failed" and set(closing.values()) == {"done"}


@pytest.mark.parametrize(
    ("wait", "local"),
    [
        ({"clock": time(2, 30)}, "02:30"),
        ({"moment": "sunset", "minutes": -5}, None),
        ({"sun_altitude_deg": -12.0}, None),
        ({"moment": "moonset"}, None),
        ({"moment": "moonrise", "minutes": 10}, None),
    ],
)
def test_moments_to_wait_for(wait: dict[str, Any], local: str | None) -> None:
    from zoneinfo import ZoneInfo

    from vigil.sky.bodies import observe_moon, observe_sun
    from vigil.sky.instants import from_datetimes

    at = datetime(2027, 1, 12, 18, tzinfo=UTC)
    moment = moment_of(WaitUntil(id="w", **wait), RIG.site, at)
    assert moment is not None
    if local is not None:
        assert f"{moment.astimezone(ZoneInfo(RIG.site.time_zone)):%H:%M}" == local
        return
    place = RIG.site.place().airless()
    real = from_datetimes(moment - timedelta(minutes=wait.get("minutes", 0)))
    if "moon" in str(wait.get("moment")):
        assert float(observe_moon(real, place).altitude_deg) == pytest.approx(-0.583, abs=0.2)
    else:
        wanted = wait.get("sun_altitude_deg", -0.833)
        assert float(observe_sun(real, place).altitude_deg) == pytest.approx(wanted, abs=0.02)


def test_a_wait_needs_one_moment_and_steps_ids_of_their_own() -> None:
    with pytest.raises(ValidationError, match="one of clock, moment"):
        WaitUntil(id="w", clock=time(2), moment="sunset")
    ask = {"kind": "ask", "id": "same", "question": "?"}
    plan = short_plan().model_dump(mode="json")
    with pytest.raises(ValidationError, match="each step needs an id of its own; same"):
        NightPlan.model_validate({**plan, "opening": [ask, ask]})
    wrong = plan_with(steps=[TestExposure(id="t", filter="nothing")])
    assert any("has no filter 'nothing'" in words for words in contradictions(wrong, RIG))


def test_conditions_in_an_order_of_ones_own(tmp_path: Path) -> None:
    order = [MustHold(name=n) for n in ("connected", "room on disk", "heaters")]
    off = MustHold(name="focus fresh", off=True)
    plan = plan_with(opening=[*order, off])
    assert contradictions(plan, RIG) == []
    names = [c.name for c in conditions_for(RIG, plan)]
    assert names[0] == "connected" and "focus fresh" not in names
    assert names[1] == "room on disk" and names.index("in its span") > 1
    played = play(RIG, plan, tmp_path, quick=True)
    assert not said(played, "focus") and len(played.frames) == 2


@pytest.mark.parametrize(
    ("named", "words"),
    [
        ([MustHold(name="on target")], "'on target' stands before 'pointed'"),
        ([MustHold(name="safe", off=True)], "can't be switched off"),
        ([MustHold(name="luck")], "there is no condition 'luck'"),
        ([MustHold(name="connected")] * 2, "stands twice"),
    ],
)
def test_an_order_that_cannot_work_is_refused(named: list[MustHold], words: str) -> None:
    assert words in wrong_order(named)[0]
    assert any(words in said for said in contradictions(plan_with(opening=list(named)), RIG))


def test_what_plans_may_name_is_what_the_engine_has() -> None:
    assert [known.name for known in KNOWN] == [condition.name for condition in every_condition()]
    assert all(known.explained for known in KNOWN)


_MOONLESS = '''
"""No exposure while the moon is up."""

from vigil.engine.check import Check, Condition, Standing


class Moonless(Condition):
    name = "moonless"
    place = 35
    hard = True

    def check(self, view, start, end):
        return Check(Standing.NOT_MET, "the moon is up")
'''


def test_a_condition_is_added_in_one_file(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    (tmp_path / "moonless.py").write_text(_MOONLESS)
    monkeypatch.setattr(conditions, "__path__", [*conditions.__path__, str(tmp_path)])
    every_condition.cache_clear()
    try:
        played = play(RIG, short_plan(count=1), tmp_path / "out", quick=True)
    finally:
        every_condition.cache_clear()
        sys.modules.pop("vigil.engine.conditions.moonless", None)
    assert not played.frames
    put_off = played.of(Kind.PUT_OFF)
    assert {e.reason for e in put_off[:-1]} == {"the moon is up"} and len(put_off) > 20
    assert put_off[-1].reason == "not tonight: the moon is up"
