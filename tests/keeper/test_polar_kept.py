"""The polar bench's errands in a keeper: asked about turn by turn, and guiding set aside for a drift."""

import asyncio
from datetime import timedelta
from pathlib import Path

from campaigns.kept import RIG, Place, kept
from vigil.documents.events import Kind
from vigil.documents.messages import Command
from vigil.documents.rig.change import with_values

assert RIG.simulated is not None
DARK = with_values(RIG, {("simulated", "starts_at"): RIG.simulated.starts_at + timedelta(hours=5)})


async def ready(place: Place) -> None:
    await place.do("all", "connect")
    await place.do("mount", "unpark")
    await place.do("mount", "slew", ra="5h16m", dec="+34 21")


def test_step_by_step_each_turn_is_asked_about(tmp_path: Path) -> None:
    async def work(place: Place) -> None:
        await ready(place)
        answer = await place.ask(Command.BEGIN, kind="polar axis", goes=True, by_steps=True)
        for number in (1, 2):
            await place.until(Kind.QUESTION_ASKED, errand=answer.reason, question=number)
            await asyncio.sleep(120)
            asked = [e.reason for e in place.of(answer.reason) if e.kind is Kind.QUESTION_ASKED]
            assert len(asked) == number and "Turn by 30°" in asked[-1], "it waits"
            assert (await place.ask(Command.ANSWER, answer="turn")).taken
        ended = await place.until(Kind.ERRAND_ENDED, errand=answer.reason)
        assert ended.values["outcome"] == "done" and ended.values["polar"]["frames"] == 3
        again = await place.ask(Command.BEGIN, kind="polar axis", by_steps=True)
        await place.until(Kind.QUESTION_ASKED, errand=again.reason)
        await asyncio.sleep(5)
        await place.ask(Command.ANSWER, answer="stop here")
        ended = await place.until(Kind.ERRAND_ENDED, errand=again.reason)
        assert ended.values["outcome"] == "failed" and "as it was asked" in ended.reason

    kept(tmp_path, work, rig=DARK)


def test_guiding_is_set_aside_for_a_drift_and_goes_on_as_it_was(tmp_path: Path) -> None:
    async def work(place: Place) -> None:
        await ready(place)
        guiding = await place.ask(Command.BEGIN, kind="guiding", exposure_s=1.5)
        await asyncio.sleep(400)
        drift = await place.ask(Command.BEGIN, kind="polar drift", longest_s=60)
        ended = await place.until(Kind.ERRAND_ENDED, errand=guiding.reason)
        assert "measuring azimuth by drift; it goes on afterwards" in ended.reason
        await asyncio.sleep(20)
        assert [e.kind for e in await place.under_way()] == ["polar drift"]
        await place.ask(Command.STOP_ERRAND, errand=drift.reason)  # however it ends
        await place.until(Kind.ERRAND_ENDED, errand=drift.reason)
        await asyncio.sleep(20)
        (again,) = await place.under_way()
        assert again.kind == "guiding" and again.id != guiding.reason
        begun = next(e for e in place.of(again.id) if e.kind is Kind.ERRAND_STARTED)
        assert begun.values["given"] == {"exposure_s": 1.5}

    kept(tmp_path, work, rig=DARK)
