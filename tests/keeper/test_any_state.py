"""Commands in any order, under any faults: there is no state from which hold, end and stop don't work."""

import asyncio
import dataclasses
import tempfile
from pathlib import Path
from typing import Any

from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from campaigns.demo import short_plan
from campaigns.rigs import example, small
from vigil.cli.assemble import equip
from vigil.documents.events import Event
from vigil.documents.messages import Answer, Ask, Command
from vigil.documents.scenario import Scenario
from vigil.documents.scenario.fault import Fault, FaultKind
from vigil.engine.rehearsal import no_file
from vigil.keeper.keeper import Keeper
from vigil.ledger.ledger import Ledger
from vigil.link.loopback import Loopback
from vigil.runtime.clock import ScenarioClock
from vigil.runtime.simulated import run_virtual, simulated_loop
from vigil.runtime.workshop import Workshop
from vigil.simulator.observatory import SimObservatory
from vigil.simulator.quick import QuickMeasurer

RIG = small(example("stork-1600"), 4)
PLAN = short_plan(count=3, exposure_s=300.0, dither_every_frames=2)
_FAULTS = (
    (FaultKind.DISCONNECTS, "mount"), (FaultKind.DISCONNECTS, "camera"), (FaultKind.DISCONNECTS, "roof"),
    (FaultKind.DISCONNECTS, "weather station"), (FaultKind.SLEW_REFUSED, "mount"), (FaultKind.STAYS, "mount"),
    (FaultKind.FOCUSER_STALLS, "focuser"), (FaultKind.FLICKERS, "safety sensor"),
    (FaultKind.CANT_END, "camera"),
    (FaultKind.STALE, "weather station"), (FaultKind.DISK_GONE, None), (FaultKind.THROWS, "mount"),
    (FaultKind.THROWS, "roof"), (FaultKind.TIMES_OUT, "focuser"), (FaultKind.WHEEL_JAMS, "filter wheel"),
)  # fmt: skip
_DEEDS: tuple[dict[str, Any], ...] = (
    {"device": "all", "action": "connect"},
    {"device": "all", "action": "stop"},
    {"device": "mount", "action": "unpark"},
    {"device": "mount", "action": "slew", "ra": "5h", "dec": "40"},
    {"device": "mount", "action": "nudge", "direction": "north", "rate": 64.0, "seconds": 50},
    {"device": "mount", "action": "frame", "ra": "5h", "dec": "40", "angle_deg": 10.0},
    {"device": "mount", "action": "stop"},
    {"device": "roof", "action": "open"},
    {"device": "camera", "action": "loop", "exposure_s": 20.0},
    {"device": "camera", "action": "cool", "set_point_c": -10.0},
    {"device": "focuser", "action": "to", "position": 9000},
)
_COMMANDS: tuple[tuple[Command, dict[str, Any]], ...] = (
    (Command.START, {"plan": PLAN.model_dump(mode="json")}),
    (Command.HOLD, {"now": True}),
    (Command.HOLD, {}),
    (Command.RESUME, {}),
    (Command.END, {}),
    (Command.END, {"after_frame": True}),
    (Command.STOP, {}),
    (Command.SKIP, {"block": PLAN.blocks[0].id}),
    (Command.NEXT, {"block": PLAN.blocks[0].id, "now": True}),
    (Command.REFOCUS, {}),
    (Command.ANSWER, {}),
    (Command.PLAN, {"plan": short_plan(count=2, exposure_s=300.0).model_dump(mode="json")}),
    *((Command.DEVICE, deed) for deed in _DEEDS),
)
faults = st.lists(
    st.builds(
        lambda what, at, minutes, share: Fault(
            kind=what[0], device=what[1], at_min=at, minutes=minutes, share=share
        ),
        st.sampled_from(_FAULTS),
        st.floats(0, 120),
        st.floats(0.1, 60),
        st.sampled_from([0.3, 1.0]),
    ),
    max_size=3,
)
steps = st.lists(
    st.tuples(st.sampled_from(_COMMANDS), st.sampled_from([0.0, 0.5, 5.0, 40.0, 300.0, 1800.0])), max_size=12
)


