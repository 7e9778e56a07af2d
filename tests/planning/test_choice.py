"""What to expose next: the pure function, its spans, the arbiter and the policies."""

import asyncio
from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from campaigns.demo import demo_plan, demo_rig
from vigil.documents.plan import Block, ExposureLine, NightPlan, Span, SunMoment, Target
from vigil.engine.arbiter import Arbiter
from vigil.engine.policy import POLICIES, AfterTries, Policy
from vigil.planning.choice import Candidate, Finished, Wait, choose
from vigil.planning.spans import block_intervals, local_noon_before
from vigil.planning.spells import Interval
from vigil.runtime.simulated import run_virtual
from vigil.sky.horizontal import observe
from vigil.sky.instants import from_datetimes

DUSK = datetime(2027, 1, 12, 17, tzinfo=UTC)


def hours(count: float) -> timedelta:
    return timedelta(hours=count)


def block(name: str, lines: dict[str, int], order: str = "one after another") -> Block:
    return Block(
        id=name,
        target=Target(name=name, ra_deg=80, dec_deg=30),
        order=order,  # type: ignore[arg-type]
        lines=[ExposureLine(id=i, filter="L", exposure_s=600, count=n) for i, n in lines.items()],
    )


def pick(plan: NightPlan, spans, done=None, given_up=(), at=DUSK, lead=timedelta(0), current=""):
    counts = done or {}
    return choose(plan, spans, lambda line: counts.get(line, 0), given_up, at, lead, current=current)


TWO = NightPlan(name="two", blocks=[block("a", {"a1": 2, "a2": 1}), block("b", {"b1": 1})])
SPANS = {
    "a": (Interval(DUSK, DUSK + hours(3)),),
    "b": (Interval(DUSK + hours(1), DUSK + hours(6)),),
}


def test_lines_one_after_another_then_the_next_block() -> None:
    found = pick(TWO, SPANS)
    assert isinstance(found, Candidate)
    assert (found.line.id, found.number) == ("a1", 1)
    found = pick(TWO, SPANS, {"a1": 2})
    assert isinstance(found, Candidate) and found.line.id == "a2"
    done = {"a1": 2, "a2": 1}
    assert pick(TWO, SPANS, done) == Wait(DUSK + hours(1), "getting ready for b begins then")
    found = pick(TWO, SPANS, done, at=DUSK + hours(2))
    assert isinstance(found, Candidate) and found.line.id == "b1"
    assert pick(TWO, SPANS, done | {"b1": 1}) == Finished("all frames are taken")


def test_in_turn_goes_round_and_round() -> None:
    plan = NightPlan(name="turn", blocks=[block("a", {"x": 2, "y": 2, "z": 1}, "in turn")])
    done: dict[str, int] = {}
    order = []
    while isinstance(found := pick(plan, SPANS, done), Candidate):
        order.append(found.line.id)
        done[found.line.id] = found.number
    assert order == ["x", "y", "z", "x", "y"]


def test_the_lead_belongs_to_no_open_block() -> None:
    later = {"a": (), "b": SPANS["b"]}
    early = DUSK + timedelta(minutes=50)
    assert isinstance(pick(TWO, later, at=early), Wait)
    found = pick(TWO, later, at=early, lead=timedelta(minutes=15))
    assert isinstance(found, Candidate) and found.opens > early
    # a's own time is not given away for b's preparations
    found = pick(TWO, SPANS, at=early, lead=timedelta(minutes=15))
    assert isinstance(found, Candidate) and found.block.id == "a"


@pytest.mark.parametrize(("minutes", "chosen"), [(14, "b"), (15, "a")])
def test_a_block_under_way_is_left_only_for_one_that_is_worth_the_way(minutes: int, chosen: str) -> None:
    """`a` stands first in the plan, and opens while `b` is being taken."""
    spans = {"a": (Interval(DUSK, DUSK + timedelta(minutes=minutes)),), "b": SPANS["a"]}
    found = pick(TWO, spans, current="b")
    assert isinstance(found, Candidate) and found.block.id == chosen
    for current in ("", "a"):
        found = pick(TWO, spans, current=current)
        assert isinstance(found, Candidate) and found.block.id == "a"


def test_an_exposure_that_no_longer_fits_is_not_begun() -> None:
    nearly = DUSK + hours(3) - timedelta(seconds=599)
    found = pick(TWO, SPANS, at=nearly)
    assert isinstance(found, Candidate) and found.block.id == "b"
    over = pick(TWO, SPANS, {"b1": 1}, at=nearly)
    assert over == Finished("the span of a has closed (0 of 2 L 600 s, 0 of 1 L 600 s)")
    assert pick(TWO, SPANS, {"b1": 1}, given_up={"a"}) == Finished("a was skipped")


@given(st.integers(0, 3), st.integers(0, 2), st.integers(0, 2), st.floats(-2, 8))
def test_a_choice_always_fits_its_span(a1: int, a2: int, b1: int, later_h: float) -> None:
    at = DUSK + hours(later_h)
    found = pick(TWO, SPANS, {"a1": a1, "a2": a2, "b1": b1}, at=at)
    if isinstance(found, Candidate):
        assert found.opens <= at
        assert at + timedelta(seconds=found.line.exposure_s) <= found.closes
        assert 1 <= found.number <= found.line.count
    elif isinstance(found, Wait):
        assert found.until > at


