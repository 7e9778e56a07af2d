"""Where there are too few stars: a richer field near by, and back centred."""

import asyncio
from datetime import timedelta
from pathlib import Path
from typing import Any

import pytest

from campaigns.demo import demo_rig, quick_rig, short_plan
from campaigns.kept import Place, kept
from vigil.cli.benchalone import Alone, Bench, on_the_bench
from vigil.cli.rehearsing import rehearsed
from vigil.documents.events import Event, Kind
from vigil.documents.messages import Command
from vigil.documents.rig.change import with_values
from vigil.documents.scenario import Scenario
from vigil.engine.focusing.elsewhere import ENOUGH, richer_field
from vigil.sky.angles import separation_deg

POOR = 130.0, 25.0
"""Some degrees from an open cluster."""
NARROW = with_values(
    demo_rig(),
    {
        ("telescope", "focal_length_mm"): 900.0,
        ("telescope", "aperture_mm"): 60.0,
        ("camera", "columns"): 1300,
        ("camera", "rows"): 1000,
    },
)


def at() -> Any:
    assert NARROW.simulated is not None
    return NARROW.simulated.starts_at + timedelta(hours=7)


def test_a_richer_field_is_near_high_and_on_the_same_side() -> None:
    found = richer_field(NARROW, *POOR, "west", at())
    assert found is not None and found.stars > 2 * max(found.here, 2) and found.here < ENOUGH
    away = float(separation_deg(*POOR, found.ra_deg, found.dec_deg))
    assert away == pytest.approx(found.away_deg, rel=0.01) and away <= 6
    assert "to focus by here" in found.words
    assert richer_field(quick_rig(), *POOR, "west", at()) is None, "stars enough here"


@pytest.mark.parametrize(
    ("kind", "elsewhere", "goes"),
    [
        ("focus", "always", True),
        ("focus", "never", False),
        ("focus", "ask", False),
        ("find focus", "always", True),
    ],
)
def test_a_run_goes_there_and_comes_back(kind: str, elsewhere: str, goes: bool) -> None:
    looked: list[tuple[float, float]] = []

    async def use(bench: Bench) -> Event:
        ended = await bench.carry_out(kind, {"elsewhere": elsewhere})
        looked.append(bench.observatory.truth.pointing_deg())
        return ended

    told: list[Event] = []
    order = Alone(NARROW, Scenario(), 1, at(), near=POOR, quick=True, listener=told.append)
    ended = on_the_bench(order, use)
    going = [e for e in told if e.reason.endswith("going there")]
    assert bool(going) == goes
    asked = [e for e in told if e.kind is Kind.QUESTION_ASKED]
    assert len(asked) == (elsewhere == "ask"), "asked, and nobody answers: it is focused here"
    if goes:  # and is centred by solving
        assert ended.values["outcome"] == "done" and "″ from where it looked before" in ended.reason
        assert 3600 * float(separation_deg(*looked[0], *POOR)) < 5 * NARROW.scale_arcsec_px() + 5


def test_cut_off_on_its_way_the_mount_stands(tmp_path: Path) -> None:
    async def work(place: Place) -> None:
        await place.do("all", "connect")
        await place.do("mount", "unpark")
        await place.do("mount", "slew", ra=f"{POOR[0]}", dec=f"+{POOR[1]}")
        answer = await place.ask(Command.BEGIN, kind="focus", elsewhere="always")
        assert answer.taken, answer.reason
        begun = await place.until(Kind.ERRAND_STEP, errand=answer.reason)
        assert begun.reason.endswith("going there")
        await asyncio.sleep(2)
        await place.ask(Command.STOP_ERRAND, errand=answer.reason)
        ended = await place.until(Kind.ERRAND_ENDED, errand=answer.reason)
        assert ended.values["outcome"] == "stopped"
        mount = place.keeper._equipment.devices.mount
        assert mount is not None
        seen = []
        for _ in range(2):
            await asyncio.sleep(20)
            await mount.refresh()
            assert mount.state is not None and not mount.state.slewing
            seen.append((mount.state.ra_deg, mount.state.dec_deg))
        assert float(separation_deg(*seen[0], *seen[1])) < 0.01

    kept(tmp_path, work, rig=with_values(NARROW, {("simulated", "starts_at"): at().isoformat()}))


def test_a_night_does_so_by_rule() -> None:
    plan = short_plan(count=2, focus_elsewhere=True)
    block = plan.blocks[0]
    target = block.target.model_copy(update={"name": "near M 44", "ra_deg": POOR[0], "dec_deg": POOR[1]})
    plan = plan.model_copy(update={"blocks": [block.model_copy(update={"target": target})]})
    rig = with_values(NARROW, {("simulated", "starts_at"): at().isoformat()})
    events = list(rehearsed(plan, rig, Scenario(), 3, Path("frames")).events)
    went = [k for k, e in enumerate(events) if e.reason.endswith("going there")]
    assert went, [e.reason for e in events if e.kind is Kind.ACTIVITY_STARTED]
    ended = next(k for k, e in enumerate(events) if k > went[0] and e.kind is Kind.ACTIVITY_ENDED)
    assert events[ended].values["kind"] == "focus" and events[ended].values["disturbed"] == ["pointing"]
    after = [e.values["kind"] for e in events[ended:] if e.kind is Kind.ACTIVITY_STARTED]
    assert "centre" in after, "it is centred before the next frame"
    assert sum(e.kind is Kind.FRAME_SAVED for e in events) == 4
