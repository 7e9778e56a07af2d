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
from vigil.simulator.gear import Bench
from vigil.simulator.travel import TICK_S, Travel

_ROTATOR_DEG_S = 4.0
_PANEL_S = 0.5
_SWITCH_S = 0.3
_ARRIVES = {"opening": "open", "closing": "closed"}
# beyond these a safety sensor says no
_UNSAFE_CLOUD, _UNSAFE_WIND = 80.0, 15.0


class _Beside:
    """Connecting, the same for all."""

    def __init__(self, bench: Bench, name: str) -> None:
        self._bench = bench
        self._name = name

    async def connect(self) -> None:
        await self._bench.connect(self._name, 1.0)

    async def disconnect(self) -> None:
        self._bench.disconnect(self._name)

    async def capabilities(self) -> Capabilities:
        return Capabilities()


class SimRotator(_Beside):
    def __init__(self, bench: Bench) -> None:
        super().__init__(bench, "rotator")
        self._travel = Travel(bench, "rotator")

    async def read(self) -> RotatorState:
        self._bench.need(self._name)
        return RotatorState(round(self._bench.state.rotator_deg, 2), self._travel.moving)

    async def move_to(self, angle_deg: float) -> None:
        bench, part = self._bench, self._bench.rig.rotator
        bench.need(self._name)
        low, high = (part.lowest_deg, part.highest_deg) if part else (0.0, 360.0)
        if not low <= angle_deg <= high:
            raise Refused(f"rotator: {angle_deg:g}° is outside its range {low:g}…{high:g}°")
        state = bench.state

        def turn(degrees: float) -> None:
            state.rotator_deg += degrees

        await self._travel.go(lambda: state.rotator_deg, turn, angle_deg, _ROTATOR_DEG_S)

    async def stop(self) -> None:
        self._travel.stop()


class SimPanel(_Beside):
    def __init__(self, bench: Bench) -> None:
        super().__init__(bench, "flat panel")

    async def capabilities(self) -> Capabilities:
        part = self._bench.rig.panel
        levels = part.levels if part else 0
        return Capabilities({} if levels else {"level": "it is on or off only"}, {"panel.levels": levels})

    async def read(self) -> PanelState:
        self._bench.need(self._name)
        return PanelState(self._bench.state.panel_level)

    async def set_level(self, level: int) -> None:
        bench, part = self._bench, self._bench.rig.panel
        bench.need(self._name)
        brightest = max(1, part.levels) if part else 1
        if not 0 <= level <= brightest:
            raise Refused(f"flat panel: step {level} does not exist, it has 0 to {brightest}")
        bench.state.panel_level = level
        bench.save()
        await bench.clock.sleep(_PANEL_S)


class SimShutter(_Beside):
    """The cover or the roof. A roof that doesn't clear the telescope won't close unless it is parked."""

    def __init__(self, bench: Bench, name: str) -> None:
        super().__init__(bench, name)

    async def read(self) -> ShutterState:
        self._bench.need(self._name)
        self._settle()
        return ShutterState(self._bench.state.shutters.get(self._name, "closed"))

    async def open(self) -> None:
        await self._move("opening", "open")

    async def close(self) -> None:
        await self._move("closing", "closed")

    async def _move(self, going: str, arrived: str) -> None:
        bench, shutters = self._bench, self._bench.state.shutters
        bench.need(self._name)
        self._settle()
        if shutters.get(self._name, "closed") == arrived:
            return
        part = bench.rig.roof if self._name == "roof" else bench.rig.cover
        parked = bench.state.parked or bench.rig.mount is None
        if self._name == "roof" and going == "closing" and not parked and not bench.rig.roof.clears_telescope:
            raise Refused("roof: the telescope is in its way: park the mount first")
        shutters[self._name] = going
        ends = bench.clock.utcnow() + timedelta(seconds=part.moves_in_s if part else 10.0)
        bench.state.shutters_until[self._name] = ends
        bench.save()
        while shutters[self._name] == going and bench.clock.utcnow() < ends:
            await bench.clock.sleep(min(TICK_S, (ends - bench.clock.utcnow()).total_seconds()))
        self._settle()

    def _settle(self) -> None:
        """It goes on moving though nobody waits for it any more, until it has arrived."""
        bench = self._bench
        until, arrives = bench.state.shutters_until.get(self._name), _ARRIVES
        going = bench.state.shutters.get(self._name, "closed")
        if going in arrives and until is not None and bench.clock.utcnow() >= until:
            bench.state.shutters[self._name] = arrives[going]
            bench.save()

    async def stop(self) -> None:
        self._settle()
        if self._bench.state.shutters.get(self._name) in _ARRIVES:
            self._bench.state.shutters[self._name] = "stopped"
            self._bench.save()


