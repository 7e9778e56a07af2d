"""A flat panel that was left on does no harm to a night's lights, or is named."""

from pathlib import Path

from campaigns.demo import quick_rig, short_plan
from campaigns.night import Played, play
from vigil.cli.benchalone import Alone, Bench, on_the_bench
from vigil.devices.protocols import Devices
from vigil.documents.events import Event, Kind
from vigil.documents.rig.change import with_values
from vigil.documents.scenario import Scenario

SMALL = with_values(quick_rig(), {("camera", "columns"): 240, ("camera", "rows"): 160})


def test_a_night_switches_a_panel_off_that_it_finds_on(tmp_path: Path) -> None:
    observed: list[Devices] = []

    def on(devices: Devices) -> Devices:
        observed.append(devices)
        devices.panel._gear.state.panel_level = 90  # type: ignore[union-attr]
        return devices

    played: Played = play(quick_rig(), short_plan(count=1), tmp_path, quick=True, alter=on)
    assert any("the flat panel was on" in e.reason for e in played.of(Kind.ACTIVITY_STEP))
    assert played.truth.gear.state.panel_level == 0 and played.events[-1].values["frames"] == 2


def test_one_that_is_left_on_the_telescope_is_asked_about() -> None:
    """Laid on by hand and lit: nothing but an even light is seen."""
    assert SMALL.simulated is not None

    async def use(bench: Bench) -> list[Event]:
        await bench.carry_out("focus", {})
        return bench.events

    lit = Scenario.model_validate({"name": "forgotten", "panel": {"left_on": True}})
    events = on_the_bench(Alone(SMALL, lit, 3, SMALL.simulated.starts_at.replace(hour=21)), use)
    asked = [e.reason for e in events if "is Lark flat panel still on the telescope?" in e.reason]
    assert asked and "in a light that fills them to" in asked[0]
