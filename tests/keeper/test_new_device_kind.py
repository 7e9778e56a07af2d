"""A kind of device that Vigil does not have, added as docs/architecture.md tells it: table, part, deed."""

from dataclasses import dataclass, replace
from datetime import datetime
from pathlib import Path
from typing import Annotated, Any

import pytest

from tests.keeper.test_errands import RIG, Place, kept
from vigil.devices.errors import DeviceFault
from vigil.devices.protocols import Capabilities, Devices
from vigil.documents.actions import Action, Takes, Value
from vigil.documents.devicekinds import DEVICE_KINDS, DeviceKind
from vigil.documents.events import Kind
from vigil.documents.hand import UnknownAction, actions_of, read_values
from vigil.documents.messages import Command
from vigil.documents.rig import Rig
from vigil.documents.rig.part import Part, Shown
from vigil.engine.activity import Kit
from vigil.engine.hand import deeds

BELL = DeviceKind(
    "bell",
    "bell",
    "its battery",
    needed=False,
    moves=True,
    actions=(Action("ring", "ring", (Value("times", Takes.WHOLE, "", 1),)), Action("stop", "stop")),
)


class BellPart(Part):
    name: str
    loudest: Annotated[int, Shown("rings at most")] = 12


class RigWithBell(Rig):
    bell: BellPart | None = None


@dataclass(frozen=True, slots=True)
class BellState:
    measured_at: datetime | None
    rung: int


class Bell:
    """Its driver."""

    def __init__(self) -> None:
        self.rung, self.broken = 0, False

    async def connect(self) -> None:
        if self.broken:
            raise DeviceFault("bell: no sound")

    async def disconnect(self) -> None: ...

    async def capabilities(self) -> Capabilities:
        return Capabilities()

    async def read(self) -> BellState:
        return BellState(None, self.rung)

    async def ring(self, times: int) -> None:
        self.rung += times

    async def stop(self) -> None:
        self.rung = 0


async def ring(kit: Kit, values: dict[str, Any]) -> str:
    await kit.devices.named("bell").do("ring", 10.0, lambda bell: bell.ring(values["times"]))
    return f"rung {values['times']} times"


@pytest.fixture
def bell(monkeypatch: pytest.MonkeyPatch) -> Bell:
    monkeypatch.setitem(DEVICE_KINDS, BELL.name, BELL)
    monkeypatch.setitem(deeds.DEEDS, ("bell", "ring"), ring)
    return Bell()


def test_a_new_kind_is_connected_worked_by_hand_and_stopped(tmp_path: Path, bell: Bell) -> None:
    rig = RigWithBell.model_validate({**RIG.model_dump(), "bell": {"name": "Little Tom"}})
    assert rig.device_names[-1] == "bell"
    assert read_values("bell", actions_of("bell")[2], ["3"]) == {"times": 3}

    async def work(place: Place) -> None:
        bell.broken = True
        await place.ask(Command.DEVICE, device="bell", action="connect")
        await place.until(Kind.ERRAND_ENDED, outcome="failed")
        report = (await place.link.status()).reports[-1]
        assert report.name == "bell" and report.lamp == "fault" and report.advice == "check its battery"
        bell.broken = False
        await place.do("all", "connect")
        assert (await place.link.status()).devices["bell"] == "ready"
        await place.do("bell", "ring", times=3)
        assert place.told[-1].reason == "rung 3 times" and bell.rung == 3
        await place.ask(Command.STOP)
        assert bell.rung == 0, "the emergency stop knows it"

    kept(tmp_path, work, rig=rig, alter=lambda devices: replace(devices, others={"bell": bell}))


def test_without_its_entry_in_the_table_there_is_none(tmp_path: Path) -> None:
    with pytest.raises(UnknownAction, match="no device called 'bell'"):
        actions_of("bell")
    assert "bell" not in Devices(others={"bell": Bell()}).named()