def test_a_span_is_dark_and_high() -> None:
    rig, plan = demo_rig(), demo_plan()
    (interval,) = block_intervals(plan.blocks[0], rig, datetime(2027, 1, 12, 16, tzinfo=UTC))
    assert interval.opens.strftime("%H:%M") == "17:16"
    seen = observe(79.12283, 34.35617, from_datetimes(interval.closes), rig.site.place())
    # it sets below 25° before dawn, so the altitude ends the span
    assert float(seen.altitude_deg) == pytest.approx(25.0, abs=0.01)


def test_spans_of_targets_that_set_and_rise_again_have_two_pieces() -> None:
    rig = demo_rig()
    low = block("low", {"x": 1}).model_copy(
        update={
            "target": Target(name="circumpolar", ra_deg=291.0, dec_deg=66.0),
            "span": Span(
                opens=SunMoment(moment="civil"), closes=SunMoment(moment="civil"), minimum_altitude_deg=28
            ),
        }
    )
    pieces = block_intervals(low, rig, datetime(2027, 1, 12, 16, tzinfo=UTC))
    assert len(pieces) == 2 and pieces[0].closes < pieces[1].opens


def test_no_span_without_night() -> None:
    rig = demo_rig()
    north = rig.model_copy(update={"site": rig.site.model_copy(update={"latitude_deg": 62.0})})
    assert block_intervals(demo_plan().blocks[0], north, datetime(2027, 6, 21, 18, tzinfo=UTC)) == ()


@pytest.mark.parametrize(("hour", "day"), [(12, 12), (23, 12), (3, 11), (11, 11)])
def test_a_night_runs_from_noon_to_noon(hour: int, day: int) -> None:
    noon = local_noon_before(datetime(2027, 1, 12, hour - 1, 30, tzinfo=UTC), "Europe/Vienna")
    assert (noon.day, noon.hour) == (day if hour != 12 else 12, 12)


def test_the_arbiter_grants_all_or_waits() -> None:
    async def main() -> list[str]:
        arbiter, order = Arbiter(), []

        async def use(who: str, what: set[str], seconds: float) -> None:
            async with arbiter.claim(frozenset(what), who):
                order.append(f"{who} has")
                assert all(arbiter.holder(device) == who for device in what)
                await asyncio.sleep(seconds)
                order.append(f"{who} gives")

        async with asyncio.TaskGroup() as group:
            group.create_task(use("focusing", {"camera", "focuser"}, 10))
            await asyncio.sleep(0)
            group.create_task(use("cooling", {"cooler"}, 3))
            await asyncio.sleep(0)
            group.create_task(use("slewing", {"mount", "camera"}, 1))
        return order

    order = run_virtual(main())
    assert order.index("cooling has") < order.index("focusing gives") < order.index("slewing has")


def test_a_cancelled_holder_gives_back() -> None:
    async def main() -> str | None:
        arbiter = Arbiter()

        async def hold() -> None:
            async with arbiter.claim(frozenset({"mount"}), "first"):
                await asyncio.sleep(100)

        task = asyncio.ensure_future(hold())
        await asyncio.sleep(1)
        assert arbiter.holder("mount") == "first"
        task.cancel()
        async with asyncio.timeout(5), arbiter.claim(frozenset({"mount"}), "second"):
            return arbiter.holder("mount")

    assert run_virtual(main()) == "second"


def test_only_known_devices_can_be_claimed() -> None:
    async def main() -> None:
        async with Arbiter().claim(frozenset({"toaster"}), "me"):
            pass

    with pytest.raises(ValueError, match="toaster"):
        run_virtual(main())


def test_policies_pause_longer_and_end() -> None:
    policy = Policy(4, (5.0, 30.0), AfterTries.PUT_OFF)
    assert [policy.pause_s(n) for n in (1, 2, 3)] == [5, 30, 30]
    assert [policy.put_off_s(n) for n in (0, 1, 2, 3, 400)] == [300, 600, 900, 900, policy.longest_s]
    # a fault costs what it lasts: nothing but a person's own wish gives a block up, holds or ends the night
    final = {kind for kind, p in POLICIES.items() if p.then not in (AfterTries.WAIVE, AfterTries.PUT_OFF)}
    assert final == {"ask", "program"}
    # a person who did not answer is not asked a second time, nor is a step done once tried again
    once = {"turn by hand", "ask", "wait", "program", "test exposure"} | {"look", "stand down"}  # made anew
    assert all(p.later_s > 0 and (p.tries >= 2 or kind in once) for kind, p in POLICIES.items())
    # pointing and safety are never waived
    waived = {kind for kind, p in POLICIES.items() if p.then is AfterTries.WAIVE}
    assert waived == {
        "align polar axis", "calibrate guiding", "dither", "focus", "guide", "heat", "turn camera",
        "turn by hand", "wait", "test exposure", "stand down",
    }  # fmt: skip
