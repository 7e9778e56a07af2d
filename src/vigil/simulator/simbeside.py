"""What stands beside the train: rotator, flat panel, cover and roof, weather, safety, heaters, power."""

from datetime import datetime, timedelta

from vigil.devices.errors import Refused
from vigil.devices.protocols import (
    Capabilities,
    HeatersState,
    PanelState,
    PowerState,
    RotatorState,
    SafetyState,
    ShutterState,
    WeatherState,
)
from vigil.documents.scenario import FaultKind
from vigil.simulator.gear import Gear
from vigil.simulator.travel import TICK_S, Travel

_ROTATOR_DEG_S = 4.0
_PANEL_S = 0.5
_SWITCH_S = 0.3
_ARRIVES = {"opening": "open", "closing": "closed"}
# beyond these a safety sensor says no
_UNSAFE_CLOUD, _UNSAFE_WIND = 80.0, 15.0


class _Beside:
    """Connecting, the same for all."""

    def __init__(self, gear: Gear, name: str) -> None:
        self._gear = gear
        self._name = name

    async def connect(self) -> None:
        await self._gear.connect(self._name, 1.0)

    async def disconnect(self) -> None:
        self._gear.disconnect(self._name)

    async def capabilities(self) -> Capabilities:
        return Capabilities()


class SimRotator(_Beside):
    def __init__(self, gear: Gear) -> None:
        super().__init__(gear, "rotator")
        self._travel = Travel(gear, "rotator")

    async def read(self) -> RotatorState:
        self._gear.need(self._name)
        return RotatorState(round(self._gear.state.rotator_deg, 2), self._travel.moving)

    async def move_to(self, angle_deg: float) -> None:
        gear, part = self._gear, self._gear.rig.rotator
        gear.need(self._name)
        low, high = (part.lowest_deg, part.highest_deg) if part else (0.0, 360.0)
        if not low <= angle_deg <= high:
            raise Refused(f"rotator: {angle_deg:g}° is outside its range {low:g}…{high:g}°")
        state = gear.state

        def turn(degrees: float) -> None:
            state.rotator_deg += degrees

        await self._travel.go(lambda: state.rotator_deg, turn, angle_deg, _ROTATOR_DEG_S)

    async def stop(self) -> None:
        self._travel.stop()


class SimPanel(_Beside):
    def __init__(self, gear: Gear) -> None:
        super().__init__(gear, "flat panel")

    async def capabilities(self) -> Capabilities:
        part = self._gear.rig.panel
        levels = part.levels if part else 0
        return Capabilities({} if levels else {"level": "it is on or off only"}, {"panel.levels": levels})

    async def read(self) -> PanelState:
        self._gear.need(self._name)
        return PanelState(self._gear.state.panel_level)

    async def set_level(self, level: int) -> None:
        gear, part = self._gear, self._gear.rig.panel
        gear.need(self._name)
        brightest = max(1, part.levels) if part else 1
        if not 0 <= level <= brightest:
            raise Refused(f"flat panel: step {level} does not exist, it has 0 to {brightest}")
        gear.state.panel_level = level
        gear.save()
        await gear.clock.sleep(_PANEL_S)


class SimShutter(_Beside):
    """The cover or the roof. A roof that doesn't clear the telescope won't close unless it is parked."""

    def __init__(self, gear: Gear, name: str) -> None:
        super().__init__(gear, name)

    async def read(self) -> ShutterState:
        self._gear.need(self._name)
        self._settle()
        return ShutterState(self._gear.state.shutters.get(self._name, "closed"))

    async def open(self) -> None:
        await self._move("opening", "open")

    async def close(self) -> None:
        await self._move("closing", "closed")

    async def _move(self, going: str, arrived: str) -> None:
        gear, shutters = self._gear, self._gear.state.shutters
        gear.need(self._name)
        self._settle()
        if shutters.get(self._name, "closed") == arrived:
            return
        part = gear.rig.roof if self._name == "roof" else gear.rig.cover
        parked = gear.state.parked or gear.rig.mount is None
        if self._name == "roof" and going == "closing" and not parked and not gear.rig.roof.clears_telescope:
            raise Refused("roof: the telescope is in its way: park the mount first")
        shutters[self._name] = going
        ends = gear.clock.utcnow() + timedelta(seconds=part.moves_in_s if part else 10.0)
        gear.state.shutters_until[self._name] = ends
        gear.save()
        while shutters[self._name] == going and gear.clock.utcnow() < ends:
            await gear.clock.sleep(min(TICK_S, (ends - gear.clock.utcnow()).total_seconds()))
        self._settle()

    def _settle(self) -> None:
        """It goes on moving though nobody waits for it any more, until it has arrived."""
        gear = self._gear
        until, arrives = gear.state.shutters_until.get(self._name), _ARRIVES
        going = gear.state.shutters.get(self._name, "closed")
        if going in arrives and until is not None and gear.clock.utcnow() >= until:
            gear.state.shutters[self._name] = arrives[going]
            gear.save()

    async def stop(self) -> None:
        self._settle()
        if self._gear.state.shutters.get(self._name) in _ARRIVES:
            self._gear.state.shutters[self._name] = "stopped"
            self._gear.save()


