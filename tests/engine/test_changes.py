"""A night changed while it runs: its plan, its order, its focusing, its end."""

from pathlib import Path
from typing import Any

import pytest

from campaigns.demo import demo_plan, demo_rig, short_plan
from campaigns.night import Played, play
from vigil.documents.events import Event, Kind
from vigil.documents.messages import Answer, Command
from vigil.documents.night import counts, fold_all
from vigil.documents.plan import NightPlan, Target
from vigil.planning.revision import changes, refused

RIG = demo_rig()


def two_blocks(count: int = 2) -> NightPlan:
    plan = short_plan(count=count, exposure_s=120.0)
    first = plan.blocks[0]
    lines = [line.model_copy(update={"id": f"other-{line.filter}"}) for line in first.lines]
    other = Target(name="NGC 1893", ra_deg=80.7, dec_deg=33.4)
    second = first.model_copy(update={"id": "other", "target": other, "lines": lines})
    return plan.model_copy(update={"blocks": [first, second]})


def with_line(plan: NightPlan, **values: Any) -> NightPlan:
    block = plan.blocks[0]
    line = block.lines[0].model_copy(update=values)
    blocks = [block.model_copy(update={"lines": [line, *block.lines[1:]]}), *plan.blocks[1:]]
    return plan.model_copy(update={"blocks": blocks})


def night(folder: Path, plan: NightPlan, *wishes: tuple[int, Command, dict[str, Any]]) -> tuple[Played, Any]:
    """A night in which wishes are made, each ten seconds into its numbered exposure."""
    waiting = list(wishes)
    answers: list[Answer] = []

    async def wish(event: Event, played: Played) -> None:
        number = len(played.of(Kind.EXPOSURE_STARTED))
        while event.kind is Kind.EXPOSURE_STARTED and waiting and waiting[0][0] == number:
            _, command, values = waiting.pop(0)
            answers.append(await played.ask(command, **values))

    return play(RIG, plan, folder, on_event=wish, quick=True), answers


def order(played: Played) -> list[str]:
    return [e.values["line"] for e in played.of(Kind.FRAME_SAVED)]


def test_an_edited_plan_is_in_force_after_the_frame_under_way(tmp_path: Path) -> None:
    plan = two_blocks()
    edited = with_line(plan, count=3)
    edited = edited.model_copy(update={"blocks": [edited.blocks[0]]})
    played, (answer,) = night(tmp_path, plan, (1, Command.PLAN, {"plan": edited.model_dump(mode="json")}))
    assert answer.taken and "NGC 1893 removed" in answer.reason and "count 2 → 3" in answer.reason
    assert "after the frame under way, at " in answer.reason
    assert order(played) == ["ic405-ha"] * 3 + ["ic405-l"] * 2
    changed = played.of(Kind.PLAN_CHANGED)[0]
    assert changed.at >= played.of(Kind.EXPOSURE_ENDED)[0].at
    assert played.events[-1].values["wanted"] == 5


def test_what_has_frames_keeps_its_settings_and_the_night_its_plan(tmp_path: Path) -> None:
    plan = two_blocks()
    other = with_line(plan, exposure_s=60.0).model_dump(mode="json")
    gone = plan.model_copy(update={"blocks": plan.blocks[1:]}).model_dump(mode="json")
    missing = with_line(plan, filter="X").model_dump(mode="json")
    played, answers = night(
        tmp_path,
        plan,
        (1, Command.PLAN, {"plan": other}),
        (1, Command.PLAN, {"plan": gone}),
        (1, Command.PLAN, {"plan": missing}),
        (1, Command.PLAN, {"plan": {"name": "torn"}}),
        (1, Command.PLAN, {"plan": plan.model_dump(mode="json")}),
    )
    assert not any(a.taken for a in answers)
    said = [a.reason for a in answers]
    assert "its exposure s can't change any more; add a line for that" in said[0]
    assert "IC 405 has frames already and can't be removed" in said[1]
    assert "no filter 'X'" in said[2] and "blocks" in said[3] and "nothing changed" in said[4]
    assert len(order(played)) == 8 and not played.of(Kind.PLAN_CHANGED)