class Table:
    """A keeper, and what a client asks of it."""

    def __init__(self, keeper: Keeper, observatory: SimObservatory) -> None:
        self.keeper, self.link, self.observatory = keeper, Loopback(keeper), observatory
        self.said: list[str] = []

    async def ask(self, command: Command, **values: Any) -> Answer:
        answer = await self.link.ask(Ask(id="x", command=command, values=values))
        self.said.append(f"{command} {values.get('device', '')} {values.get('action', '')}: {answer.reason}")
        return answer

    async def run_state(self) -> str:
        return (await self.link.status()).run

    async def becomes(self, wanted: set[str], within_s: float) -> bool:
        for _ in range(int(within_s / 5)):
            if await self.run_state() in wanted:
                return True
            await asyncio.sleep(5)
        return False


@settings(max_examples=30, deadline=None, derandomize=True, suppress_health_check=[HealthCheck.too_slow])
@given(faults, steps)
def test_hold_end_and_stop_work_from_everywhere(
    befalls: list[Fault], asked: list[tuple[tuple[Command, dict[str, Any]], float]]
) -> None:
    async def main(out: Path) -> None:
        assert RIG.simulated is not None
        clock, workshop, ledger = ScenarioClock(RIG.simulated.starts_at), Workshop(0), Ledger()
        observatory = SimObservatory(RIG, 1, clock, workshop, scenario=Scenario(faults=befalls), quick=True)
        equipment = equip(RIG, observatory, clock, workshop, out, out)
        equipment = dataclasses.replace(equipment, measurer=QuickMeasurer(), write=no_file, look_every_s=5.0)
        keeper = Keeper(equipment, ledger, pace=simulated_loop(), looks_when_idle=True)
        table = Table(keeper, observatory)
        keeping = asyncio.ensure_future(keeper.run())
        events: list[Event] = []

        async def listen() -> None:
            async for news in table.link.news():
                if isinstance(news, Event):
                    events.append(news)

        listening = asyncio.ensure_future(listen())
        try:
            for (command, values), pause_s in asked:
                await table.ask(command, **values)
                await asyncio.sleep(pause_s)
            await _all_work(table)
        finally:
            listening.cancel()
            keeper.end("the test is over")
            await asyncio.wait({keeping})
            ledger.close()
        assert not any("error in Vigil" in event.reason for event in events)

    with tempfile.TemporaryDirectory() as folder:
        run_virtual(main(Path(folder)))


async def _all_work(table: Table) -> None:
    """From here on: stop, go on, hold, end; and it ends shut and parked."""
    if await table.run_state() in ("ready", "over"):
        answer = await table.ask(Command.START, plan=PLAN.model_dump(mode="json"))
        assert answer.taken, table.said
        await asyncio.sleep(120)
    state = table.observatory.truth.gear.state
    if await table.run_state() in ("running", "held"):
        assert (await table.ask(Command.STOP)).taken, table.said
        hinders = any(
            f.befalls == "mount" and f.kind in (FaultKind.THROWS, FaultKind.TIMES_OUT, FaultKind.DISCONNECTS)
            for f in table.observatory.scenario.faults
        )
        assert state.motion is None or hinders, table.said
        assert await table.becomes({"held", "closing", "over"}, 300), table.said
    if await table.run_state() == "held":
        assert (await table.ask(Command.RESUME)).taken, table.said
        assert await table.becomes({"running", "held", "closing", "over"}, 60)
    if await table.run_state() == "running":
        assert (await table.ask(Command.HOLD, now=True)).taken, table.said
        assert await table.becomes({"held", "closing", "over"}, 300), table.said
    if await table.run_state() in ("running", "held"):
        assert (await table.ask(Command.END)).taken, table.said
    assert await table.becomes({"over"}, 3 * 3600), table.said
    for _ in range(120):
        if state.parked and state.shutters.get("roof", "closed") == "closed":
            break
        await asyncio.sleep(60)
    assert state.parked and state.shutters.get("roof", "closed") == "closed", table.said
