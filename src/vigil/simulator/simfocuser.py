"""A focuser with backlash: after a change of direction the motor turns for a while and nothing moves."""

from vigil.devices.errors import Refused
from vigil.devices.protocols import Capabilities, FocuserState
from vigil.documents.scenario import FaultKind
from vigil.simulator.gear import Gear
from vigil.simulator.pointing.gears import take_up
from vigil.simulator.travel import Travel


class SimFocuser:
    def __init__(self, gear: Gear) -> None:
        self._gear = gear
        self._travel = Travel(gear, "focuser")

    async def connect(self) -> None:
        await self._gear.connect("focuser", 1.0)

    async def disconnect(self) -> None:
        self._gear.disconnect("focuser")

    async def capabilities(self) -> Capabilities:
        part = self._gear.rig.focuser
        figures = (
            {f"focuser.{k}": getattr(part, k) for k in ("lowest", "highest", "um_per_step")} if part else {}
        )
        return Capabilities(figures=figures)

    async def read(self) -> FocuserState:
        gear = self._gear
        gear.need("focuser")
        probed = gear.rig.focuser is not None and gear.rig.focuser.probe == "focuser"
        temperature_c = round(gear.weather.probe_c(gear.clock.utcnow()), 1) if probed else None
        return FocuserState(gear.state.focuser_position, self._travel.moving, temperature_c)

    async def move_to(self, position: int) -> None:
        gear = self._gear
        gear.need("focuser")
        limits = gear.rig.focuser
        if not limits.lowest <= position <= limits.highest:
            raise Refused(f"focuser: {position} is outside its range {limits.lowest}…{limits.highest}")
        state = gear.state
        rate = gear.scenario.focuser.steps_per_s
        await self._travel.go(
            lambda: state.focuser_position, lambda steps: self._turn(int(steps)), position, rate
        )

    async def stop(self) -> None:
        self._travel.stop()

    def _turn(self, steps: int) -> None:
        """The motor turns; the drawtube follows once its play is used up. A stalled motor counts on and turns
        nothing."""
        gear, state = self._gear, self._gear.state
        state.focuser_position += steps
        if gear.faults.active(FaultKind.FOCUSER_STALLS, "focuser", gear.minutes(gear.clock.utcnow())):
            state.focus_lost_steps += steps
        motor = state.focuser_position - state.focus_lost_steps
        state.drawtube_steps = take_up(state.drawtube_steps, motor, gear.scenario.focuser.backlash_steps)

    def moved_by_itself(self, steps: float) -> None:
        """A fault: somebody turned the knob, and the motor's counter went along."""
        self._turn(int(steps))