def test_a_block_is_skipped_and_done_after_all(tmp_path: Path) -> None:
    played, answers = night(
        tmp_path,
        two_blocks(),
        (1, Command.SKIP, {}),
        (2, Command.SKIP, {"block": "IC 405"}),
        (2, Command.NEXT, {"block": "ic 405", "now": True}),
        (3, Command.NEXT, {"block": "nowhere"}),
    )
    assert [a.taken for a in answers] == [True, False, True, False]
    assert "skipped for tonight already" in answers[1].reason
    assert "there are ic405, other" in answers[3].reason
    # the frame under way was finished the first time, abandoned the second
    assert [e.values["outcome"] for e in played.of(Kind.EXPOSURE_ENDED)][:2] == ["done", "cancelled"]
    assert [line[:5] for line in order(played)] == ["ic405"] * 4 + ["other"] * 4


def test_refocusing_is_asked_for_paused_and_taken_up(tmp_path: Path) -> None:
    played, answers = night(
        tmp_path,
        short_plan(count=4, exposure_s=600.0, focus_every_min=15.0),
        (1, Command.REFOCUS, {}),
        (2, Command.PAUSE_FOCUS, {}),
        (2, Command.PAUSE_FOCUS, {}),
        (6, Command.RESUME_FOCUS, {}),
        (6, Command.RESUME_FOCUS, {}),
    )
    assert [a.taken for a in answers] == [True, True, False, True, False]
    story = [
        "exposure" if e.kind is Kind.EXPOSURE_STARTED else "focus"
        for e in played.events
        if e.kind is Kind.EXPOSURE_STARTED
        or (e.kind is Kind.ACTIVITY_STARTED and e.values["kind"] == "focus")
    ]
    assert story[:4] == ["focus", "exposure", "focus", "exposure"]
    assert story[4:8] == ["exposure"] * 4 and story[8] == "focus"


def test_the_night_ends_after_the_frame_or_at_once(tmp_path: Path) -> None:
    for after_frame, outcome in ((True, "done"), (False, "cancelled")):
        played, (answer,) = night(
            tmp_path, two_blocks(), (2, Command.END, {"after_frame": after_frame, "reason": "dew"})
        )
        assert answer.taken and ("after the frame" in answer.reason) == after_frame
        assert [e.values["outcome"] for e in played.of(Kind.EXPOSURE_ENDED)] == ["done", outcome]
        assert played.events[-1].reason == "dew"


@pytest.mark.parametrize("what", ["order", "lines", "added", "orders"])
def test_changes_are_said(what: str) -> None:
    plan = two_blocks()
    first, second = plan.blocks
    if what == "order":
        new, said = plan.model_copy(update={"blocks": [second, first]}), "order now NGC 1893, IC 405"
    elif what == "lines":
        lines = [first.lines[1], first.lines[0].model_copy(update={"off": True})]
        new = plan.model_copy(update={"blocks": [first.model_copy(update={"lines": lines}), second]})
        said = "off off → on; IC 405: lines now"
    elif what == "added":
        new, said = demo_plan().model_copy(update={"blocks": [*plan.blocks, second]}), ""
        new = new.model_copy(update={"blocks": [*plan.blocks, second.model_copy(update={"id": "third"})]})
        said = "NGC 1893 added"
    else:
        orders = plan.orders.model_copy(update={"focus_every_min": 30.0})
        new, said = plan.model_copy(update={"orders": orders}), "focus every min 90 → 30"
    assert said in "; ".join(changes(plan, new))
    assert refused(plan, new, {"ic405-ha"}) == []


def test_a_rejected_frame_is_taken_again_and_may_be_kept_after_all(tmp_path: Path) -> None:
    answers: list[Answer] = []

    async def judge(event: Event, played: Played) -> None:
        if event.kind is Kind.FRAME_MEASURED and not answers:
            frame = event.values["frame_id"]
            answers.append(await played.ask(Command.JUDGE, frame="nothing"))
            answers.append(await played.ask(Command.JUDGE, frame=frame, verdict="lovely"))
            answers.append(await played.ask(Command.JUDGE, frame=frame))
            answers.append(await played.ask(Command.JUDGE, frame=frame))

    played = play(RIG, short_plan(count=2), tmp_path, on_event=judge, quick=True)
    assert [a.taken for a in answers] == [False, False, True, False]
    assert order(played) == ["ic405-ha"] * 3 + ["ic405-l"] * 2
    assert [e.values["number"] for e in played.of(Kind.FRAME_SAVED)][:3] in ([1, 2, 2], [1, 1, 2])
    assert played.events[-1].values["frames"] == 4
    state = fold_all(played.events)
    rejected = played.of(Kind.FRAME_JUDGED)[0].values["frame_id"]
    assert not counts(state.saved[rejected]) and state.done("ic405-ha") == 2
    assert counts({"doubtful": "short", "verdict": "kept"}) and not counts({"doubtful": "short"})