class SimWeather(_Beside):
    def __init__(self, bench: Bench) -> None:
        super().__init__(bench, "weather station")

    async def read(self) -> WeatherState:
        self._bench.need(self._name)
        now = _told_at(self._bench, self._name)
        air = self._bench.weather
        return WeatherState(
            now,
            round(air.probe_c(now), 1),
            round(air.humidity_percent(now)),
            round(air.wind_m_s(now), 1),
            round(air.cloud_percent(now)),
        )


class SimSafety(_Beside):
    def __init__(self, bench: Bench) -> None:
        super().__init__(bench, "safety sensor")

    async def read(self) -> SafetyState:
        self._bench.need(self._name)
        now, bench = _told_at(self._bench, self._name), self._bench
        air = bench.weather
        flickers = bench.faults.active(FaultKind.FLICKERS, self._name, bench.minutes(now))
        if flickers is not None and int(now.timestamp() // max(1.0, flickers.amount)) % 2:
            return SafetyState(now, False)
        return SafetyState(now, air.cloud_percent(now) < _UNSAFE_CLOUD and air.wind_m_s(now) < _UNSAFE_WIND)


def _told_at(bench: Bench, name: str) -> datetime:
    """Now, or, of a station that stands still, when it stopped."""
    now = bench.clock.utcnow()
    fault = bench.faults.stands_still_since(name, bench.minutes(now))
    return now if fault is None else bench.starts_at + timedelta(minutes=fault)


class SimHeaters(_Beside):
    def __init__(self, bench: Bench) -> None:
        super().__init__(bench, "heaters")

    def _names(self) -> list[str]:
        part = self._bench.rig.heaters
        return [output.name for output in part.outputs] if part else []

    async def read(self) -> HeatersState:
        self._bench.need(self._name)
        levels = self._bench.state.heaters_percent
        return HeatersState({name: levels.get(name, 0.0) for name in self._names()})

    async def set_level(self, heater: str, level_percent: float) -> None:
        self._bench.need(self._name)
        if heater not in self._names():
            raise Refused(f"heaters: none is called {heater!r}; there are {', '.join(self._names())}")
        if not 0 <= level_percent <= 100:
            raise Refused(f"heaters: {level_percent:g} % is not possible: 0 to 100")
        self._bench.state.heaters_percent[heater] = level_percent
        self._bench.save()
        await self._bench.clock.sleep(_SWITCH_S)


class SimPower(_Beside):
    def __init__(self, bench: Bench) -> None:
        super().__init__(bench, "power")

    def _outlets(self) -> dict[str, bool]:
        part = self._bench.rig.power
        return {o.name: o.on_at_start for o in part.outlets} if part else {}

    async def read(self) -> PowerState:
        self._bench.need(self._name)
        known = self._outlets()
        return PowerState({name: self._bench.state.outlets.get(name, on) for name, on in known.items()})

    async def switch(self, outlet: str, on: bool) -> None:
        bench, part = self._bench, self._bench.rig.power
        bench.need(self._name)
        found = next((o for o in part.outlets if o.name == outlet), None) if part else None
        if found is None:
            raise Refused(f"power: no outlet is called {outlet!r}; there are {', '.join(self._outlets())}")
        bench.state.outlets[outlet] = on
        if not on and found.feeds is not None:
            feeds = "guide camera" if found.feeds == "guider" else found.feeds
            bench.state.connected[feeds] = False
        bench.save()
        await bench.clock.sleep(_SWITCH_S)