class SimWeather(_Beside):
    def __init__(self, gear: Gear) -> None:
        super().__init__(gear, "weather station")

    async def read(self) -> WeatherState:
        self._gear.need(self._name)
        now = _told_at(self._gear, self._name)
        air = self._gear.weather
        return WeatherState(
            now,
            round(air.probe_c(now), 1),
            round(air.humidity_percent(now)),
            round(air.wind_m_s(now), 1),
            round(air.cloud_percent(now)),
        )


class SimSafety(_Beside):
    def __init__(self, gear: Gear) -> None:
        super().__init__(gear, "safety sensor")

    async def read(self) -> SafetyState:
        self._gear.need(self._name)
        now, gear = _told_at(self._gear, self._name), self._gear
        air = gear.weather
        flickers = gear.faults.active(FaultKind.FLICKERS, self._name, gear.minutes(now))
        if flickers is not None and int(now.timestamp() // max(1.0, flickers.amount)) % 2:
            return SafetyState(now, False)
        return SafetyState(now, air.cloud_percent(now) < _UNSAFE_CLOUD and air.wind_m_s(now) < _UNSAFE_WIND)


def _told_at(gear: Gear, name: str) -> datetime:
    """Now, or, of a station that stands still, when it stopped."""
    now = gear.clock.utcnow()
    fault = gear.faults.stands_still_since(name, gear.minutes(now))
    return now if fault is None else gear.starts_at + timedelta(minutes=fault)


class SimHeaters(_Beside):
    def __init__(self, gear: Gear) -> None:
        super().__init__(gear, "heaters")

    def _names(self) -> list[str]:
        part = self._gear.rig.heaters
        return [output.name for output in part.outputs] if part else []

    async def read(self) -> HeatersState:
        self._gear.need(self._name)
        levels = self._gear.state.heaters_percent
        return HeatersState({name: levels.get(name, 0.0) for name in self._names()})

    async def set_level(self, heater: str, level_percent: float) -> None:
        self._gear.need(self._name)
        if heater not in self._names():
            raise Refused(f"heaters: none is called {heater!r}; there are {', '.join(self._names())}")
        if not 0 <= level_percent <= 100:
            raise Refused(f"heaters: {level_percent:g} % is not possible: 0 to 100")
        self._gear.state.heaters_percent[heater] = level_percent
        self._gear.save()
        await self._gear.clock.sleep(_SWITCH_S)


class SimPower(_Beside):
    def __init__(self, gear: Gear) -> None:
        super().__init__(gear, "power")

    def _outlets(self) -> dict[str, bool]:
        part = self._gear.rig.power
        return {o.name: o.on_at_start for o in part.outlets} if part else {}

    async def read(self) -> PowerState:
        self._gear.need(self._name)
        known = self._outlets()
        return PowerState({name: self._gear.state.outlets.get(name, on) for name, on in known.items()})

    async def switch(self, outlet: str, on: bool) -> None:
        gear, part = self._gear, self._gear.rig.power
        gear.need(self._name)
        found = next((o for o in part.outlets if o.name == outlet), None) if part else None
        if found is None:
            raise Refused(f"power: no outlet is called {outlet!r}; there are {', '.join(self._outlets())}")
        gear.state.outlets[outlet] = on
        if not on and found.feeds is not None:
            feeds = "guide camera" if found.feeds == "guider" else found.feeds
            gear.state.connected[feeds] = False
        gear.save()
        await gear.clock.sleep(_SWITCH_S)
