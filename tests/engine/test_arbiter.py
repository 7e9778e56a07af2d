"""Who gives way to whom, and how soon."""

import asyncio
from collections.abc import Callable

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from vigil.documents.devicekinds import DEVICE_KINDS
from vigil.engine.arbiter import Arbiter, Mode, Urgency
from vigil.runtime.simulated import run_virtual


def now() -> float:
    return asyncio.get_running_loop().time()


async def hold(
    arbiter: Arbiter, log: list[str], who: str, seconds: float, urgency: Urgency, *names: str
) -> None:
    try:
        async with arbiter.claim(frozenset(names), who, urgency):
            log.append(f"{who} at {now():g}")
            await asyncio.sleep(seconds)
            log.append(f"{who} done")
    except asyncio.CancelledError:
        log.append(f"{who} cancelled at {now():g}")


def test_the_more_urgent_does_not_wait_and_equals_go_in_turn() -> None:
    async def main() -> list[str]:
        arbiter, log = Arbiter(), list[str]()
        hand = asyncio.ensure_future(hold(arbiter, log, "hand", 1800, Urgency.HAND, "mount", "camera"))
        await asyncio.sleep(1)
        others = [
            asyncio.ensure_future(hold(arbiter, log, "bench", 5, Urgency.BENCH, "camera")),
            asyncio.ensure_future(hold(arbiter, log, "night", 5, Urgency.NIGHT, "mount")),
            asyncio.ensure_future(hold(arbiter, log, "night two", 5, Urgency.NIGHT, "mount")),
        ]
        await asyncio.gather(hand, *others)
        assert not any(arbiter.holder(name) for name in (*DEVICE_KINDS, "cooler"))
        return log

    assert run_virtual(main()) == [
        "hand at 0", "hand cancelled at 1", "night at 1", "bench at 1", "night done", "bench done",
        "night two at 6", "night two done",
    ]  # fmt: skip


def test_a_holder_is_asked_first_and_then_made_to() -> None:
    async def main(lets_go: bool, cancels: bool) -> tuple[float, list[str], bool]:
        arbiter, asked, freed = Arbiter(), list[str](), asyncio.Event()
        taken = False

        async def expose() -> None:
            nonlocal taken
            claim = arbiter.claim(
                {"mount": Mode.STEADY}, "a frame", yields=asked.append, grace_s=2, cancels=cancels
            )
            async with claim as lease:
                if lets_go:
                    await freed.wait()
                else:
                    await asyncio.sleep(60)
                taken = not lease.gave_way

        frame = asyncio.ensure_future(expose())
        await asyncio.sleep(1)
        if lets_go:
            asyncio.get_running_loop().call_later(1.5, freed.set)
        async with arbiter.claim(frozenset({"mount"}), "shelter", Urgency.SHELTER):
            waited = now() - 1
        await asyncio.wait({frame})
        return waited, asked, frame.cancelled()

    assert run_virtual(main(True, True)) == (1.5, ["shelter"], False)
    assert run_virtual(main(False, True)) == (2.0, ["shelter"], True)
    assert run_virtual(main(False, False)) == (2.0, ["shelter"], False), "taken from it, the frame reads out"


def test_one_that_will_not_end_is_passed_over() -> None:
    async def main() -> float:
        arbiter = Arbiter()

        async def stubborn() -> None:
            async with arbiter.claim(frozenset({"roof"}), "a driver that swallows it", Urgency.HAND):
                for _ in range(50):
                    try:
                        await asyncio.sleep(10)
                    except asyncio.CancelledError:
                        continue

        task = asyncio.ensure_future(stubborn())
        await asyncio.sleep(1)
        async with arbiter.claim(frozenset({"roof"}), "shelter", Urgency.SHELTER):
            waited = now() - 1
            await task
            assert arbiter.holder("roof") == "shelter", "the late one gives back nothing of ours"
        return waited

    assert run_virtual(main()) == 12.0


def test_the_mount_moved_excludes_all_and_pulses_go_beside_a_frame() -> None:
    async def main() -> list[tuple[str, bool]]:
        found = []
        for mode, beside in (
            (Mode.STEADY, Mode.PULSED), (Mode.STEADY, Mode.STEADY), (Mode.PULSED, Mode.PULSED),
            (Mode.USED, Mode.STEADY), (Mode.USED, Mode.PULSED), (Mode.USED, Mode.USED),
        ):  # fmt: skip
            arbiter = Arbiter()
            async with arbiter.claim({"mount": mode}, "one"):
                other = asyncio.ensure_future(hold_mode(arbiter, beside))
                await asyncio.sleep(1)
                found.append((f"{mode} {beside}", other.done()))
            await other
        return found

    async def hold_mode(arbiter: Arbiter, mode: Mode) -> None:
        async with arbiter.claim({"mount": mode}, "other"):
            pass

    assert run_virtual(main()) == [
        ("steady pulsed", True), ("steady steady", True), ("pulsed pulsed", False),
        ("used steady", False), ("used pulsed", False), ("used used", False),
    ]  # fmt: skip


_NAMES = ["mount", "camera", "roof", "focuser"]


@settings(max_examples=80, deadline=None)
@given(
    st.lists(
        st.tuples(
            st.floats(0, 20), st.floats(0.1, 30), st.sampled_from(list(Urgency)),
            st.sets(st.sampled_from(_NAMES), min_size=1),
        ),
        min_size=1, max_size=12,
    )
)  # fmt: skip
def test_nobody_ever_shares_and_everybody_gets_a_turn_or_gives_way(
    wanted: list[tuple[float, float, Urgency, set[str]]],
) -> None:
    async def main() -> None:
        arbiter, held = Arbiter(), dict[str, str]()
        ended: list[str] = []

        async def one(number: int, after: float, seconds: float, urgency: Urgency, names: set[str]) -> None:
            await asyncio.sleep(after)
            try:
                async with arbiter.claim(frozenset(names), str(number), urgency):
                    assert not held.keys() & names, "two hold one device"
                    held.update(dict.fromkeys(names, str(number)))
                    try:
                        await asyncio.sleep(seconds)
                    finally:
                        for name in names:
                            del held[name]
            except asyncio.CancelledError:
                assert any(u > urgency for _, _, u, _ in wanted), "only for somebody more urgent"
            ended.append(str(number))

        async with asyncio.timeout(1000):
            await asyncio.gather(*(one(n, *each) for n, each in enumerate(wanted)))
        assert len(ended) == len(wanted) and not held
        assert not any(arbiter.holder(name) for name in (*DEVICE_KINDS, "cooler"))

    run_virtual(main())


@pytest.mark.parametrize("raises", [False, True])
def test_a_holder_that_raises_when_asked_yields_all_the_same(raises: bool) -> None:
    def ask(why: str) -> None:
        if raises:
            raise RuntimeError("no")

    async def main(yields: Callable[[str], None]) -> float:
        arbiter = Arbiter()

        async def holds() -> None:
            async with arbiter.claim(frozenset({"mount"}), "it", Urgency.HAND, yields, grace_s=1):
                await asyncio.sleep(100)

        task = asyncio.ensure_future(holds())
        await asyncio.sleep(0.5)
        async with arbiter.claim(frozenset({"mount"}), "shelter", Urgency.SHELTER):
            pass
        await asyncio.wait({task})
        return now()

    assert run_virtual(main(ask)) < 2
