"""A rig without a cloud sensor: few stars hold the night, looks at the sky end the hold."""

from itertools import pairwise
from pathlib import Path
from typing import Any

from campaigns.demo import quick_rig, short_plan
from campaigns.night import Played, play
from vigil.documents.events import Event, Kind
from vigil.documents.messages import Command
from vigil.documents.scenario import Scenario

CLOUD = {"arrives_min": 44, "minutes": 25, "thickness_mag": 5, "edge_min": 2}


def night(folder: Path, on_event: Any = None, **orders: Any) -> Played:
    plan = short_plan(count=12)
    plan = plan.model_copy(update={"orders": plan.orders.model_copy(update=orders)})
    scenario = Scenario.model_validate({"air": {"clouds": [CLOUD]}})
    return play(quick_rig(), plan, folder, 2, on_event, scenario=scenario, quick=True)


def looks(played: Played) -> list[Event]:
    return [e for e in played.of(Kind.ACTIVITY_ENDED) if e.values["kind"] == "look"]


def test_a_cloud_holds_the_night_until_looks_show_stars_again(tmp_path: Path) -> None:
    played = night(tmp_path)
    (held,), (resumed,) = played.of(Kind.HELD), played.of(Kind.RESUMED)
    assert held.values == {"condition": "enough stars"} and "stars where" in held.reason
    assert "limit 35" in held.reason and resumed.reason.startswith("enough stars again for")
    # looked every five minutes, each time with how many there were; the last one had them all
    told = looks(played)
    apart = [(b.at - a.at).total_seconds() / 60 for a, b in pairwise(told)]
    assert len(told) >= 4 and all(5 <= minutes < 6.5 for minutes in apart), apart
    few, many = told[0].values["looked"]["stars"], told[-1].values["looked"]["stars"]
    assert few < 0.35 * many
    assert 25 < (resumed.at - held.at).total_seconds() / 60 < 45
    assert played.events[-1].values["frames"] == 24
    under = [e for e in played.of(Kind.EXPOSURE_STARTED) if held.at < e.at < resumed.at]
    assert under == []


def test_switched_off_the_night_exposes_on(tmp_path: Path) -> None:
    played = night(tmp_path, stars_at_least_percent=None)
    assert not played.of(Kind.HELD) and not looks(played)
    assert min(e.values["stars"] for e in played.of(Kind.FRAME_MEASURED)) < 30


def test_a_person_who_resumes_is_believed(tmp_path: Path) -> None:
    async def resume(event: Event, played: Played) -> None:
        if event.kind is Kind.HELD and len(played.of(Kind.HELD)) == 1:
            assert (await played.ask(Command.RESUME)).taken

    played = night(tmp_path, resume)
    resumed = played.of(Kind.RESUMED)
    assert resumed[0].reason == "resumed by hand"
    # one more frame was taken before it held again
    after = [e for e in played.of(Kind.EXPOSURE_ENDED) if e.at > resumed[0].at]
    assert after and after[0].at < played.of(Kind.HELD)[1].at
    assert played.events[-1].values["frames"] == 24
