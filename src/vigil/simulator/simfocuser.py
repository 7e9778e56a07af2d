"""A focuser with backlash: after a change of direction the motor turns for a while and nothing moves."""

from vigil.devices.errors import Refused
from vigil.devices.protocols import Capabilities, FocuserState
from vigil.simulator.gear import Bench
from vigil.simulator.travel import Travel

BACKLASH_STEPS = 60
_STEPS_PER_S = 80.0


class SimFocuser:
    def __init__(self, bench: Bench) -> None:
        self._bench = bench
        self._travel = Travel(bench, "focuser")

    async def connect(self) -> None:
        await self._bench.connect("focuser", 1.0)

    async def disconnect(self) -> None:
        self._bench.disconnect("focuser")

    async def capabilities(self) -> Capabilities:
        part = self._bench.rig.focuser
        figures = (
            {f"focuser.{k}": getattr(part, k) for k in ("lowest", "highest", "um_per_step")} if part else {}
        )
        return Capabilities(figures=figures)

    async def read(self) -> FocuserState:
        bench = self._bench
        bench.need("focuser")
        probed = bench.rig.focuser is not None and bench.rig.focuser.probe == "focuser"
        temperature_c = round(bench.weather.temperature_c(bench.clock.utcnow()), 1) if probed else None
        return FocuserState(bench.state.focuser_position, self._travel.moving, temperature_c)

    async def move_to(self, position: int) -> None:
        bench = self._bench
        bench.need("focuser")
        limits = bench.rig.focuser
        if not limits.lowest <= position <= limits.highest:
            raise Refused(f"focuser: {position} is outside its range {limits.lowest}…{limits.highest}")
        state = bench.state
        await self._travel.go(
            lambda: state.focuser_position, lambda steps: self._turn(int(steps)), position, _STEPS_PER_S
        )

    async def stop(self) -> None:
        self._travel.stop()

    def _turn(self, steps: int) -> None:
        """The motor turns; the drawtube follows once the play of BACKLASH_STEPS is used up."""
        state = self._bench.state
        state.focuser_position += steps
        slack = BACKLASH_STEPS / 2
        state.drawtube_steps = min(
            max(state.drawtube_steps, state.focuser_position - slack), state.focuser_position + slack
        )
